"""Patterns that a person wrote into a sheet, applied to what a device sends: they end in bounded time, whatever comes.

A pattern that takes too long counts as one that does not fit; a sheet whose pattern does so on plain samples is
refused.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any, TypeVar

import regex

LIMIT_S = 0.2
"""What one look may take."""
_CHECK_S = 0.1
_SAMPLES = tuple(sample * 60 + "!" for sample in ("a", "0", " ", "a ", "0.", "ab", "x,", "\r\n", "a\n"))

TextOrBytes = TypeVar("TextOrBytes", str, bytes)


@lru_cache(512)
def _compiled(pattern: str | bytes) -> Any:
    return regex.compile(pattern)


def search(pattern: TextOrBytes, text: TextOrBytes) -> regex.Match[TextOrBytes] | None:
    """The first place that the pattern fits."""
    try:
        found: regex.Match[TextOrBytes] | None = _compiled(pattern).search(text, timeout=LIMIT_S)
    except TimeoutError:
        return None
    return found


def fullmatch(pattern: TextOrBytes, text: TextOrBytes) -> regex.Match[TextOrBytes] | None:
    """The whole of the text, where the pattern fits it."""
    try:
        found: regex.Match[TextOrBytes] | None = _compiled(pattern).fullmatch(text, timeout=LIMIT_S)
    except TimeoutError:
        return None
    return found


def checked(pattern: str) -> str:
    """The pattern itself. Raises ValueError where it is none, or can take forever."""
    try:
        compiled = regex.compile(pattern)
    except regex.error as error:
        raise ValueError(f"is no pattern: {error}") from error
    for sample in _SAMPLES:
        try:
            compiled.fullmatch(sample, timeout=_CHECK_S)
            compiled.search(sample, timeout=_CHECK_S)
        except TimeoutError:
            raise ValueError(
                "is a pattern that can take forever: it repeats what repeats itself, such as (a+)+"
            ) from None
    return pattern
