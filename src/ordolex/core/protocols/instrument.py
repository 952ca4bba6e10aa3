"""Answers of text instruments: numbers with units, the error queue.

Source: IEEE 488.2, 8.7; SCPI 1999, volume 2, 21.8.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.text.number_in import NUMBER

_NUMBER = re.compile(rf"\s*({NUMBER})\s*([A-Za-z%/°µ]\S*)?\s*")
_STANDS_FOR = {
    9.91e37: "the instrument has no measurement now (9.91E37)",
    9.9e37: "the value is out of the instrument's range (9.9E37)",
    -9.9e37: "the value is out of the instrument's range (-9.9E37)",
}
"""SCPI 1999, volume 1, 7.2.1.4 and 7.2.1.5."""


@dataclass(frozen=True, slots=True)
class Quantity:
    value: float
    unit: str


def no_value(number: float) -> str:
    """What a number that an instrument gives in place of a value stands for; nothing for any other."""
    return _STANDS_FOR.get(number, "")


def read_quantity(text: str) -> Quantity:
    """`9.42 mg/l`, `1.2E-3`. Raises ValueError."""
    found = _NUMBER.fullmatch(text)
    if found is None:
        raise ValueError(f"{text.strip()!r} is no number")
    value = float(found[1])
    if why := no_value(value):
        raise ValueError(why)
    return Quantity(value, found[2] or "")


@dataclass(frozen=True, slots=True)
class QueuedError:
    number: int
    words: str

    @property
    def kind(self) -> str:
        """By hundreds (SCPI 1999, volume 2, 21.8.8 to 21.8.12)."""
        kinds = {1: "command error", 2: "execution error", 3: "device error", 4: "query error"}
        return "no error" if self.number == 0 else kinds.get(-self.number // 100, "error of the maker's own")


def read_error(text: str) -> QueuedError:
    """`-113,"Undefined header"`. Raises ValueError."""
    found = re.fullmatch(r'\s*([+-]?\d+)\s*,\s*"((?:[^"]|"")*)"\s*', text)
    if found is None:
        raise ValueError(f"{text.strip()!r} is no entry of an error queue")
    return QueuedError(int(found[1]), found[2].replace('""', '"'))
