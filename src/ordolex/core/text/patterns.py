"""Patterns that a person wrote into a sheet, applied to what a device sends: they end in bounded time, whatever comes.

A pattern that takes too long counts as one that does not fit; a sheet whose pattern does so on plain samples is
refused.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:  # it is imported with the first pattern: most of what asks questions has none
    import regex

LIMIT_S = 0.2
"""What one look may take."""
_CHECK_S = (0.1,) * 5
"""What one look at a sample may take. A computer that is busy can hold up any look, but not every one of five."""
_SAMPLES = tuple(
    sample * 60 + "!" for sample in ("a", "0", " ", "a ", "0.", "ab", "x,", "\r\n", "a\n", "-", "=", "A", "z", "_", ":")
)
_MOST_OWN = 12

TextOrBytes = TypeVar("TextOrBytes", str, bytes)


@lru_cache(512)
def _compiled(pattern: str | bytes) -> Any:
    import regex

    return regex.compile(pattern)


def search(pattern: TextOrBytes, text: TextOrBytes) -> regex.Match[TextOrBytes] | None:
    """The first place that the pattern fits."""
    found: regex.Match[TextOrBytes] | None = _looked(_compiled(pattern).search, text)
    return found


def fullmatch(pattern: TextOrBytes, text: TextOrBytes) -> regex.Match[TextOrBytes] | None:
    """The whole of the text, where the pattern fits it."""
    found: regex.Match[TextOrBytes] | None = _looked(_compiled(pattern).fullmatch, text)
    return found


def _looked(look: Callable[..., Any], text: str | bytes) -> Any:
    """What a look brings; nothing where it took too long twice. The limit is time that passes, and a computer that is
    busy with something else can use it up before the look has begun."""
    for _ in range(2):
        with contextlib.suppress(TimeoutError):
            return look(text, timeout=LIMIT_S)
    return None


def checked(pattern: str) -> str:
    """The pattern itself. Raises ValueError where it is none, or can take forever."""
    import regex

    try:
        compiled = regex.compile(pattern)
    except regex.error as error:
        raise ValueError(f"is no pattern: {error}") from error
    for sample in (*_SAMPLES, *_own_samples(pattern)):
        if not any(_ends(compiled, sample, limit_s) for limit_s in _CHECK_S):
            raise ValueError("is a pattern that can take forever: it repeats what repeats itself, such as (a+)+")
    return pattern


def _ends(compiled: Any, sample: str, limit_s: float) -> bool:
    try:
        compiled.fullmatch(sample, timeout=limit_s)
        compiled.search(sample, timeout=limit_s)
    except TimeoutError:
        return False
    return True


def _own_samples(pattern: str) -> list[str]:
    """Long texts of the letters that the pattern itself names: what it repeats is most likely made of these."""
    import regex

    plain = regex.sub(r"\\[AbBdDGmMRsSwWXZz]|\(\?P?<\w+>|[\\()\[\]{}?*+|^$.]", " ", pattern)
    pieces = list(dict.fromkeys(piece for piece in plain.split() if len(piece) <= 40))[:_MOST_OWN]
    letters = "".join(dict.fromkeys("".join(pieces)))[:_MOST_OWN]
    repeated = [piece * (240 // len(piece)) for piece in pieces] + [letter * 200 for letter in letters]
    # a text that the pattern needs somewhere stands in another line, or the look would end before it began
    behind = [repeat + end for repeat in repeated for end in ("\x00", f"\n{letters}\n")]
    return behind + [sample[:-1] + f"\n{letters}\n" for sample in _SAMPLES]


_AROUND = "".join(map(chr, [*range(33), 127]))  # blanks and controls, such as those that frame a line


def found_in(pattern: str, text: str, behind: int = 0) -> tuple[str, regex.Match[str]] | None:
    """Where a pattern for a value fits in what a device said: in the line that it fits whole, where there is one
    (somebody may have spoken before it), else at its first place that ends behind `behind`. The text in which it was
    found, and the find."""
    found = search(pattern, text)
    if found is not None and found.end() <= behind:
        found = next((one for one in _compiled(pattern).finditer(text, timeout=LIMIT_S) if one.end() > behind), None)
    if found is None:
        return None
    lines, end = text.splitlines(keepends=True), 0
    for line in lines if len(lines) > 1 else []:
        end += len(line)
        ways = [line.strip(_AROUND)] if end > behind + 2 else []
        if end - len(line) < behind < end:  # an echo may stand before the answer on one line
            ways.append(text[behind:end].strip(_AROUND))
        for bare in filter(None, ways):
            whole = fullmatch(pattern, bare)
            if whole is not None:
                return str(whole.string), whole
    return text, found
