"""Weeks in one book: older bytes go into volumes beside it, and values that are old enough leave; summaries stay.

It is done in the recorder's thread, a piece at a time, so that nobody waits long. A volume is a book of its own, whole
before the bytes leave this one: whoever is killed in between finds them in both, never in none.
"""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from pathlib import Path

from ordolex.io.book.book import make_book
from ordolex.io.book.values import key_of
from ordolex.io.book.volumes import Limit

_PIECE = 5000
"""Rows that are moved or dropped at once."""
_NEWEST_US = 60_000_000
"""The last minute stays: it is what is being looked at."""
_DAY_US = 86_400_000_000


@dataclass(frozen=True, slots=True)
class Keeping:
    """limit        bytes recorded, or seconds, after which older bytes go into the next volume
    bytes_days   bytes older than this are dropped; None: never
    values_days  values older than this are dropped; None: never
    """

    limit: Limit | None = None
    bytes_days: float | None = None
    values_days: float | None = None


@dataclass(slots=True)
class Turned:
    """What one turn did. `more` says that there is more of it to do."""

    moved: int = 0
    dropped: int = 0
    values: int = 0
    volume: str = ""
    more: bool = False

    @property
    def words(self) -> str:
        parts = []
        if self.moved:
            parts.append(f"{self.moved} pieces went into {self.volume}")
        if self.dropped:
            parts.append(f"{self.dropped} pieces of bytes were old enough to go")
        if self.values:
            parts.append(f"{self.values} values were old enough to go; their summaries stay")
        return ", ".join(parts)


class Turner:
    """Call `turn` now and then on the recorder's connection, in a transaction. `now_us` is UTC."""

    def __init__(self, book: Path, keeping: Keeping) -> None:
        self._book, self._keeping = book, keeping
        self._upto: int | None = None
        self._volume: Path | None = None

    def turn(self, connection: sqlite3.Connection, now_us: int) -> Turned:
        done = Turned()
        if self._upto is None and self._is_due(connection, now_us):
            row = connection.execute("SELECT max(id) FROM chunk WHERE utc_us < ?", (now_us - _NEWEST_US,)).fetchone()
            if row[0] is not None:
                self._upto, self._volume = int(row[0]), self._next_volume(connection)
        if self._upto is not None and self._volume is not None:
            self._move(connection, self._volume, done)
        if self._keeping.bytes_days is not None:
            before = now_us - round(self._keeping.bytes_days * _DAY_US)
            sql = "DELETE FROM chunk WHERE id IN (SELECT id FROM chunk WHERE utc_us < ? ORDER BY id LIMIT ?)"
            done.dropped = connection.execute(sql, (before, _PIECE)).rowcount
            done.more |= done.dropped == _PIECE
        if self._keeping.values_days is not None:
            self._drop_values(connection, now_us - round(self._keeping.values_days * _DAY_US), done)
        return done

    def _is_due(self, connection: sqlite3.Connection, now_us: int) -> bool:
        limit = self._keeping.limit
        if limit is None:
            return False
        if limit.seconds is not None:
            row = connection.execute("SELECT utc_us FROM chunk ORDER BY id LIMIT 1").fetchone()
            return row is not None and now_us - row[0] > limit.seconds * 1e6
        (size,) = connection.execute("SELECT coalesce(sum(length(data)), 0) FROM chunk").fetchone()
        return limit.count is not None and size > limit.count

    def _next_volume(self, connection: sqlite3.Connection) -> Path:
        number = 1
        while (path := self._book.with_name(f"{self._book.stem}.{number}{self._book.suffix}")).exists():
            number += 1
        (site,) = connection.execute("SELECT name FROM site").fetchone() or (self._book.stem,)
        make_book(path, site)
        with sqlite3.connect(path) as volume:
            for table in ("visit", "link"):
                rows = connection.execute(f"SELECT * FROM {table}").fetchall()
                if rows:
                    marks = ", ".join("?" * len(rows[0]))
                    volume.executemany(f"INSERT OR IGNORE INTO {table} VALUES ({marks})", rows)
        volume.close()
        return path

    def _move(self, connection: sqlite3.Connection, path: Path, done: Turned) -> None:
        upto = self._upto
        rows = connection.execute("SELECT * FROM chunk WHERE id <= ? ORDER BY id LIMIT ?", (upto, _PIECE)).fetchall()
        if not rows:
            self._upto = self._volume = None
            return
        volume = sqlite3.connect(path)
        try:
            volume.execute("PRAGMA synchronous = FULL")
            with volume:
                marks = ", ".join("?" * len(rows[0]))
                volume.executemany(f"INSERT OR IGNORE INTO chunk VALUES ({marks})", rows)
        finally:
            volume.close()
        connection.execute("DELETE FROM chunk WHERE id <= ?", (rows[-1][0],))
        done.moved, done.volume, done.more = len(rows), path.name, True

    def _drop_values(self, connection: sqlite3.Connection, before_us: int, done: Turned) -> None:
        for (item,) in connection.execute("SELECT id FROM item").fetchall():
            first, last = key_of(item, 0), key_of(item, before_us)
            sql = "DELETE FROM value WHERE key IN (SELECT key FROM value WHERE key BETWEEN ? AND ? LIMIT ?)"
            count = connection.execute(sql, (first, last, _PIECE)).rowcount
            done.values += count
            done.more |= count == _PIECE
