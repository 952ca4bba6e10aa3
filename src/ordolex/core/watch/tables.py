"""Values as files: CSV (RFC 4180), long or wide, and JSON lines."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

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
    around = {
        id(column): (_line([column.link, column.item]).rstrip("\r\n"), _line([column.unit]).rstrip("\r\n"))
        for column in columns
    }
    for sample, column in _in_time(columns):
        whose, unit = around[id(column)]
        value = sample.value
        said: object = value
        if type(value) is not float:
            said = value if isinstance(value, int) else "" if value is None else _line([value]).rstrip("\r\n")
        yield f"{_iso(sample.utc_us)},{whose},{said},{unit},{sample.quality.word}\r\n"


@lru_cache(1 << 16)  # items of a round have their values in the same seconds, and come one behind the other
def _second(utc_s: int) -> str:
    return iso(utc_s * 1_000_000)[:-5]


def _iso(utc_us: int) -> str:
    """The same as `iso`, for many of one second."""
    seconds, rest = divmod(utc_us, 1_000_000)
    return f"{_second(seconds)}.{rest // 1000:03d}Z"


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


def _in_time(columns: Sequence[Column]) -> Iterable[tuple[Sample, Column]]:
    if len(columns) == 1:
        return ((sample, columns[0]) for sample in columns[0].samples)  # they are in order
    return sorted(((s, column) for column in columns for s in column.samples), key=lambda pair: pair[0].utc_us)
