"""How many of something, in words that agree."""

from __future__ import annotations


def counted(count: float, one: str, many: str = "") -> str:
    """Such as "1 byte" and "11 bytes"; `many` where it is not made by an s."""
    return f"{count} {one if count == 1 else many or one + 's'}"
