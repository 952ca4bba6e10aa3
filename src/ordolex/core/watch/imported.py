"""A table that another instrument wrote, as values by time: its separator, its decimal comma, its time column and form.

What the file does not say is not guessed in silence: where dates can be read in two ways, both are offered.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from ordolex.core.watch.samples import Quality, Sample

LARGEST = 256 << 20
"""Characters of a table that is read; more is refused."""
_LOOKED_AT = 200
_SEPARATORS = (";", "\t", ",", "|")
_HEADING_UNIT = re.compile(
    r"^(.*?)\s*[(\[]([^)\]]{1,16})[)\]]\s*$|^(.*\S)[\s,]+([A-Za-zµ]{1,3}/[A-Za-z0-9³²]{1,4}|%|°[CF])$"
)
_MOST_COLUMNS = 256


class TableError(ValueError):
    """A table that cannot be read; the message says what would be right."""


@dataclass(frozen=True, slots=True)
class Table:
    """headings  of the columns; `column 1` and so on where the file has none
    rows      as text, all of the same number of cells
    odd       lines that had another number of cells, and were left out
    comma     whether numbers are written with a decimal comma
    """

    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    odd: int
    comma: bool


@dataclass(frozen=True, slots=True)
class TimeForm:
    """A way in which times are written. `example` is how such a time looks."""

    name: str
    example: str
    read: Callable[[str], datetime | float]


def _by(*forms: str) -> Callable[[str], datetime]:
    def read(text: str) -> datetime:
        for form in forms:
            try:
                return datetime.strptime(text, form)
            except ValueError:
                continue
        raise ValueError(text)

    return read


def _days(date: str) -> tuple[str, ...]:
    times = ("%H:%M:%S.%f", "%H:%M:%S", "%H:%M", "%I:%M:%S %p", "%I:%M %p")
    return tuple(f"{date}{between}{time}" for time in times for between in (" ", ", ", "T"))


def _unix(low: float, high: float, per_s: float) -> Callable[[str], float]:
    def read(text: str) -> float:
        value = float(text)
        if not low <= value / per_s <= high:
            raise ValueError(text)
        return value / per_s

    return read


_YEARS = (631_152_000.0, 4_102_444_800.0)  # 1990 to 2100
FORMS = (
    TimeForm("ISO 8601", "2026-03-14T06:30:00Z", lambda text: datetime.fromisoformat(text)),
    TimeForm("day.month.year", "14.03.2026 06:30:00", _by(*_days("%d.%m.%Y"), *_days("%d.%m.%y"))),
    TimeForm("day/month/year", "14/03/2026 06:30:00", _by(*_days("%d/%m/%Y"), *_days("%d/%m/%y"), *_days("%d-%m-%Y"))),
    TimeForm("month/day/year", "03/14/2026 06:30:00", _by(*_days("%m/%d/%Y"), *_days("%m/%d/%y"), *_days("%m-%d-%Y"))),
    TimeForm("year/month/day", "2026/03/14 06:30:00", _by(*_days("%Y/%m/%d"), *_days("%Y.%m.%d"))),
    TimeForm("seconds since 1970", "1773469800", _unix(*_YEARS, 1.0)),
    TimeForm("milliseconds since 1970", "1773469800000", _unix(*_YEARS, 1000.0)),
)  # fmt: skip


def read_table(text: str) -> Table:
    """Raises TableError."""
    if len(text) > LARGEST:
        raise TableError(f"it has {len(text)} characters; a table of up to {LARGEST >> 20} MB can be read")
    text = text.removeprefix("\ufeff").replace("\0", "")
    try:
        separator = _separator(text)
        lines = [row for row in csv.reader(io.StringIO(text), delimiter=separator) if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise TableError(f"it is no table of cells: {error}") from error
    if not lines:
        raise TableError("it has no row of cells; a table has a time and values in each line")
    width = _width(lines)
    if width < 2:
        raise TableError("it has one column; a time and values stand beside each other, with , ; or a tab between")
    body = [row for row in lines if len(row) == width]
    headings, rows = _headings(body, width)
    if not rows:
        raise TableError("it has headings, and no row below them")
    comma = separator != "," and _has_comma(rows)
    return Table(headings, tuple(tuple(cell.strip() for cell in row) for row in rows), len(lines) - len(body), comma)


def _separator(text: str) -> str:
    """What stands between cells: what gives most lines the same number of cells, and more than one."""
    first = text.splitlines()[:_LOOKED_AT]
    best, most = ",", 0
    for separator in _SEPARATORS:
        counts = Counter(len(row) for row in csv.reader(first, delimiter=separator) if len(row) > 1)
        found = max(counts.values(), default=0)
        if found > most:
            best, most = separator, found
    return best


def _width(lines: Sequence[Sequence[str]]) -> int:
    counts = Counter(len(row) for row in lines[: 10 * _LOOKED_AT] if len(row) <= _MOST_COLUMNS)
    return counts.most_common(1)[0][0] if counts else 0


def _headings(body: list[list[str]], width: int) -> tuple[tuple[str, ...], list[list[str]]]:
    """A first row without a digit-led cell names the columns; a row of units may follow it."""
    first = [cell.strip() for cell in body[0]]
    if any(_is_value(cell) for cell in first):
        return tuple(f"column {number}" for number in range(1, width + 1)), body
    names = [name or f"column {number}" for number, name in enumerate(first, 1)]
    rest = body[1:]
    if len(rest) > 1 and not any(_is_value(cell) for cell in rest[0]) and any(_is_value(cell) for cell in rest[1]):
        units = [cell.strip().strip("()[]") for cell in rest[0]]
        names = [f"{name} ({unit})" if unit else name for name, unit in zip(names, units, strict=True)]
        rest = rest[1:]
    seen: Counter[str] = Counter()
    out = []
    for name in names:
        seen[name] += 1
        out.append(name if seen[name] == 1 else f"{name} {seen[name]}")
    return tuple(out), rest


def _is_value(cell: str) -> bool:
    return bool(re.match(r"[+-]?[.,]?\d", cell.strip()))


def _has_comma(rows: Sequence[Sequence[str]]) -> bool:
    cells = [cell.strip() for row in rows[:_LOOKED_AT] for cell in row]
    commas = sum(bool(re.fullmatch(r"[+-]?\d+,\d+", cell)) for cell in cells)
    points = sum(bool(re.fullmatch(r"[+-]?\d+\.\d+", cell)) for cell in cells)
    return commas > points


# ---- times


def cells_of(table: Table, column: int) -> list[str]:
    """A column's cells; where the one beside it holds the time of day, both."""
    return [_joined(row, column) for row in table.rows]


def _joined(row: Sequence[str], column: int) -> str:
    cell = row[column]
    beside = row[column + 1] if column + 1 < len(row) else ""
    if re.fullmatch(r"\d{1,4}[./-]\d{1,2}[./-]\d{1,4}", cell) and re.fullmatch(
        r"\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?( ?[AaPp][Mm])?", beside
    ):
        return f"{cell} {beside.replace(',', '.')}"
    return cell


def forms_of(table: Table, column: int) -> list[TimeForm]:
    """The forms in which all of the column's times (but one in a hundred) can be read. Two where days and months cannot
    be told apart."""
    cells = [cell for cell in cells_of(table, column)[: 10 * _LOOKED_AT] if cell]
    out = []
    for form in FORMS:
        read = sum(_moment(cell, form, table.comma) is not None for cell in cells)
        if cells and read >= max(1, 0.99 * len(cells)):
            out.append(form)
    return out


def time_columns(table: Table) -> list[int]:
    """Columns that can be times, the likeliest first: one whose times go forward."""
    found = []
    for column in range(len(table.headings)):
        forms = forms_of(table, column)
        if forms:
            named = bool(re.search(r"time|date|zeit|datum|uhr|utc|hora|heure", table.headings[column], re.IGNORECASE))
            found.append((not named, len(forms[0].name) > 25, column))
    return [column for *_, column in sorted(found)]


def _moment(cell: str, form: TimeForm, comma: bool) -> datetime | float | None:
    try:
        return form.read(cell.replace(",", ".") if comma else cell)
    except (ValueError, OverflowError):
        return None


def times_us(table: Table, column: int, form: TimeForm, offset_s: float = 0.0) -> list[int | None]:
    """When each row was, in µs UTC, moved by the offset; None where it cannot be read. A time without a zone is one of
    this computer's."""
    out: list[int | None] = []
    shift = timedelta(seconds=offset_s)
    for cell in cells_of(table, column):
        moment = _moment(cell, form, table.comma)
        if moment is None:
            out.append(None)
            continue
        try:
            when = datetime.fromtimestamp(moment, UTC) if isinstance(moment, float) else moment
            out.append(round((when + shift).timestamp() * 1e6))
        except (ValueError, OverflowError, OSError):
            out.append(None)
    return out


# ---- values


@dataclass(frozen=True, slots=True)
class Imported:
    """One column as values; `unreadable` cells were neither a number nor empty."""

    name: str
    unit: str
    samples: tuple[Sample, ...]
    unreadable: int
    empty: int


def value_columns(table: Table, time_column: int) -> list[int]:
    """The columns that hold numbers, at least one in two of their filled cells."""
    out = []
    skipped = {time_column}
    if any(_joined(row, time_column) != row[time_column] for row in table.rows[:1]):
        skipped.add(time_column + 1)
    for column in range(len(table.headings)):
        cells = [row[column] for row in table.rows[: 10 * _LOOKED_AT] if row[column]]
        numbers = sum(_number(cell, table.comma) is not None for cell in cells)
        if column not in skipped and cells and 2 * numbers >= len(cells):
            out.append(column)
    return out


def _number(cell: str, comma: bool) -> float | None:
    try:
        value = float(cell.replace(",", ".") if comma else cell)
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def imported(table: Table, times: Sequence[int | None], column: int, item: int = 0) -> Imported:
    """A column's values at these times, in the order of time; `item` is its number in the book."""
    heading = table.headings[column]
    found = _HEADING_UNIT.match(heading)
    name, unit = (found[1] or found[3] or heading, found[2] or found[4]) if found else (heading, "")
    samples, unreadable, empty = [], 0, 0
    for row, at_us in zip(table.rows, times, strict=True):
        if not row[column]:
            empty += 1
            continue
        value = _number(row[column], table.comma)
        if at_us is None or value is None or at_us < 0:
            unreadable += 1
            continue
        samples.append(Sample(item, at_us, value, Quality.GOOD))
    samples.sort(key=lambda sample: sample.utc_us)
    return Imported(name, unit, tuple(samples), unreadable, empty)
