"""One value at one time, and what it is worth."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

Value = float | str
"""Numbers and words; None where there is no value."""


class Quality(IntEnum):
    """What a value is worth. The numbers are kept in the book: they never change."""

    GOOD = 0
    STALE = 1
    NO_ANSWER = 2
    REFUSED = 3
    NOT_READABLE = 4
    OUT_OF_LIMITS = 5
    STUCK = 6

    @property
    def word(self) -> str:
        return QUALITY_WORDS[self]

    @property
    def has_value(self) -> bool:
        """Whether a value comes with it."""
        return self in (Quality.GOOD, Quality.OUT_OF_LIMITS, Quality.STUCK, Quality.STALE)


QUALITY_WORDS = [quality.name.lower().replace("_", " ") for quality in Quality]


@dataclass(frozen=True, slots=True)
class Sample:
    """item     its number in the book
    utc_us   when the answer ended
    words    why there is no value, where there is none
    """

    item: int
    utc_us: int
    value: Value | None
    quality: Quality
    words: str = ""
