"""The chain of a book: kept while it is recorded, and held against what is in the book now."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ordolex.core.record.chain import BEFORE, Hash, Hashed, Hashing, Segment
from ordolex.core.text.counts import counted
from ordolex.io.book.rows import BookFile, damaged

_CHUNK = "id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"
_EVENT = "id, visit, link, utc_us, mono_us, kind, text, detail"


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
    for chunk in connection.execute(f"SELECT {_CHUNK} FROM chunk WHERE id > ? ORDER BY id", (row[1],)):
        hashed.chunk(chunk)
    for event in connection.execute(f"SELECT {_EVENT} FROM event WHERE id > ? ORDER BY id", (row[2],)):
        hashed.event(event)
    return hashed


def seal(connection: sqlite3.Connection, hashed: Hashed, utc_us: int, hashing: Hashing | None = None) -> Hashed:
    """Ends the segment, in the transaction that is open; the next one. What the book says besides its rows (links with
    their places and settings, visits, bytes that left, where the chain begins) goes under the hash where it changed."""
    state = _state_of(lambda sql: connection.execute(sql).fetchall())
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

    return _state_of(ask) != last_state(ask)


_STATE = {
    "site": "SELECT name, created_utc_us FROM site",
    "visits": "SELECT id, started_utc_us, started_mono_us, ended_utc_us, program FROM visit ORDER BY id",
    "links": "SELECT * FROM link ORDER BY id",
    "adapters": "SELECT identity, name FROM adapter ORDER BY identity",
    "gone": "SELECT chunk_to, utc_us, volume FROM gone ORDER BY rowid",
    "begins": "SELECT chunk_to, event_to FROM segment ORDER BY id LIMIT 1",
}
"""What is kept with a segment besides its rows: what is found so, as rows in their order (docs/book.md)."""
_NAMES = {
    "site": "the site's name", "visits": "the times of visits", "links": "names, places or settings of links",
    "adapters": "names of adapters", "gone": "what is said of bytes that left", "begins": "where the chain begins",
}  # fmt: skip


def _state_of(ask: Callable[[str], list[Any]]) -> str:
    return json.dumps({name: ask(sql) for name, sql in _STATE.items()}, ensure_ascii=False, default=repr)


def last_state(ask: Callable[[str], list[Any]]) -> str:
    rows = ask("SELECT text FROM state WHERE segment IN (SELECT id FROM segment) ORDER BY segment DESC LIMIT 1")
    return str(rows[0][0]) if rows else ""


def rows_left(connection: sqlite3.Connection, upto: int, utc_us: int, into: str) -> None:
    """Keeps that rows of bytes up to this id left the book, and where they went; `into` is empty for nowhere."""
    connection.execute("INSERT INTO gone (chunk_to, utc_us, volume) VALUES (?, ?, ?)", (upto, utc_us, into))


@dataclass(slots=True)
class Verified:
    """intact    segments whose rows are as they were kept
    changed   (segment, words) of those that are not
    left      segments whose bytes left the book since, which cannot be checked
    behind    rows that no segment holds yet
    earlier   whether the book holds rows from before there was a chain
    otherwise what the book says besides its rows that is not as the last segment has it, in words
    stateless whether no segment holds that: an earlier version kept the book
    unended   whether the last visit goes on, or was ended by force: no segment holds how it ended
    upto      the number of the last segment, and `last` its hash
    """

    intact: int = 0
    changed: list[tuple[Segment, str]] = field(default_factory=list)
    left: int = 0
    behind: int = 0
    earlier: bool = False
    otherwise: list[str] = field(default_factory=list)
    stateless: bool = False
    unended: bool = False
    upto: int = 0
    last: str = ""

    @property
    def good(self) -> bool:
        """Everything is there, as it was kept, and nothing is left that was not checked."""
        return not (
            self.changed or self.otherwise or self.behind or self.earlier or self.left or self.stateless or self.unended
        )

    @property
    def words(self) -> str:
        parts = [f"{counted(self.intact, 'segment')} of the record intact"]
        parts += [f"{len(self.changed)} changed"] if self.changed else []
        parts += [f"{self.left} whose bytes left the book, not checked"] if self.left else []
        parts += [f"{self.behind} rows behind the last one, which nothing vouches for yet"] if self.behind else []
        parts += ["what was kept before there was a chain is not checked"] if self.earlier else []
        parts += [f"not as the last segment has it: {', '.join(self.otherwise)}"] if self.otherwise else []
        parts += ["names, places and times are not checked: no segment holds them"] if self.stateless else []
        parts += ["the last visit has no end: it goes on, or was ended by force"] if self.unended else []
        parts += ["values of rounds are not under the chain"]
        return "; ".join(parts)


def verify_book(path: Path) -> Verified:
    """Holds the record against its chain. Raises a BookFault where it cannot be read."""
    file = BookFile(path)
    try:
        return _verified(file)
    except (TypeError, ValueError, AttributeError) as error:  # a row that holds something else than was put there
        raise damaged(path, error) from error
    finally:
        file.close()


def _verified(file: BookFile) -> Verified:
    out = Verified()
    if not file.read("SELECT 1 FROM sqlite_master WHERE name = 'segment'").fetchone():
        out.earlier = True
        return out
    segments = [
        Segment(*row) for row in file.read("SELECT id, chunk_to, event_to, utc_us, sha256 FROM segment ORDER BY id")
    ]
    (gone,) = file.read("SELECT coalesce(max(chunk_to), 0) FROM gone").fetchone()
    states = _states(file)
    chunks, events = _Rows(file, "chunk", _CHUNK), _Rows(file, "event", _EVENT)
    before: Segment | None = None
    for segment in segments:
        if before is None:
            out.earlier = bool(segment.chunk_to or segment.event_to)
            _skip(chunks, segment.chunk_to)
            _skip(events, segment.event_to)
        else:
            _check(out, before, segment, chunks, events, gone, states.get(segment.id, ""))
        before = segment
    out.upto = before.id if before is not None else 0
    _check_state(out, file)
    out.last = before.sha256 if before is not None else ""
    out.behind = sum(1 for _ in chunks.upto(None)) + sum(1 for _ in events.upto(None))
    return out


def _states(file: BookFile) -> dict[int, str]:
    if not file.read("SELECT 1 FROM sqlite_master WHERE name = 'state'").fetchone():
        return {}
    return {int(segment): str(text) for segment, text in file.read("SELECT segment, text FROM state")}


def _check_state(out: Verified, file: BookFile) -> None:
    """What the book says now beside what it said when its last segment ended."""
    states = {segment: text for segment, text in _states(file).items() if segment <= out.upto}
    if not states:
        out.stateless = True
        return
    kept = json.loads(states[max(states)])
    now = json.loads(_state_of(lambda sql: file.read(sql).fetchall()))
    if now["visits"] and now["visits"][-1][3] is None:  # it goes on, or was ended by force
        out.unended = True
        running = now["visits"].pop()
        kept["visits"] = [row for row in kept["visits"] if row[0] != running[0]]
    out.otherwise = [words for name, words in _NAMES.items() if kept.get(name) != now[name]]


def _check(
    out: Verified, before: Segment, segment: Segment, chunks: _Rows, events: _Rows, gone: int, state: str
) -> None:
    hashed = Hashed(before)
    counts = [0, 0]
    for row in chunks.upto(segment.chunk_to):
        hashed.chunk(row)
        counts[0] += 1
    for row in events.upto(segment.event_to):
        hashed.event(row)
        counts[1] += 1
    hashed.chunk_to, hashed.event_to = segment.chunk_to, segment.event_to
    if segment.id != before.id + 1:
        out.changed.append((segment, f"{segment.id - before.id - 1} segments before it are missing"))
    elif hashed.sealed(segment.utc_us, state).sha256 == segment.sha256:
        out.intact += 1
    elif before.chunk_to < gone:
        out.left += 1
    else:
        wanted = (segment.chunk_to - before.chunk_to, segment.event_to - before.event_to)
        lost = [
            f"{counted(want - have, 'row')} of {what} missing"
            for want, have, what in zip(wanted, counts, ("bytes", "events"), strict=True) if want > have
        ]  # fmt: skip
        out.changed.append((segment, ", ".join(lost) or "something in it was changed"))


class _Rows:
    """The rows of a table in the order of their ids, up to one and then on."""

    def __init__(self, file: BookFile, table: str, columns: str) -> None:
        self._rows = iter(file.read(f"SELECT {columns} FROM {table} ORDER BY id"))
        self._next: Any = next(self._rows, None)

    def upto(self, last: int | None) -> Iterator[Any]:
        while self._next is not None and (last is None or self._next[0] <= last):
            yield self._next
            self._next = next(self._rows, None)


def _skip(rows: _Rows, upto: int) -> None:
    for _ in rows.upto(upto):
        pass
