"""Weeks in one book: older bytes go into volumes beside it, and values that are old enough leave; summaries stay.

It is done in the recorder's thread, a piece at a time, so that nobody waits long. A volume is a book of its own, whole
before the bytes leave this one: whoever is killed in between finds them in both, never in none, and the next turn takes
them out of this one.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import takewhile
from pathlib import Path

from ordolex.core.text.counts import counted
from ordolex.io.book.book import make_book
from ordolex.io.book.chain import rows_left
from ordolex.io.book.rows import PIECE
from ordolex.io.book.values import ValueWriter, key_of
from ordolex.io.system.faults import Fault

_PIECE = 5000
"""Rows that are moved or dropped at once."""
_PACKS_AT_ONCE = 4
_PACKS = "SELECT id, chunk_to, last_utc_us, rows FROM pack"
_PackSpan = tuple[int, int, int, int]
"""First and last row, the last time, number of rows."""
_DAY_US = 86_400_000_000
_UNITS = {"KB": 1000, "MB": 1000**2, "GB": 1000**3}
_TIMES = {"MIN": 60.0, "H": 3600.0, "D": 86_400.0}


@dataclass(frozen=True, slots=True)
class Limit:
    """bytes recorded, or seconds, after which older bytes go into the next volume; one of the two"""

    count: int | None = None
    seconds: float | None = None


_DIGITS = 12


def read_limit(text: str) -> Limit:
    """`500MB`, `2GB`, `24h`, `30min`, `7d`. Raises a Fault."""
    found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*([A-Za-z]+)", text.strip())
    unit = found[2].upper() if found else ""
    if found is None or len(found[1]) > _DIGITS or float(found[1]) <= 0 or unit not in _UNITS | _TIMES:
        raise Fault(f"{text[:20]!r} is no size or time", "write such as 500MB, 2GB, 24h or 7d")
    if unit in _UNITS:
        return Limit(count=max(1, round(float(found[1]) * _UNITS[unit])))
    return Limit(seconds=float(found[1]) * _TIMES[unit])


@dataclass(frozen=True, slots=True)
class Keeping:
    """limit        bytes recorded, or seconds, after which older bytes go into the next volume
    bytes_days   bytes older than this are dropped; None: never
    values_days  values older than this are dropped; None: never
    newest_s     what is younger than this stays here: it is what is being looked at
    """

    limit: Limit | None = None
    bytes_days: float | None = None
    values_days: float | None = None
    newest_s: float = 60.0


def together(wanted: Iterable[Keeping]) -> Keeping:
    """What several want of one book: the first limit that is given, and the shortest of each time."""
    every = list(wanted)
    limit = next((one.limit for one in every if one.limit is not None), None)
    bytes_days = min((one.bytes_days for one in every if one.bytes_days is not None), default=None)
    values_days = min((one.values_days for one in every if one.values_days is not None), default=None)
    return Keeping(limit, bytes_days, values_days, max((one.newest_s for one in every), default=60.0))


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
            parts.append(f"{counted(self.moved, 'piece')} went into {self.volume}")
        if self.dropped:
            parts.append(f"{counted(self.dropped, 'piece')} of bytes went, old enough to go")
        if self.values:
            parts.append(f"{counted(self.values, 'value')} went, old enough to go; summaries stay")
        return ", ".join(parts)


def _last_before(connection: sqlite3.Connection, utc_us: int) -> int | None:
    """The last row that is not later than this; of packs whole ones. The newest row always stays, so that its number is
    never given again."""
    sql = "SELECT max(id) FROM chunk WHERE utc_us <= ? AND id < (SELECT max(id) FROM chunk)"
    (loose,) = connection.execute(sql, (utc_us,)).fetchone()
    if loose is not None:
        return int(loose)
    (packed,) = connection.execute("SELECT max(chunk_to) FROM pack WHERE last_utc_us <= ?", (utc_us,)).fetchone()
    return None if packed is None else int(packed)


def _packs_also_in(connection: sqlite3.Connection, volume: sqlite3.Connection) -> list[_PackSpan]:
    """Packs of the book that stand in a volume too, from the first on."""
    if not volume.execute("SELECT 1 FROM sqlite_master WHERE name = 'pack'").fetchone():
        return []
    there = set(volume.execute("SELECT id, heads FROM pack"))
    own = connection.execute("SELECT id, chunk_to, last_utc_us, rows, heads FROM pack ORDER BY id")
    return [pack[:4] for pack in takewhile(lambda pack: (pack[0], pack[4]) in there, own)]


def _drop_packs(connection: sqlite3.Connection, packs: Iterable[_PackSpan]) -> None:
    firsts = [(pack[0],) for pack in packs]
    connection.executemany("DELETE FROM piece WHERE pack = ?", firsts)
    connection.executemany("DELETE FROM pack WHERE id = ?", firsts)


class Turner:
    """Call `turn` now and then on the recorder's connection, in a transaction. `now_us` is UTC. `volumes` are those
    that it made, oldest first."""

    def __init__(self, book: Path, keeping: Keeping) -> None:
        self._book, self._keeping = book, keeping
        self._upto: int | None = None
        self._volume: Path | None = None
        self._counted = 0  # the newest piece whose bytes are in `_size`
        self._size = 0
        self._looked_for_doubles = False
        self.volumes: list[Path] = []

    def turn(self, connection: sqlite3.Connection, now_us: int) -> Turned:
        done = Turned()
        if self._upto is None and self._is_due(connection, now_us):
            upto = _last_before(connection, now_us - round(self._keeping.newest_s * 1e6))
            if upto is not None:
                self._drop_doubles(connection)
                self._upto, self._volume = upto, self._next_volume(connection)
        if self._upto is not None and self._volume is not None:
            self._move(connection, self._volume, done, now_us)
        if self._keeping.bytes_days is not None:
            self._drop_bytes(connection, now_us - round(self._keeping.bytes_days * _DAY_US), done, now_us)
        if self._keeping.values_days is not None:
            self._drop_values(connection, now_us - round(self._keeping.values_days * _DAY_US), done)
        return done

    def _is_due(self, connection: sqlite3.Connection, now_us: int) -> bool:
        limit = self._keeping.limit
        if limit is None:
            return False
        if limit.seconds is not None:
            row = connection.execute("SELECT first_utc_us FROM pack ORDER BY id LIMIT 1").fetchone()
            row = row or connection.execute("SELECT utc_us FROM chunk ORDER BY id LIMIT 1").fetchone()
            return row is not None and now_us - row[0] > limit.seconds * 1e6
        packed = "SELECT bytes * (chunk_to - max(id - 1, ?)) / (chunk_to - id + 1) FROM pack WHERE chunk_to > ?"
        self._size += sum(size for (size,) in connection.execute(packed, (self._counted, self._counted)))
        size, newest = connection.execute(
            "SELECT coalesce(sum(length(data)), 0), max(id) FROM chunk WHERE id > ?", (self._counted,)
        ).fetchone()
        self._size += size
        self._counted = self._counted if newest is None else newest
        return limit.count is not None and self._size > limit.count

    def _drop_doubles(self, connection: sqlite3.Connection) -> None:
        """Who was killed between the two steps of a move has the same pieces here and in the newest volume."""
        if self._looked_for_doubles:
            return
        self._looked_for_doubles = True
        number, newest = 1, None
        while (path := self._path(number)).exists():
            number, newest = number + 1, path
        if newest is None:
            return
        try:
            volume = sqlite3.connect(f"{newest.absolute().as_uri()}?mode=ro", uri=True)
            try:
                packs = _packs_also_in(connection, volume)
                (first,) = connection.execute("SELECT coalesce(min(id), 0) FROM chunk").fetchone()
                rows = volume.execute(
                    "SELECT id, utc_us, mono_us, data FROM chunk WHERE id >= ? ORDER BY id LIMIT ?", (first, 2 * _PIECE)
                ).fetchall()
            finally:
                volume.close()
        except sqlite3.Error:
            return  # it is no volume of ours, or damaged: then nothing is taken for a double
        if packs:
            _drop_packs(connection, packs)
            rows_left(connection, packs[-1][1], packs[-1][2], newest.name)
        sql = "DELETE FROM chunk WHERE id = ? AND utc_us = ? AND mono_us = ? AND data = ?"
        doubled = connection.executemany(sql, rows).rowcount
        if doubled > 0:
            rows_left(connection, rows[doubled - 1][0], rows[doubled - 1][1], newest.name)

    def _path(self, number: int) -> Path:
        return self._book.with_name(f"{self._book.stem}.{number}{self._book.suffix}")

    def _next_volume(self, connection: sqlite3.Connection) -> Path:
        number = 1
        while (path := self._path(number)).exists():
            number += 1
        (site,) = connection.execute("SELECT name FROM site").fetchone() or (self._book.stem,)
        make_book(path, site)
        with sqlite3.connect(path) as volume:
            for table in ("visit", "link"):  # by name: the columns of a book that was renewed stand in another order
                found = connection.execute(f"SELECT * FROM {table}")
                names = [column[0] for column in found.description]
                marks = ", ".join("?" * len(names))
                volume.executemany(f"INSERT OR IGNORE INTO {table} ({', '.join(names)}) VALUES ({marks})", found)
        volume.close()
        self.volumes.append(path)
        return path

    def _move(self, connection: sqlite3.Connection, path: Path, done: Turned, now_us: int) -> None:
        upto = self._upto
        packs = connection.execute(
            f"{_PACKS} WHERE chunk_to <= ? ORDER BY id LIMIT {_PACKS_AT_ONCE}", (upto,)
        ).fetchall()
        if packs:
            self._move_packs(connection, path, packs, done, now_us)
            return
        rows = connection.execute("SELECT * FROM chunk WHERE id <= ? ORDER BY id LIMIT ?", (upto, _PIECE)).fetchall()
        if not rows:
            self._upto = self._volume = None
            self._size = self._counted = 0
            return
        volume = sqlite3.connect(path)
        try:
            volume.execute("PRAGMA synchronous = FULL")
            with volume:
                marks = ", ".join("?" * len(rows[0]))
                volume.executemany(f"INSERT INTO chunk VALUES ({marks})", rows)
        except sqlite3.IntegrityError:  # a number is there already: nothing is put over it, another volume begins
            self._volume = self._next_volume(connection)
            done.more = True
            return
        finally:
            volume.close()
        connection.execute("DELETE FROM chunk WHERE id <= ?", (rows[-1][0],))
        rows_left(connection, rows[-1][0], now_us, path.name)
        done.moved, done.volume, done.more = len(rows), path.name, True

    def _move_packs(
        self, connection: sqlite3.Connection, path: Path, packs: list[_PackSpan], done: Turned, now_us: int
    ) -> None:
        volume = sqlite3.connect(path)
        try:
            volume.execute("PRAGMA synchronous = FULL")
            with volume:
                for first, *_ in packs:
                    row = connection.execute("SELECT * FROM pack WHERE id = ?", (first,)).fetchone()
                    volume.execute(f"INSERT INTO pack VALUES ({', '.join('?' * len(row))})", row)
                    pieces = connection.execute(f"SELECT {PIECE} FROM piece WHERE pack = ? ORDER BY id", (first,))
                    marks = ", ".join("?" * (PIECE.count(",") + 1))
                    volume.executemany(f"INSERT INTO piece ({PIECE}) VALUES ({marks})", pieces)
        except sqlite3.IntegrityError:  # as below
            self._volume = self._next_volume(connection)
            done.more = True
            return
        finally:
            volume.close()
        _drop_packs(connection, packs)
        rows_left(connection, packs[-1][1], now_us, path.name)
        done.moved, done.volume, done.more = sum(pack[3] for pack in packs), path.name, True

    def _drop_bytes(self, connection: sqlite3.Connection, before_us: int, done: Turned, now_us: int) -> None:
        oldest = connection.execute(f"{_PACKS} ORDER BY id LIMIT {_PACKS_AT_ONCE}").fetchall()
        packs = list(takewhile(lambda pack: pack[2] < before_us, oldest))
        if packs:
            _drop_packs(connection, packs)
            done.dropped = sum(pack[3] for pack in packs)
        elif not oldest:
            sql = (
                "DELETE FROM chunk WHERE id IN (SELECT id FROM chunk WHERE utc_us < ?"
                " AND id < (SELECT max(id) FROM chunk) ORDER BY id LIMIT ?)"
            )
            done.dropped = connection.execute(sql, (before_us, _PIECE)).rowcount
        done.more |= bool(packs) or done.dropped == _PIECE
        if done.dropped:
            first = "SELECT coalesce((SELECT min(id) FROM pack), (SELECT min(id) FROM chunk), 1)"
            rows_left(connection, connection.execute(first).fetchone()[0] - 1, now_us, "")
            self._counted = self._size = 0

    def _drop_values(self, connection: sqlite3.Connection, before_us: int, done: Turned) -> None:
        for (item,) in connection.execute("SELECT id FROM item").fetchall():
            first, last = ValueWriter.keys_of(item)[0], key_of(item, before_us)
            sql = "DELETE FROM value WHERE key IN (SELECT key FROM value WHERE key BETWEEN ? AND ? LIMIT ?)"
            count = connection.execute(sql, (first, last, _PIECE)).rowcount
            done.values += count
            done.more |= count == _PIECE
