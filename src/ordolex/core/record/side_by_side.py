"""Two spans of the record side by side: what is missing, what was added, what changed."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from enum import StrEnum

from ordolex.core.text.counts import counted

_VALUE = re.compile(r"[+-]?\d+(?:[.,:]\d+)*")


class Kind(StrEnum):
    SAME = "same"
    MISSING = "missing"
    ADDED = "added"
    CHANGED = "changed"


@dataclass(frozen=True, slots=True)
class Line:
    """One line of the comparison: as it was in the first span and as it is in the second; empty where it has none."""

    kind: Kind
    first: str
    second: str


def masked(text: str) -> str:
    """With every value as `#`, so that a reading that differs does not count."""
    return _VALUE.sub("#", text)


def compare(first: Sequence[str], second: Sequence[str], *, mask_values: bool = False) -> list[Line]:
    """All lines of both in order. With `mask_values`, lines that differ in their values only are the same."""
    a, b = ([masked(line) for line in first], [masked(line) for line in second]) if mask_values else (first, second)
    out: list[Line] = []
    for kind, i, j, k, m in SequenceMatcher(None, a, b, autojunk=False).get_opcodes():
        if kind == "equal":
            out += [Line(Kind.SAME, x, y) for x, y in zip(first[i:j], second[k:m], strict=True)]
            continue
        pairs = min(j - i, m - k)
        out += [Line(Kind.CHANGED, first[i + n], second[k + n]) for n in range(pairs)]
        out += [Line(Kind.MISSING, line, "") for line in first[i + pairs : j]]
        out += [Line(Kind.ADDED, "", line) for line in second[k + pairs : m]]
    return out


def words(lines: Sequence[Line]) -> str:
    """The comparison in one sentence."""
    counts = {kind: sum(line.kind is kind for line in lines) for kind in Kind}
    if counts[Kind.SAME] == len(lines):
        return f"alike: {counted(len(lines), 'row')}"
    return f"{counts[Kind.CHANGED]} changed, {counts[Kind.MISSING]} missing, {counts[Kind.ADDED]} added"
