"""The shape of characters on the wire, to be laid beside an oscilloscope: levels in volts, bits named and timed."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.uart.levels import MARK, frame_bits

VOLTS = {"RS-232": (-6.0, 6.0), "logic 5 V": (5.0, 0.0), "logic 3.3 V": (3.3, 0.0)}
"""Level of MARK and of SPACE. RS-232 drivers give 5 to 15 V (TIA-232-F, 2.1.2); ±6 V is what most adapters give."""


MAX_CHARACTERS = 8
"""More than these cannot be read side by side."""


@dataclass(frozen=True, slots=True)
class NamedBit:
    """from_s, to_s: seconds from the first start bit. name: start, b0 to b7, parity or stop."""

    name: str
    from_s: float
    to_s: float
    level: int


def named_bits(data: bytes, settings: LineSettings) -> list[NamedBit]:
    """All bits of the characters, one after the other without a gap."""
    bits: list[NamedBit] = []
    at = 0.0
    for byte in data:
        frame = frame_bits(byte, settings)
        names = ["start", *(f"b{i}" for i in range(settings.data_bits))]
        names += ["parity"] * (settings.parity is not Parity.NONE) + ["stop"]
        for name, (length, level) in zip(names, frame, strict=True):
            bits.append(NamedBit(name, at, at + length * settings.bit_s, level))
            at += length * settings.bit_s
    return bits


def volts(level: int, kind: str) -> float:
    """The voltage of a line level. Raises KeyError for a kind that VOLTS does not have."""
    mark, space = VOLTS[kind]
    return mark if level == MARK else space
