"""Values of rounds in the book: written compactly as they come, with summaries by minute and by hour; read by span.

A value's key is its item's number and its millisecond: one row of about twenty bytes. A number that has no more
decimals than its item is kept as a whole number.
"""

from __future__ import annotations

import math
import sqlite3
from collections.abc import Container, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from ordolex.core.watch.samples import Quality, Sample, Value
from ordolex.io.book.rows import BookFile

ITEM_BITS = 42
"""Bits of a key that hold the milliseconds since 1970: enough until the year 2109."""
_TIME = (1 << ITEM_BITS) - 1
MINUTE_MS, HOUR_MS = 60_000, 3_600_000
_MOST_DECIMALS = 9
IMPORTED = "imported: "
"""The name of a round whose values another instrument wrote begins so."""
UNFINISHED = " (not whole)"
"""An import that did not come to its end says so behind its name."""
_MINUTES_UP_TO_S = 10.0
"""Items that are asked more rarely have no summaries by minute: they would be larger than the values."""


@dataclass(frozen=True, slots=True)
class Item:
    """An item of a round as the book knows it."""

    id: int
    round: str
    name: str
    link: int
    unit: str
    question: str
    every_s: float
    decimals: int = 0


@dataclass(frozen=True, slots=True)
class Summary:
    """What was in a stretch of time that began at `utc_us`; low, high and mean are None where no number came."""

    utc_us: int
    count: int
    missing: int
    low: float | None
    high: float | None
    mean: float | None
    deviation: float | None
    """Standard deviation of the values."""


@dataclass(frozen=True, slots=True)
class Message:
    """Something to publish: kept with the values that it is of, until the broker has it."""

    topic: str
    payload: str
    retained: bool


_GOOD = Quality.GOOD


def key_of(item: int, utc_us: int) -> int:
    return item << ITEM_BITS | max(0, utc_us // 1000) & _TIME


class ValueWriter:
    """Writes on the recorder's connection. It remembers the decimals and the newest key of each item."""

    def __init__(self) -> None:
        self._items: dict[int, tuple[int, float]] = {}
        self._newest: dict[int, int] = {}

    @staticmethod
    def keys_of(item: int) -> tuple[int, int]:
        """The first and the last key that values of an item can have."""
        return item << ITEM_BITS, item << ITEM_BITS | _TIME

    def write(self, connection: sqlite3.Connection, samples: Iterable[Sample]) -> None:
        """In the caller's transaction."""
        rows: dict[int, tuple[Any, int]] = {}
        parts: dict[tuple[str, int], list[float]] = {}
        for sample in samples:
            decimals, every_s = self._known(connection, sample)
            key = self._free_key(connection, sample, rows)
            rows[key] = (_packed(sample.value, decimals), int(sample.quality))
            _summed(parts, sample, key, minutes=every_s <= _MINUTES_UP_TO_S)
        connection.executemany(
            "INSERT INTO value (key, value, quality) VALUES (?, ?, ?)", [(key, *row) for key, row in rows.items()]
        )
        for table in ("minute", "hour"):
            connection.executemany(
                f"INSERT INTO {table} (key, count, missing, low, high, total, squares) VALUES (?, ?, ?, ?, ?, ?, ?)"
                " ON CONFLICT (key) DO UPDATE SET count = count + excluded.count, missing = missing + excluded.missing,"
                " low = min(coalesce(low, excluded.low), coalesce(excluded.low, low)),"
                " high = max(coalesce(high, excluded.high), coalesce(excluded.high, high)),"
                " total = total + excluded.total, squares = squares + excluded.squares",
                [
                    (key, int(p[0]), int(p[1]), p[2] if p[0] else None, p[3] if p[0] else None, p[4], p[5])
                    for (name, key), p in parts.items()
                    if name == table
                ],
            )

    def _free_key(self, connection: sqlite3.Connection, sample: Sample, taken: Container[int]) -> int:
        """Its millisecond, or the next one that is free: two in one stand one behind the other, and a clock that was
        set back comes upon times that are there."""
        key = key_of(sample.item, sample.utc_us)
        newest = self._newest.get(sample.item)
        if newest is None:
            row = connection.execute(
                "SELECT max(key) FROM value WHERE key BETWEEN ? AND ?", self.keys_of(sample.item)
            ).fetchone()
            newest = -1 if row[0] is None else int(row[0])
        while key <= newest and (key in taken or _is_there(connection, key)):
            key += 1
        self._newest[sample.item] = max(key, newest)
        return key

    def _known(self, connection: sqlite3.Connection, sample: Sample) -> tuple[int, float]:
        known = self._items.get(sample.item)
        if known is None:
            row = connection.execute("SELECT decimals, every_s FROM item WHERE id = ?", (sample.item,)).fetchone()
            known = self._items[sample.item] = (-1, 1.0) if row is None else (int(row[0]), float(row[1]))
        if known[0] < 0 and isinstance(sample.value, float | int):
            known = self._items[sample.item] = (_decimals(float(sample.value)), known[1])
            connection.execute("UPDATE item SET decimals = ? WHERE id = ?", (known[0], sample.item))
        return known


def _is_there(connection: sqlite3.Connection, key: int) -> bool:
    return connection.execute("SELECT 1 FROM value WHERE key = ?", (key,)).fetchone() is not None


def _decimals(value: float) -> int:
    for decimals in range(_MOST_DECIMALS + 1):
        if round(value, decimals) == value:
            return decimals
    return 0


def _packed(value: Value | None, decimals: int) -> Any:
    """A whole number of the item's last decimals where that is the very same number, else as it is."""
    if value is None or isinstance(value, str):
        return value
    if not math.isfinite(value):
        return None
    if decimals >= 0:
        whole = round(value * 10**decimals)
        if abs(whole) < 1 << 47 and whole / 10**decimals == value:
            return whole
    return float(value)


def _summed(parts: dict[tuple[str, int], list[float]], sample: Sample, key: int, *, minutes: bool) -> None:
    number = sample.value if isinstance(sample.value, float | int) and math.isfinite(sample.value) else None
    for table, span in (("minute", MINUTE_MS), ("hour", HOUR_MS))[0 if minutes else 1 :]:
        at = (key & ~_TIME) | (key & _TIME) // span * span
        part = parts.setdefault((table, at), [0, 0, math.inf, -math.inf, 0.0, 0.0])
        if number is None:
            part[1] += sample.value is None
            continue
        part[0] += 1
        part[2], part[3] = min(part[2], number), max(part[3], number)
        part[4] += number
        part[5] += number * number


class Values:
    """Reads values and summaries. Times are microseconds UTC."""

    def __init__(self, file: BookFile) -> None:
        self._file = file

    @property
    def _has_some(self) -> bool:
        return self._file.read("SELECT 1 FROM sqlite_master WHERE name = 'value'").fetchone() is not None

    def items(self) -> list[Item]:
        if not self._has_some:
            return []
        rows = self._file.read("SELECT id, round, name, link, unit, question, every_s, decimals FROM item ORDER BY id")
        return [Item(*row) for row in rows]

    def rounds(self) -> dict[str, tuple[str, bool]]:
        """Name → (its TOML, whether it ran when the book was last closed)."""
        if not self._has_some:
            return {}
        rows = self._file.read("SELECT name, toml, running FROM round ORDER BY name")
        return {name: (toml, bool(running)) for name, toml, running in rows}

    def between(self, item: int, first_us: int, last_us: int) -> Iterator[Sample]:
        """All values of a span, in order."""
        decimals = self._decimals_of(item)
        span = (key_of(item, first_us), key_of(item, last_us))
        for key, value, quality in self._file.read(
            "SELECT key, value, quality FROM value WHERE key BETWEEN ? AND ? ORDER BY key", span
        ):
            worth = _GOOD if quality == 0 else Quality(quality)
            yield Sample(item, (key & _TIME) * 1000, _unpacked(value, decimals), worth)

    def latest(self, item: int, count: int) -> list[Sample]:
        """The newest values, oldest first."""
        decimals = self._decimals_of(item)
        rows = self._file.read(
            "SELECT key, value, quality FROM value WHERE key BETWEEN ? AND ? ORDER BY key DESC LIMIT ?",
            (*ValueWriter.keys_of(item), count),
        ).fetchall()
        return [Sample(item, (k & _TIME) * 1000, _unpacked(v, decimals), Quality(q)) for k, v, q in reversed(rows)]

    def ends(self, item: int) -> tuple[int, int] | None:
        """When the first and the last value came."""
        span = ValueWriter.keys_of(item)
        found = [
            row[0]
            for way in ("", " DESC")
            if (row := self._file.read(
                f"SELECT key FROM value WHERE key BETWEEN ? AND ? ORDER BY key{way} LIMIT 1", span
            ).fetchone())
        ]  # fmt: skip
        return ((found[0] & _TIME) * 1000, (found[1] & _TIME) * 1000) if len(found) == 2 else None

    def summaries(self, item: int, first_us: int, last_us: int, *, hours: bool) -> list[Summary]:
        """By minute or by hour, those that begin in the span."""
        table, span = ("hour", HOUR_MS) if hours else ("minute", MINUTE_MS)
        begin = key_of(item, first_us // 1000 // span * span * 1000)
        rows = self._file.read(
            f"SELECT key, count, missing, low, high, total, squares FROM {table}"
            " WHERE key BETWEEN ? AND ? ORDER BY key",
            (begin, key_of(item, last_us)),
        )
        return [_summary(row) for row in rows]

    def columns(self, item: int, first_us: int, last_us: int, width: int) -> list[Summary]:
        """A span in at most about `width` columns, each with its lowest and highest value, so that no single spike is
        lost: of the values themselves, or where that would be many, of their summaries."""
        length_us = max(1, last_us - first_us)
        every_us = self._every_us(item)
        if length_us / every_us <= 20_000:
            return columns_of(self.between(item, first_us, last_us), first_us, last_us, width)
        by_hour = length_us / 60_000_000 > 6000 or every_us > _MINUTES_UP_TO_S * 1e6
        return merged(self.summaries(item, first_us, last_us, hours=by_hour), first_us, last_us, width)

    def _decimals_of(self, item: int) -> int:
        row = self._file.read("SELECT decimals FROM item WHERE id = ?", (item,)).fetchone()
        return int(row[0]) if row is not None else -1

    def _every_us(self, item: int) -> float:
        row = self._file.read("SELECT every_s FROM item WHERE id = ?", (item,)).fetchone()
        return max(1000.0, float(row[0]) * 1e6) if row is not None else 1e6

    def waiting(self, after: int, count: int) -> list[tuple[int, Message]]:
        """Messages that no broker has confirmed, in their order, those behind the one of this number."""
        rows = self._file.read(
            "SELECT id, topic, payload, retained FROM outbox WHERE id > ? ORDER BY id LIMIT ?", (after, count)
        )
        return [(id_, Message(topic, payload, bool(retained))) for id_, topic, payload, retained in rows]


def _unpacked(value: Any, decimals: int) -> Value | None:
    if isinstance(value, int):
        return value / 10**decimals if decimals > 0 else float(value)
    return value  # type: ignore[no-any-return]


def _summary(row: Sequence[Any]) -> Summary:
    key, count, missing, low, high, total, squares = row
    mean = total / count if count else None
    spread = math.sqrt(max(0.0, squares / count - mean * mean)) if mean is not None else None
    return Summary((key & _TIME) * 1000, count, missing, low, high, mean, spread)


def columns_of(samples: Iterable[Sample], first_us: int, last_us: int, width: int) -> list[Summary]:
    """Values as columns of equal length; a column without any value and without a missing one is left out."""
    length = max(1, last_us - first_us)
    found: dict[int, list[float]] = {}
    missing: dict[int, int] = {}
    for sample in samples:
        at = min(width - 1, (sample.utc_us - first_us) * width // length)
        if isinstance(sample.value, float | int):
            found.setdefault(at, []).append(float(sample.value))
        else:
            missing[at] = missing.get(at, 0) + (sample.value is None)
    out = []
    for at in sorted(found.keys() | missing.keys()):
        values = found.get(at, [])
        begin = first_us + at * length // width
        mean = sum(values) / len(values) if values else None
        spread = math.sqrt(sum((v - mean) ** 2 for v in values) / len(values)) if mean is not None else None
        low, high = (min(values), max(values)) if values else (None, None)
        out.append(Summary(begin, len(values), missing.get(at, 0), low, high, mean, spread))
    return out


def merged(summaries: Sequence[Summary], first_us: int, last_us: int, width: int) -> list[Summary]:
    """Summaries as columns of equal length; the lowest and the highest of each stay."""
    length = max(1, last_us - first_us)
    groups: dict[int, list[Summary]] = {}
    for one in summaries:
        at = min(width - 1, max(0, (one.utc_us - first_us) * width // length))
        groups.setdefault(at, []).append(one)
    out = []
    for at, group in sorted(groups.items()):
        count = sum(one.count for one in group)
        lows, highs = [g.low for g in group if g.low is not None], [g.high for g in group if g.high is not None]
        mean = sum((g.mean or 0.0) * g.count for g in group) / count if count else None
        squares = sum(((g.deviation or 0.0) ** 2 + (g.mean or 0.0) ** 2) * g.count for g in group)
        spread = math.sqrt(max(0.0, squares / count - mean * mean)) if mean is not None else None
        out.append(
            Summary(
                first_us + at * length // width, count, sum(g.missing for g in group), min(lows, default=None),
                max(highs, default=None), mean, spread,
            )
        )  # fmt: skip
    return out
