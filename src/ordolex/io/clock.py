"""The two times that the record keeps: UTC for people, monotonic for differences."""

from __future__ import annotations

import time


def utc_us() -> int:
    """Microseconds since 1970-01-01 00:00 UTC."""
    return time.time_ns() // 1000


def mono_s() -> float:
    """Seconds of a clock that never goes back."""
    return time.monotonic()
