"""Line settings of a UART line, and how long its characters take.

Owns the vocabulary of every other module that speaks of a line. It knows no notation (notation.py reads text)
and no port.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

MAX_BAUD = 4_294_967_295  # RFC 2217 section 3, SET-BAUDRATE carries four bytes
DATA_BITS = (5, 6, 7, 8)
STOP_BITS = (1.0, 1.5, 2.0)


class Parity(StrEnum):
    NONE = "N"
    EVEN = "E"
    ODD = "O"
    MARK = "M"
    SPACE = "S"

    @property
    def word(self) -> str:
        return self.name.lower()


class Flow(StrEnum):
    NONE = "none"
    RTS_CTS = "RTS/CTS"
    XON_XOFF = "XON/XOFF"
    DTR_DSR = "DTR/DSR"


SHORTENED = (12, 24, 48, 96, 144, 192, 288, 384, 576, 768, 1152)
"""Rates that are written without their last two zeros, and are none themselves: the word stands behind one of them."""


class SettingsError(ValueError):
    """A part of the line settings that cannot be right. `part` names it as the technician would."""

    def __init__(self, part: str, message: str) -> None:
        super().__init__(message)
        self.part = part


@dataclass(frozen=True, slots=True)
class LineSettings:
    """One setting of a UART: baud in bit/s, 5 to 8 data bits, parity, 1, 1.5 or 2 stop bits, flow control."""

    baud: int
    data_bits: int = 8
    parity: Parity = Parity.NONE
    stop_bits: float = 1.0
    flow: Flow = Flow.NONE

    def __post_init__(self) -> None:
        if not 1 <= self.baud <= MAX_BAUD:
            raise SettingsError("baud", f"baud: {self.baud} cannot be; it is a whole number from 1 to {MAX_BAUD}")
        if self.data_bits not in DATA_BITS:
            raise SettingsError("data bits", f"data bits: {self.data_bits} cannot be; a UART has 5, 6, 7 or 8")
        if self.stop_bits not in STOP_BITS:
            raise SettingsError("stop bits", f"stop bits: {self.stop_bits:g} cannot be; they are 1, 1.5 or 2")

    @property
    def format(self) -> str:
        """The short form without the rate, like `8E1`."""
        return f"{self.data_bits}{self.parity.value}{self.stop_bits:g}"

    @property
    def text(self) -> str:
        """The one short form that the program prints, like `19200 8E1`; flow control follows where there is any."""
        flow = "" if self.flow is Flow.NONE else f" {self.flow.value}"
        rate = f"{self.baud} baud" if self.baud in SHORTENED else f"{self.baud}"
        return f"{rate} {self.format}{flow}"

    @property
    def words(self) -> str:
        """The settings for a person who compares them with a form, field by field."""
        stop = "1 stop bit" if self.stop_bits == 1 else f"{self.stop_bits:g} stop bits"
        flow = "no flow control" if self.flow is Flow.NONE else f"flow control {self.flow.value}"
        parity = "no parity" if self.parity is Parity.NONE else f"{self.parity.word} parity"
        return f"{self.baud} baud, {self.data_bits} data bits, {parity}, {stop}, {flow}"

    @property
    def bit_s(self) -> float:
        """Seconds that one bit takes."""
        return 1.0 / self.baud

    @property
    def bits_per_frame(self) -> float:
        """Bits of one character on the wire: start, data, parity where there is one, stop."""
        return 1 + self.data_bits + (self.parity is not Parity.NONE) + self.stop_bits

    @property
    def characters_per_s(self) -> float:
        return self.baud / self.bits_per_frame

    def seconds_for(self, count: int) -> float:
        """Seconds that `count` characters take when they follow one another without a gap."""
        return count * self.bits_per_frame / self.baud

    def changed(self, **fields: Any) -> LineSettings:
        return replace(self, **fields)

    def as_dict(self) -> dict[str, Any]:
        """The fields that `ordolex line --json` prints."""
        stop: float = int(self.stop_bits) if self.stop_bits == int(self.stop_bits) else self.stop_bits
        return {
            "baud": self.baud,
            "data_bits": self.data_bits,
            "parity": self.parity.value,
            "stop_bits": stop,
            "flow": self.flow.value,
            "text": self.text,
        }


def parity_bit(parity: Parity, ones: int) -> int | None:
    """The parity bit for a character with `ones` set data bits, or None where the format has none."""
    match parity:
        case Parity.NONE:
            return None
        case Parity.EVEN:
            return ones & 1
        case Parity.ODD:
            return (ones & 1) ^ 1
        case Parity.MARK:
            return 1
        case Parity.SPACE:
            return 0
