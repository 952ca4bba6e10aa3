"""The control lines of a link, ours and the far end's, breaks, and what flow control holds back."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.line.settings import Flow
from ordolex.core.link.signals import XOFF, Signals
from ordolex.io.link.held import Held
from ordolex.io.link.journal import Journal
from ordolex.io.transport.base import ModemLines

_HELD_BACK_S = 0.5  # a queue that stands so long is held back


def _is_text(data: bytes) -> bool:
    """Whether what stands around flow control's own bytes is text, or nothing."""
    return all(byte in b"\t\r\n\x11\x13\x1b" or byte >= 0x20 for byte in data) and b"\x7f" not in data


class ControlLines:
    """`now` is how they stand."""

    def __init__(self, held: Held, journal: Journal) -> None:
        self._held, self._journal = held, journal
        self.now = Signals()
        self._named_xoff = False
        self._queued: tuple[int, float] = (0, 0.0)

    def opened(self, *, low: bool) -> None:
        self.now = replace(self.now, dtr=not low, rts=not low, xoff_s=None)

    async def send_break(self, seconds: float) -> None:
        """Raises a Fault where it could not be sent."""
        transport = self._held.required()
        self._journal.note("sent", f"break of {seconds * 1000:.0f} ms", {"break_s": seconds})
        await transport.send_break(seconds)

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        """Sets our control lines. Raises a Fault where the port has none."""
        await self._held.required().set_outputs(dtr=dtr, rts=rts)
        now = self.now
        self.now = replace(now, dtr=now.dtr if dtr is None else dtr, rts=now.rts if rts is None else rts)
        words = [f"{name} {'on' if on else 'off'}" for name, on in (("DTR", dtr), ("RTS", rts)) if on is not None]
        self._journal.note("outputs", ", ".join(words), {"dtr": dtr, "rts": rts})

    def changed(self, lines: ModemLines) -> None:
        inputs = frozenset(name.upper() for name in ModemLines.__slots__ if getattr(lines, name))
        self.now = replace(self.now, inputs=inputs)
        self._journal.note("lines", f"control lines: {lines.words()}")

    def heard(self, data: bytes, at_s: float, flow: Flow, *, plain: bool) -> None:
        """Bytes may ask us to wait; where flow control is off, that is named once. `plain` says that they are clean and
        no frame of a protocol: else the byte may be part of anything."""
        if flow is Flow.XON_XOFF:
            self.now = self.now.heard(data, at_s)
        elif XOFF in data and plain and flow is Flow.NONE and not self._named_xoff and _is_text(data):
            self._named_xoff = True
            words = "XOFF (13 hex) was heard, and flow control is off: the device may ask us to wait"
            self._journal.note("note", words)

    def look_at_queue(self, now_s: float) -> None:
        """Says when what was handed over does not go out: flow control of the port is not seen in any other way."""
        count = self._held.transport.waiting_out() if self._held.transport is not None else 0
        if not count or count != self._queued[0]:
            self._queued = (count, now_s)
        still = count if now_s - self._queued[1] >= _HELD_BACK_S else 0
        if still and not self.now.waiting:
            wait = "1 byte waits" if still == 1 else f"{still} bytes wait"
            self._journal.note("note", f"held back by the far end: {wait} in the port")
        if still != self.now.waiting:
            self.now = replace(self.now, waiting=still)
