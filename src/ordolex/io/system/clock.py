"""The two times that the record keeps: UTC for people, monotonic for differences."""

from __future__ import annotations

import time

_STEP_US = 1000
_offset_us = time.time_ns() // 1000 - time.monotonic_ns() // 1000


def mono_s() -> float:
    """Seconds of a clock that never goes back."""
    return time.monotonic()


def utc_us(at_s: float | None = None) -> int:
    """Microseconds since 1970-01-01 00:00 UTC, of a moment of the monotonic clock or of now.

    UTC follows the monotonic clock, so that the order of two moments is the same on both; it is set anew when the
    system's clock was moved by more than a millisecond.
    """
    global _offset_us
    offset = time.time_ns() // 1000 - time.monotonic_ns() // 1000
    if abs(offset - _offset_us) > _STEP_US:
        _offset_us = offset
    return round((mono_s() if at_s is None else at_s) * 1e6) + _offset_us
