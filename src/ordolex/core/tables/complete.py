"""Whether a table is whole, and what changed since an earlier one."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass

from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted

_KEY = re.compile(r"(.*[^\W\d_].*?)(\d{1,9})")
"""A key that ends in a number, with a letter before it: `12.5` is a value."""


@dataclass(frozen=True, slots=True)
class Complete:
    """missing  numbers, or keys that end in one, between the first and the last that no row has
    twice    keys that more than one row has
    odd      how many lines fit no row
    """

    missing: tuple[int | str, ...]
    twice: tuple[str, ...]
    odd: int

    @property
    def words(self) -> str:
        parts = []
        if self.missing:
            listed = ", ".join(str(number) for number in self.missing[:5]) + (" …" if len(self.missing) > 5 else "")
            parts.append(f"{len(self.missing)} missing in the numbering: {listed}")
        if self.twice:
            parts.append(f"twice: {', '.join(self.twice[:5])}")
        if self.odd:
            parts.append(f"{counted(self.odd, 'line')} that fit{'s' * (self.odd == 1)} no row")
        return "; ".join(parts) or "no gaps"


def complete(table: Table) -> Complete:
    """Numbers are looked for in the first column that holds nothing but whole numbers, most of them different; else at
    the end of the keys in the first column, such as L2.011."""
    column = number_column(table)
    if column is None:
        missing_keys = _missing_keys(table)
        keys = Counter("  ".join(row) for row in table.rows)
        return Complete(missing_keys, tuple(key for key, count in keys.items() if count > 1), len(table.odd))
    numbers = [int(row[column]) for row in table.rows]
    there = set(numbers)
    missing = tuple(n for n in range(min(there), max(there)) if n not in there) if len(there) > 1 else ()
    twice = tuple(str(number) for number, count in Counter(numbers).items() if count > 1)
    return Complete(missing[:1000], twice, len(table.odd))


def _missing_keys(table: Table) -> tuple[str, ...]:
    """Keys between those of one beginning that no row has. Where more would be missing than there are, they number
    something else than the rows, and nothing is said."""
    found = [_KEY.fullmatch(row[0]) for row in table.rows] if table.columns else []
    keys = [match for match in found if match is not None]
    if len(keys) < len(found) or len({match[0] for match in keys}) <= 0.8 * len(keys):
        return ()
    groups: dict[str, dict[int, int]] = {}
    for match in keys:
        groups.setdefault(match[1], {})[int(match[2])] = len(match[2])
    missing = []
    for begin, there in groups.items():
        low, high = min(there), max(there)
        if high - low >= 2 * len(there):
            continue
        width = min(there.values())
        missing += [f"{begin}{number:0{width}}" for number in range(low, high) if number not in there]
    return tuple(missing[:1000])


def number_column(table: Table) -> int | None:
    """The column that numbers the rows, if there is one."""
    for column in range(len(table.columns)):
        values = [row[column] for row in table.rows]
        if len(values) > 1 and all(value.isdecimal() for value in values) and len(set(values)) > 0.8 * len(values):
            return column
    return None


@dataclass(frozen=True, slots=True)
class Changes:
    """Rows by their key: the number where rows are numbered, else the whole row."""

    gone: tuple[tuple[str, ...], ...]
    new: tuple[tuple[str, ...], ...]
    changed: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...]

    @property
    def words(self) -> str:
        if not (self.gone or self.new or self.changed):
            return "as before"
        return f"since then {len(self.new)} new, {len(self.changed)} changed, {len(self.gone)} gone"


def changes(before: Table, after: Table) -> Changes:
    """What `after` has that `before` had not, and the other way round."""
    column = number_column(after) if before.columns == after.columns else None

    def key(row: tuple[str, ...]) -> tuple[str, ...]:
        return row if column is None else (row[column],)

    old, new = {key(row): row for row in before.rows}, {key(row): row for row in after.rows}
    return Changes(
        tuple(row for k, row in old.items() if k not in new),
        tuple(row for k, row in new.items() if k not in old),
        tuple((old[k], row) for k, row in new.items() if k in old and old[k] != row),
    )
