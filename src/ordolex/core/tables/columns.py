"""Where the columns of a device's list are, as far as the text itself shows."""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Sequence

_RULE = re.compile(r"[\s\-=_+|:*#.]+")
"""A line that is drawn, between a heading and its rows."""
_LONGEST = 10_000  # characters of a line that is cut at all
_MOST = 0.8
"""Share of lines in which a mark stands equally often, from which on it parts columns."""


def is_rule(line: str, width: int) -> bool:
    """Whether it only draws, over at least half of the table's width."""
    return 2 * len(line.strip()) >= width > 0 and _RULE.fullmatch(line) is not None


def split_by_mark(lines: Sequence[str]) -> list[list[str]] | None:
    """Each line's pieces, where nearly all of them have one mark between: a tab, `|`, `;`, or the comma of CSV (RFC
    4180). None where there is no such mark. A comma counts only if the heading has them: numbers have some, too."""
    if len(lines) < 2:
        return None
    for mark in ("\t", "|", ";", ","):
        pieces = [_pieces(line, mark) for line in lines]
        sizes = [len(one) for one in pieces]
        size = max(set(sizes), key=sizes.count)
        if size < 2 or sizes.count(size) < _MOST * len(lines):
            continue
        if mark != "," or (sizes[0] == size and not any(re.search(r"\d", piece) for piece in pieces[0])):
            return pieces
    return None


def _pieces(line: str, mark: str) -> list[str]:
    if mark == "|":
        bare = line.strip()  # one that begins with a mark has one at its end, too; an empty cell stays one
        bare = bare[1:].removesuffix("|") if bare.startswith("|") else bare
        return [piece.strip() for piece in bare.split("|")]
    if len(line) > _LONGEST:
        return [line]
    row: list[str] = next(csv.reader([line], delimiter=mark), [])
    return [piece.strip() for piece in row]


def edges_in(lines: Sequence[str]) -> list[int]:
    """The places at which columns begin, of lines that are filled with blanks: where nearly all of them have two blanks
    at one place. A heading may have one. An edge lies where the fewest lines cross it, so that numbers that stand to
    the right of their column stay whole."""
    width = max(map(len, lines), default=0)
    need = max(2, min(math.ceil(0.9 * len(lines)), len(lines) - 1 if len(lines) > 3 else len(lines)))
    counts = [sum(at >= len(line) or line[at] == " " for line in lines) for at in range(width)]
    edges, at = [0], 0
    while at < width:
        end = at
        while end < width and counts[end] >= need:
            end += 1
        if at and end < width and end > at and _is_gap(lines, at, end):
            most = max(counts[at:end])
            edges.append(max(place for place in range(at, end) if counts[place] == most) + 1)
        at = max(end, at + 1)
    return edges


def _is_gap(lines: Sequence[str], begin: int, end: int) -> bool:
    if end - begin >= 2:
        return True
    body = lines[1:]  # the words of a heading may be as long as their column
    before = sum(begin - 1 >= len(line) or line[begin - 1] == " " for line in body)
    return len(body) > 1 and not re.search(r"\d", lines[0]) and before >= max(2, math.ceil(0.9 * len(body)))
