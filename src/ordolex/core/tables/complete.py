"""Whether a table is whole, and what changed since an earlier one."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted


@dataclass(frozen=True, slots=True)
class Complete:
    """missing  numbers between the first and the last that no row has
    twice    keys that more than one row has
    odd      how many lines fit no row
    """

    missing: tuple[int, ...]
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
    """Numbers are looked for in the first column that holds nothing but whole numbers, most of them different."""
    column = number_column(table)
    if column is None:
        keys = Counter("  ".join(row) for row in table.rows)
        return Complete((), tuple(key for key, count in keys.items() if count > 1), len(table.odd))
    numbers = [int(row[column]) for row in table.rows]
    there = set(numbers)
    missing = tuple(n for n in range(min(there), max(there)) if n not in there) if len(there) > 1 else ()
    twice = tuple(str(number) for number, count in Counter(numbers).items() if count > 1)
    return Complete(missing[:1000], twice, len(table.odd))


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
