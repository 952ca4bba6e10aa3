"""Where a number in what a device says ends, and where that cannot be known: `9,42` is one number in one country, two
columns of another device; a part of it, or of a time or a date, is no value."""

from __future__ import annotations

import re

NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"
_FIRST = re.compile(rf"(?<![\w.])(?<!\d[:/,-]){NUMBER}(?![\w.]*\d)(?![:/-]\d)")
_GOES_ON = re.compile(r"(?:[.,:'’]\d+)+|(?: \d{3})+[.,]\d+")
"""The last: digits in groups of three (ISO 80000-1, 7.3.1), or columns."""
_GROUPED = re.compile(r"[+-]?\d{1,3}(?:(?:,\d{3})+(?:\.\d+)?|(?:\.\d{3})+,\d+)")
_DOT, _COMMA = re.compile(r"(?<=\d)\.(?=\d)"), re.compile(r"(?<=\d),(?=\d)")
_RUN = re.compile(r"(?<![\w.,])[+-]?\d+(?:[.,]\d+)+")
POINT = "\N{MODIFIER LETTER HALF TRIANGULAR COLON}"  # of a word, so that no number ends before it
_WITH_COMMA = re.compile(r"[+-]?\d+,\d+")


def first_in(text: str) -> re.Match[str] | None:
    """The first number that is no part of a time, a date or a name."""
    return _FIRST.search(text)


def goes_on(text: str, start: int, end: int) -> str:
    """Whether the number in `text[start:end]` may be a part only of what stands there: all of that, or nothing."""
    more = _GOES_ON.match(text, end)
    if more is None or not text[end - 1 : end].isdigit():
        return ""
    whole = text[start : more.end()]
    columns = more[0][0] == "," and not (_WITH_COMMA.fullmatch(whole) or _GROUPED.fullmatch(whole))
    return "" if columns else whole


def part_of(text: str, found: tuple[int, int], value: tuple[int, int], like: str) -> str:
    """Whether what a pattern takes for a number may be a part only of what stands there, because it begins or ends
    where the pattern does: all of that, or nothing. `found` and `value` are the places of the find and of its group. A
    pattern that says what stands before a whole number may end at the comma between columns."""
    start, end = value
    beside = (text[start - 1 : start] if start == found[0] else "") + (text[end : end + 1] if end == found[1] else "")
    if any(sign in _DIGITS_WITH_PARITY for sign in beside):
        return text[max(0, start - 1) : end + 1]
    before = _BEFORE.search(text[:start]) if start == found[0] else None
    if before is not None:
        whole = text[before.start() : end]
        plain = re.sub("[' \u2019]", ",", whole)
        if _WITH_COMMA.fullmatch(plain) or _GROUPED.fullmatch(plain):
            return whole
    whole = goes_on(text, start, end) if end == found[1] else ""
    group = _GROUP.search(like)
    column = start != found[0] and group is not None and "." not in group[1] and _WITH_COMMA.fullmatch(whole)
    return "" if column else whole


_DIGITS_WITH_PARITY = "\u00b1\u00b2\u00b4\u00b7\u00b8"
"""What 1, 2, 4, 7 and 8 read as in Latin-1 where their parity bit was left in."""
_GROUP = re.compile(r"\(\?P<\w+>([^()]*)\)")
_BEFORE = re.compile(r"(?<![\w.])[+-]?\d+[.,'\u2019 ]\Z")


def doubt_of(whole: str) -> str:
    """What is to be said of a number that may go on."""
    if not re.search("[,'’ ]", whole):
        return f"{whole[:40]!r} is not one number"
    return f"{whole[:40]!r} can be one number or several: the item's value says which, with comma = true or a column"


def doubtful_in(text: str) -> str:
    """The first in it that may be one number with a decimal comma, or two; or nothing."""
    return next((found[0] for found in _RUN.finditer(text) if _WITH_COMMA.fullmatch(found[0])), "")


def with_points(text: str) -> str:
    """A text with decimal commas as one with decimal points; a point between digits, which is none then, is POINT. Each
    character stays at its place."""
    return _COMMA.sub(".", _DOT.sub(POINT, text))


def as_written(text: str) -> str:
    """What was before `with_points`."""
    return _DOT.sub(",", text).replace(POINT, ".")
