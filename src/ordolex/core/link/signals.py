"""The signals beside the data: control lines in both directions, and flow control by characters.

Names are those of ITU-T V.24 as RS-232 connectors carry them; XON and XOFF are DC1 and DC3 (ISO/IEC 646).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

XON, XOFF = 0x11, 0x13
INPUTS = ("CTS", "DSR", "DCD", "RI")


@dataclass(frozen=True, slots=True)
class Signals:
    """inputs     names of those that are on; None where the port tells nothing of them
    dtr, rts   what we set
    xoff_s     since when the device has asked us to stop, None where it has not
    """

    inputs: frozenset[str] | None = None
    dtr: bool = True
    rts: bool = True
    xoff_s: float | None = None
    waiting: int = 0
    """Bytes that the port has taken and cannot send: the far end holds them back."""

    def heard(self, data: bytes, now_s: float) -> Signals:
        """What these bytes change, where they are flow control."""
        on, off = data.rfind(XON), data.rfind(XOFF)
        if off > on:
            return self if self.xoff_s is not None else replace(self, xoff_s=now_s)
        return replace(self, xoff_s=None) if on >= 0 and self.xoff_s is not None else self

    @property
    def short(self) -> str:
        """The inputs in a few words; nothing where the port tells nothing."""
        held = f"held back, {self.waiting} bytes wait" if self.waiting else ""
        if self.inputs is None:
            return held
        on = " ".join(name for name in INPUTS if name in self.inputs)
        off = " ".join(name for name in INPUTS if name not in self.inputs)
        parts = (held, f"{on} on" if on else "", f"{off} off" if off else "")
        return "  ".join(part for part in parts if part)

    def lines(self, now_s: float) -> list[str]:
        """A table for people."""
        told = dict.fromkeys(INPUTS, "not told by this port")
        if self.inputs is not None:
            told = {name: "on" if name in self.inputs else "off" for name in INPUTS}
        rows = [
            f"DTR   {'on' if self.dtr else 'off':22} set by us",
            f"RTS   {'on' if self.rts else 'off':22} set by us",
        ]
        rows += [f"{name:5} {state:22} {_MEANS[name]}" for name, state in told.items()]
        asks = "none heard" if self.xoff_s is None else f"{now_s - self.xoff_s:.0f} s ago, no XON since"
        if self.waiting:
            rows.append(f"queue {self.waiting:<22} bytes are taken and wait: the far end holds them back")
        return [*rows, f"XOFF  {asks:22} the device asks us to stop sending"]


_MEANS = {
    "CTS": "the far end lets us send",
    "DSR": "the far end is there",
    "DCD": "a modem hears its carrier",
    "RI": "the bell rings",
}
