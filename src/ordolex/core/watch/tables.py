"""Values as files: CSV (RFC 4180), long or wide, JSON lines; and the CSV of another instrument, to compare with."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from ordolex.core.watch.messages import iso
from ordolex.core.watch.samples import Sample

_DANGEROUS = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True, slots=True)
class Column:
    """An item and its values, in order."""

    item: str
    link: str
    unit: str
    samples: Sequence[Sample]


def harmless(text: str) -> str:
    """A cell that no spreadsheet runs as a formula: an apostrophe stands before what would begin one. Numbers stay."""
    if text.startswith(_DANGEROUS):
        try:
            float(text)
        except ValueError:
            return "'" + text
    return text


def _line(cells: Iterable[object]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerow([harmless("" if cell is None else str(cell)) for cell in cells])
    return out.getvalue()


def long_csv(columns: Sequence[Column]) -> Iterator[str]:
    """A row for each value."""
    yield _line(["time", "link", "item", "value", "unit", "quality"])
    for sample, column in _in_time(columns):
        yield _line([iso(sample.utc_us), column.link, column.item, sample.value, column.unit, sample.quality.word])


def wide_csv(columns: Sequence[Column]) -> Iterator[str]:
    """A row for each time at which something came, a column for each item; empty where it had no value then."""
    yield _line(["time", *(f"{c.item} ({c.unit})" if c.unit else c.item for c in columns)])
    place = {id(column): number for number, column in enumerate(columns)}
    at_us = -1
    cells: list[object] = [None] * len(columns)
    for sample, column in _in_time(columns):
        if sample.utc_us != at_us:
            if at_us >= 0:
                yield _line([iso(at_us), *cells])
            at_us, cells = sample.utc_us, [None] * len(columns)
        cells[place[id(column)]] = sample.value
    if at_us >= 0:
        yield _line([iso(at_us), *cells])


def json_lines(columns: Sequence[Column]) -> Iterator[str]:
    for sample, column in _in_time(columns):
        row = {
            "time": iso(sample.utc_us), "link": column.link, "item": column.item, "value": sample.value,
            "unit": column.unit, "quality": sample.quality.word,
        }  # fmt: skip
        yield json.dumps(row, ensure_ascii=False, separators=(",", ":")) + "\n"


def _in_time(columns: Sequence[Column]) -> list[tuple[Sample, Column]]:
    return sorted(((s, column) for column in columns for s in column.samples), key=lambda pair: pair[0].utc_us)


class ImportTrouble(ValueError):
    """A file of values that cannot be read; the message says where."""


def read_other(text: str, time_column: str, value_column: str, offset_s: float = 0.0) -> list[tuple[int, float]]:
    """(UTC in microseconds, value) of another instrument's CSV. Columns are named by their heading, or by number from
    1; `offset_s` is added to its times. Times are RFC 3339, or seconds since 1970; without a zone they are UTC. Raises
    ImportTrouble."""
    try:
        dialect: type[csv.Dialect] | csv.Dialect = csv.Sniffer().sniff(text[:4096], delimiters=",;\t")
    except csv.Error:
        dialect = csv.excel
    rows = list(csv.reader(io.StringIO(text), dialect))
    if len(rows) < 2:
        raise ImportTrouble("the file has no rows behind its heading")
    head = [cell.strip() for cell in rows[0]]
    time_at, value_at = _place(head, time_column), _place(head, value_column)
    out = []
    for number, row in enumerate(rows[1:], 2):
        if len(row) <= max(time_at, value_at) or not row[value_at].strip():
            continue
        try:
            value = float(row[value_at].strip().replace(",", ".") if dialect.delimiter != "," else row[value_at])
            out.append((_moment_us(row[time_at]) + round(offset_s * 1e6), value))
        except ValueError as error:
            raise ImportTrouble(f"row {number}: {error}") from error
    return sorted(out)


def _place(head: Sequence[str], name: str) -> int:
    if name in head:
        return head.index(name)
    if name.isdecimal() and 1 <= int(name) <= len(head):
        return int(name) - 1
    raise ImportTrouble(f"there is no column {name!r}; there are {', '.join(head)}")


def _moment_us(text: str) -> int:
    text = text.strip()
    try:
        return round(float(text) * 1e6)
    except ValueError:
        pass
    try:
        moment = datetime.fromisoformat(text.replace("Z", "+00:00"))
    except ValueError as error:
        raise ValueError(f"{text[:40]!r} is no time; RFC 3339 or seconds since 1970 are") from error
    return round((moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp() * 1e6)
