"""A device's list as a table: rows by a pattern, or by columns found in the text itself. What fits no row is kept."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from ordolex.core.tables.columns import edges_in, is_rule, split_by_mark
from ordolex.core.text import patterns
from ordolex.core.text.cells import harmless_cell

_CONTROLS = re.compile(r"[\x00-\x08\x0b-\x1f\x7f]")


@dataclass(frozen=True, slots=True)
class Table:
    """name      of the list
    columns   names of the columns
    rows      one tuple of texts for each row, as many as there are columns
    odd       (line number from 1, text) of lines that fit no row
    """

    name: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    odd: tuple[tuple[int, str], ...] = ()

    def as_dict(self) -> dict[str, Any]:
        return {
            "name": self.name,
            "columns": list(self.columns),
            "rows": [list(row) for row in self.rows],
            "odd": [[number, text] for number, text in self.odd],
        }

    @classmethod
    def of(cls, found: dict[str, Any]) -> Table:
        """What `as_dict` made."""
        return cls(
            str(found["name"]),
            tuple(found["columns"]),
            tuple(tuple(row) for row in found["rows"]),
            tuple((int(number), str(text)) for number, text in found["odd"]),
        )

    def csv(self) -> str:
        """RFC 4180, with a heading; lines that fit no row are no part of it."""
        out = io.StringIO()
        writer = csv.writer(out)
        for row in (self.columns, *self.rows):
            writer.writerow([harmless_cell(cell) for cell in row])
        return out.getvalue()


def lines_of(text: str) -> list[str]:
    """Lines without control characters and without what a carriage return wrote over."""
    lines = []
    for line in re.split(r"\r*\n", text):
        shown = line.rsplit("\r", 1)[-1] if "\r" in line.rstrip("\r") else line.rstrip("\r")
        lines.append(_CONTROLS.sub("", re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", shown)).rstrip())
    return lines


def by_pattern(name: str, lines: Sequence[str], pattern: str, heading: str = "") -> Table:
    """Rows where the pattern fits a whole line; its named groups are the columns. Blank lines, and lines that `heading`
    fits, are neither rows nor odd. Raises re.error for a pattern that cannot be read."""
    row = re.compile(pattern)
    columns = tuple(row.groupindex) or tuple(f"column {number}" for number in range(1, row.groups + 1)) or ("line",)
    rows, odd = [], []
    for number, line in enumerate(lines, 1):
        if not line.strip() or (heading and patterns.search(heading, line)):
            continue
        found = patterns.fullmatch(pattern, line.rstrip())
        if found is None:
            odd.append((number, line))
        else:
            values = [found[key] for key in row.groupindex] if row.groupindex else list(found.groups()) or [found[0]]
            rows.append(tuple((value or "").strip() for value in values))
    return Table(name, columns, tuple(rows), tuple(odd))


def by_columns(name: str, lines: Sequence[str]) -> Table:
    """Columns where nearly all lines have the same mark between them, or two blanks or more at one place; a first line
    with other kinds of words is the heading. Lines that are cut otherwise, or cross the gap between two columns, are
    odd; those that only draw a rule are nothing."""
    width = max((len(line.strip()) for line in lines), default=0)
    full = [(number, line) for number, line in enumerate(lines, 1) if line.strip() and not is_rule(line, width)]
    texts = [line for _, line in full]
    cut = split_by_mark(texts) or _cut_by_place(texts)
    sizes = [len(cells) for cells in cut]
    size = max(set(sizes), key=sizes.count, default=1)
    if size < 2:
        return Table(name, ("line",), tuple((line.strip(),) for line in texts))
    rows = [tuple(cells) for cells in cut if len(cells) == size]
    odd = [entry for entry, cells in zip(full, cut, strict=True) if len(cells) != size]
    heading = len(rows) > 2 and not any(re.search(r"\d", cell) for cell in rows[0])
    heading = heading and any(re.search(r"\d", cell) for row in rows[1:] for cell in row)
    columns = rows.pop(0) if heading else tuple(f"column {number}" for number in range(1, size + 1))
    return Table(name, tuple(columns), tuple(rows), tuple(odd))


def _cut_by_place(lines: Sequence[str]) -> list[list[str]]:
    """Each line's cells; the whole line as one where it crosses the gap between two columns, or fills only one."""
    edges = [*edges_in(lines), max(map(len, lines), default=0) + 1]
    out = []
    for line in lines:
        crosses = any(line[at - 1 : at].strip() for at in edges[1:-1])
        cells = [line[a:b].strip() for a, b in pairwise(edges)]
        out.append([line] if crosses or sum(map(bool, cells)) < 2 else cells)
    return out
