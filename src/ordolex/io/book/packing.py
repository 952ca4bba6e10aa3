"""Turns rows of bytes into packs: what is under the chain, a megabyte or some thousand rows at a time.

A pack takes the place of its rows in one transaction, so that whoever is killed leaves the one or the other. Packs hold
the rows from the first one on, without a gap; the last row that is under the chain always stays as it is.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ordolex.core.record.packed import PackError, Row, heads_of, pieces_of
from ordolex.core.text.counts import counted
from ordolex.io.book import schema
from ordolex.io.book.lock import BookLock
from ordolex.io.book.rows import CHUNK, PIECE
from ordolex.io.system.faults import BookFault

PACK_BYTES, PACK_ROWS = 1 << 20, 8000
"""A pack is made when so much waits, and is larger by less than a row."""


class Packer:
    """`stuck`: whether there is a row that cannot be packed, which no recorder wrote. It and what is behind it stay as
    they are."""

    def __init__(self) -> None:
        self.stuck = False

    def turn(self, connection: sqlite3.Connection, *, rest: bool = False) -> int:
        """Rows that it packed, in the transaction that is open; with `rest` also fewer than make a whole pack. Raises
        sqlite3.Error."""
        after, upto = _span(connection)
        if self.stuck or not (rest or _is_enough(connection, after, upto)):
            return 0
        try:
            rows = _taken(connection, after, upto)
            if rows:
                _put(connection, rows)
        except PackError:
            self.stuck = True
            return 0
        return len(rows)


def waiting(connection: sqlite3.Connection) -> int:
    """Rows that may be packed."""
    (count,) = connection.execute("SELECT count(*) FROM chunk WHERE id > ? AND id < ?", _span(connection)).fetchone()
    return int(count)


@dataclass(frozen=True, slots=True)
class Packed:
    """Rows that were packed, and bytes of the file before and after."""

    rows: int
    before: int
    after: int

    @property
    def words(self) -> str:
        if not self.rows:
            return "nothing to pack: what can be packed is packed"
        return f"{counted(self.rows, 'row')} packed; the file had {self.before} bytes and has {self.after}"


def pack_book(path: Path, told: Callable[[int, int], None] = lambda done, of: None) -> Packed:
    """Packs all that may be, and gives back the room in the file, where the disk has room for that. `told`: rows packed
    so far, and how many there were. Who is killed on the way leaves a book that is packed so far. Raises a Fault."""
    from ordolex.io.book.book import examine

    examine(path)
    lock = BookLock(path)
    try:
        connection = sqlite3.connect(path, timeout=2.0, isolation_level=None)
        try:
            schema.check(connection, path)
            schema.renew(connection)
            return _pack_all(connection, path, told)
        finally:
            connection.close()
    except (sqlite3.Error, OSError) as error:
        advice = "make room on the disk; what is packed so far is packed"
        raise BookFault(f"{path} cannot be written: {error}", advice) from error
    finally:
        lock.release()


def _pack_all(connection: sqlite3.Connection, path: Path, told: Callable[[int, int], None]) -> Packed:
    before, count = path.stat().st_size, waiting(connection)
    packer, done = Packer(), 0
    while True:
        connection.execute("BEGIN IMMEDIATE")
        now = packer.turn(connection, rest=True)
        connection.execute("COMMIT")
        if not now:
            break
        done += now
        told(done, count)
    if done:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        with contextlib.suppress(sqlite3.Error):  # such as a full disk: the free room is used again by what comes
            connection.execute("VACUUM")
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return Packed(done, before, path.stat().st_size)


def _span(connection: sqlite3.Connection) -> tuple[int, int]:
    """Behind which row there is something to pack, and before which."""
    (sealed,) = connection.execute("SELECT chunk_to FROM segment ORDER BY id DESC LIMIT 1").fetchone() or (0,)
    (packed,) = connection.execute("SELECT chunk_to FROM pack ORDER BY id DESC LIMIT 1").fetchone() or (-1,)
    return int(packed), int(sealed)


def _is_enough(connection: sqlite3.Connection, after: int, upto: int) -> bool:
    """Looked at without reading the bytes."""
    sql = "SELECT length(data) FROM chunk WHERE id > ? AND id < ? ORDER BY id LIMIT ?"
    size = count = 0
    for (length,) in connection.execute(sql, (after, upto, PACK_ROWS)):
        size, count = size + (length or 0), count + 1
        if size >= PACK_BYTES:
            return True
    return count == PACK_ROWS


def _taken(connection: sqlite3.Connection, after: int, upto: int) -> list[Row]:
    """Raises PackError."""
    sql = f"SELECT {CHUNK} FROM chunk WHERE id > ? AND id < ? ORDER BY id LIMIT {PACK_ROWS}"
    rows: list[Row] = []
    size = 0
    for row in connection.execute(sql, (after, upto)):
        if not isinstance(row[11], bytes):
            raise PackError(f"row {row[0]} has no bytes")
        rows.append(row)
        size += len(row[11])
        if size >= PACK_BYTES:
            break
    return rows


def _put(connection: sqlite3.Connection, rows: list[Row]) -> None:
    """Raises PackError, before anything is written."""
    heads, pieces = heads_of(rows), list(pieces_of(rows))
    first, last = rows[0][0], rows[-1][0]
    utc = [row[4] for row in rows]
    size = sum(piece.size for piece in pieces)
    connection.execute(
        "INSERT INTO pack VALUES (?, ?, ?, ?, ?, ?, ?)", (first, last, min(utc), max(utc), len(rows), size, heads)
    )
    connection.executemany(
        f"INSERT INTO piece ({PIECE}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [(first, p.link, p.direction, p.at, p.size, p.text, p.packed, p.head, p.tail, p.grams, p.data) for p in pieces],
    )
    connection.execute("DELETE FROM chunk WHERE id >= ? AND id <= ?", (first, last))
