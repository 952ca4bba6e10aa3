"""The chain of a book, kept while it is recorded."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from ordolex.core.record.chain import BEFORE, Hash, Hashed, Hashing, Segment
from ordolex.io.book.rows import CHUNK

EVENT = "id, visit, link, utc_us, mono_us, kind, text, detail"


class HashingBeside(Hashing):
    """In a thread of its own: a hash lets others run, and the recorder writes meanwhile."""

    def __init__(self) -> None:
        self._thread = ThreadPoolExecutor(1, "chain")
        self._going: list[Future[None]] = []

    def update(self, hashed: Hash, data: bytes) -> None:
        self._going.append(self._thread.submit(hashed.update, data))

    def settle(self) -> None:
        going, self._going = self._going, []
        for one in going:
            one.result()

    def close(self) -> None:
        self._thread.shutdown()


def begun(connection: sqlite3.Connection, hashing: Hashing | None = None) -> Hashed:
    """The segment that goes on: behind the last one, with the rows that came since. A book without any begins here."""
    row = connection.execute(
        "SELECT id, chunk_to, event_to, utc_us, sha256 FROM segment ORDER BY id DESC LIMIT 1"
    ).fetchone()
    if row is None:
        newest = "SELECT (SELECT coalesce(max(id), 0) FROM chunk), (SELECT coalesce(max(id), 0) FROM event)"
        chunk_to, event_to = connection.execute(newest).fetchone()
        row = (0, chunk_to, event_to, 0, BEFORE)
        connection.execute("INSERT INTO segment VALUES (?, ?, ?, ?, ?)", row)
    hashed = Hashed(Segment(*row), hashing)
    for chunk in connection.execute(f"SELECT {CHUNK} FROM chunk WHERE id > ? ORDER BY id", (row[1],)):
        hashed.chunk(chunk)
    for event in connection.execute(f"SELECT {EVENT} FROM event WHERE id > ? ORDER BY id", (row[2],)):
        hashed.event(event)
    return hashed


def seal(connection: sqlite3.Connection, hashed: Hashed, utc_us: int, hashing: Hashing | None = None) -> Hashed:
    """Ends the segment, in the transaction that is open; the next one. What the book says besides its rows (links with
    their places and settings, visits, bytes that left, where the chain begins) goes under the hash where it changed."""
    state = state_of(lambda sql: connection.execute(sql).fetchall())
    new = "" if state == last_state(lambda sql: connection.execute(sql).fetchall()) else state
    segment = hashed.sealed(utc_us, new)
    connection.execute(
        "INSERT INTO segment VALUES (?, ?, ?, ?, ?)",
        (segment.id, segment.chunk_to, segment.event_to, segment.utc_us, segment.sha256),
    )
    if new:
        connection.execute("INSERT OR REPLACE INTO state VALUES (?, ?)", (segment.id, new))
    return Hashed(segment, hashing)


def has_changed(connection: sqlite3.Connection) -> bool:
    """Whether the book says something besides its rows that no segment holds."""

    def ask(sql: str) -> list[Any]:
        return connection.execute(sql).fetchall()

    return state_of(ask) != last_state(ask)


_STATE = {
    "site": "SELECT name, created_utc_us FROM site",
    "visits": "SELECT id, started_utc_us, started_mono_us, ended_utc_us, program FROM visit ORDER BY id",
    "links": "SELECT * FROM link ORDER BY id",
    "adapters": "SELECT identity, name FROM adapter ORDER BY identity",
    "gone": "SELECT chunk_to, utc_us, volume FROM gone ORDER BY rowid",
    "begins": "SELECT chunk_to, event_to FROM segment ORDER BY id LIMIT 1",
}
"""What is kept with a segment besides its rows: what is found so, as rows in their order (docs/book.md)."""


def state_of(ask: Callable[[str], list[Any]]) -> str:
    return json.dumps({name: ask(sql) for name, sql in _STATE.items()}, ensure_ascii=False, default=repr)


def last_state(ask: Callable[[str], list[Any]]) -> str:
    rows = ask("SELECT text FROM state WHERE segment IN (SELECT id FROM segment) ORDER BY segment DESC LIMIT 1")
    return str(rows[0][0]) if rows else ""


def rows_left(connection: sqlite3.Connection, upto: int, utc_us: int, into: str) -> None:
    """Keeps that rows of bytes up to this id left the book, and where they went; `into` is empty for nowhere."""
    connection.execute("INSERT INTO gone (chunk_to, utc_us, volume) VALUES (?, ?, ?)", (upto, utc_us, into))
