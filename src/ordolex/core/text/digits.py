"""How numbers are written for people: a reading keeps its digits, above all those before the point."""

from __future__ import annotations

import math
import struct
from decimal import Decimal

_USUAL = 6
_LITTLE = 9


def exact(value: float) -> str:
    """All its digits, without the dust of binary fractions behind them."""
    return f"{value:.15g}"


def whole_or(value: float) -> float | int:
    """A whole number as such, as long as a float has all its digits; minus zero and what is larger stay as they are."""
    if isinstance(value, int) or not math.isfinite(value) or abs(value) > _ALL_DIGITS:
        return value
    return int(value) if value == int(value) and not (value == 0 and math.copysign(1, value) < 0) else value


_ALL_DIGITS = 2**53


def short(value: float, most: int = 12) -> str:
    """A number for a column: with all its digits where they are few, or mostly stand before the point; else rounded to
    six. One that has no room in `most` places is written with a power of ten."""
    size = abs(value)
    before = len(f"{size:.0f}")
    text = f"{value:.12g}"
    if "e" not in text and len(text) <= (most if before >= _USUAL else min(most, _LITTLE)):
        return text
    rounded = f"{value:.{max(0, _USUAL - before)}f}" if size >= 1 else f"{value:.{_USUAL}g}"
    shorter = (f"{value:.{digits}g}" for digits in range(_USUAL, 0, -1))
    return rounded if len(rounded) <= most else next((text for text in shorter if len(text) <= most), f"{value:.0e}")


def scaled(raw: float | str, scale: float, offset: float) -> float | str:
    """What people read: raw × scale + offset, to the last digit."""
    if isinstance(raw, str) or (scale == 1 and offset == 0) or not math.isfinite(raw):
        return raw
    return float(Decimal(str(raw)) * Decimal(str(scale)) + Decimal(str(offset)))


def of_float32(data: bytes) -> float:
    """The shortest number that is these four bytes (IEEE 754, binary32, big-endian): 49.87, not 49.86999893188477."""
    value: float = struct.unpack(">f", data)[0]
    if not math.isfinite(value):
        return value
    short_ones = (float(f"{value:.{digits}g}") for digits in range(6, 9))
    return next((one for one in short_ones if _packed(one) == data), float(f"{value:.9g}"))


def _packed(value: float) -> bytes:
    try:
        return struct.pack(">f", value)
    except OverflowError:
        return b""
