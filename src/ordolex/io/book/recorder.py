"""The recorder: takes what passes and what happens, and commits it to the book from a thread of its own.

`record` never waits for the disk. What is handed over is committed within COMMIT_S. Where the book cannot be written
the recording stops loudly (`status`), the link goes on, what fits is kept in memory, and writing is tried again.
"""

from __future__ import annotations

import sqlite3
import threading
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.chain import BEFORE, SEAL_S, Hashed, Segment
from ordolex.core.record.items import Chunk, Event
from ordolex.core.watch.samples import Sample
from ordolex.io.book import chain as chain_of
from ordolex.io.book.entries import ITEM_COST, Entry, Read, chunk_rows, cost, event_rows
from ordolex.io.book.packing import Packer
from ordolex.io.book.safe_place import brought_to_safety, identity
from ordolex.io.book.values import Message, ValueWriter
from ordolex.io.system.clock import mono_s, utc_us

COMMIT_S = 0.04
MERGE_US = 10_000
"""Arrivals within 10 ms become one chunk: less on disk, and still finer than a person or most devices can tell."""
FULL = 64 << 20
"""Bytes waiting for the disk above which links are asked to pause: a second or so of the fastest they can bring."""
KEPT_IN_FAULT = 32 << 20
"""Bytes kept in memory while the book cannot be written; beyond that the oldest are lost, and counted."""
_RETRY_S = 3.0
_LOOK_S = 0.5  # how often it is looked whether the book is still there


@dataclass(frozen=True, slots=True)
class RecorderStatus:
    """keeping: whether the record is being written. why: the reason where it is not. lost: bytes not kept."""

    keeping: bool
    why: str = ""
    waiting: int = 0
    lost: int = 0
    moved: str = ""
    """Where the record goes on, after the book was taken away."""


_UPKEEP_S = 0.25
_PACK_LATER_S = 5.0
"""After opening, when nobody waits for the first screen any more."""
_CALM = 1 << 20
"""Bytes waiting for the disk above which nothing is packed: it can wait, they cannot."""
T = TypeVar("T")


class Recorder:
    """`works_again` is called, in the recorder's thread, when a book that could not be written can be again."""

    def __init__(self, path: Path, visit: int, works_again: Callable[[], None] = lambda: None) -> None:
        self._path = path
        self._visit = visit
        self._lock = threading.Lock()
        self._queue: deque[Entry] = deque()
        self._values = ValueWriter()
        self._newest: dict[int, Chunk] = {}  # the last chunk of each link, while it may still grow
        self._waiting = 0  # bytes of data in the queue
        self._overhead = 0  # what the queue's items take in memory besides
        self._lost = self._lost_values = 0
        self._why = ""
        self._calls: deque[tuple[Callable[[sqlite3.Connection], Any], Future[Any]]] = deque()
        self._wake = threading.Event()
        self._stopping = False
        self._connection: sqlite3.Connection | None = None
        self._chain: Hashed | None = None
        self._hashing = chain_of.HashingBeside()
        self._ends = False  # the last turn, that ends the last segment
        self._sealed_at = time.monotonic()
        self._retry_at = 0.0
        self._tell_works_again = works_again
        self._moved = ""
        self._looked_at = 0.0
        self._file: tuple[int, int] | None = identity(path)
        self.upkeep: Callable[[sqlite3.Connection], bool] | None = None
        """Done now and then in a transaction of its own; whether there is more to do at once."""
        self._upkeep_at = 0.0
        self._packer = Packer()
        self._may_pack, self._pack_at = (
            True,
            time.monotonic() + _PACK_LATER_S,
        )  # whether a segment was ended since there was nothing to pack
        self.page_limit: int | None = None  # tests set it to play a full disk
        self._thread = threading.Thread(target=self._run, name="recorder", daemon=True)
        self._thread.start()

    # ---- from any thread

    @property
    def full(self) -> bool:
        return self._waiting + self._overhead > FULL and not self._why

    @property
    def status(self) -> RecorderStatus:
        return RecorderStatus(not self._why, self._why, self._waiting, self._lost, self._moved)

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        mono_us = round(at_s * 1e6)
        with self._lock:
            self._waiting += len(data)
            newest = self._newest.get(link)
            if (
                newest is not None
                and errors is None
                and newest.direction == direction
                and mono_us - newest.mono_us < MERGE_US
            ):
                newest.parts.append(data)
                newest.last_mono_us = mono_us
                return
            chunk = Chunk(link, direction, utc_us(at_s), mono_us, [data], mono_us, errors)
            self._newest[link] = chunk
            self._queue.append(chunk)
            self._overhead += ITEM_COST

    def note(self, event: Event) -> None:
        with self._lock:
            self._newest.pop(event.link, None)
            self._queue.append(event)
            self._overhead += ITEM_COST

    def values(self, samples: list[Sample], messages: list[Message]) -> None:
        """Values of a round, and what is to be published of them; they are written together or not at all."""
        with self._lock:
            self._queue.append(Read(samples, messages))
            self._overhead += ITEM_COST * (len(samples) + len(messages))

    def call(self, work: Callable[[sqlite3.Connection], Any]) -> Future[Any]:
        """Runs `work` on the writing connection, in a transaction of its own, after all that was recorded before;
        for the few other writes."""
        future: Future[Any] = Future()
        self._calls.append((work, future))
        self._wake.set()
        return future

    def close(self) -> None:
        """Writes what waits and lets the book go."""
        self._stopping = True
        self._wake.set()
        self._thread.join(timeout=10)

    # ---- the recorder's thread

    def _run(self) -> None:
        while True:
            stopping = self._stopping
            self._turn()
            if stopping:
                self._ends = True
                self._turn()  # what the last turn itself had to note
                break
            self._wake.wait(COMMIT_S)
            self._wake.clear()
        self._hashing.close()
        if self._connection is not None:
            self._connection.close()

    def _turn(self) -> None:
        if self._why and time.monotonic() < self._retry_at and not self._stopping:
            self._drop_oldest()
            self._fail_calls()
            return
        calls = len(
            self._calls
        )  # counted first: what was recorded before a call is among these items, and written before it
        with self._lock:
            items, self._queue = self._queue, deque()
            self._newest.clear()
            taken, overhead = self._waiting, self._overhead
        due = self.upkeep is not None and time.monotonic() >= self._upkeep_at
        packs = self._may_pack and time.monotonic() >= self._pack_at and not self._stopping
        open_rows = self._chain is not None and bool(self._chain.rows)
        seals = self._ends or (open_rows and time.monotonic() - self._sealed_at >= SEAL_S)
        idle = not items and not calls and not self._why and not due and not packs and not seals
        if idle and not self._is_time_to_look():
            return
        try:
            self._look_after_file()
            connection = self._connection or self._connect()
            if items:
                self._write_all(connection, items)
            elif self._why:
                connection.execute("BEGIN IMMEDIATE")
                connection.rollback()
        except sqlite3.Error as error:
            self._failed(error, items)
            return
        with self._lock:
            self._waiting -= taken
            self._overhead -= overhead
        if self._why:
            self._works_again()
        self._do_calls(connection, calls)
        if due:
            assert self.upkeep is not None
            more = self._in_transaction(connection, self.upkeep)
            self._upkeep_at = time.monotonic() + (0.0 if more else _UPKEEP_S)
            if more:
                self._wake.set()
        self._seal(connection)
        if packs and self._waiting < _CALM:
            self._may_pack = bool(self._in_transaction(connection, self._packer.turn))
            self._pack_at = time.monotonic() + _UPKEEP_S

    def _in_transaction(self, connection: sqlite3.Connection, work: Callable[[sqlite3.Connection], T]) -> T | None:
        try:
            connection.execute("BEGIN IMMEDIATE")
            done = work(connection)
            connection.execute("COMMIT")
        except (sqlite3.Error, OSError):  # such as a full disk: what is recorded says so, and this is tried again
            if connection.in_transaction:
                connection.rollback()
            return None
        return done

    def _is_time_to_look(self) -> bool:
        return time.monotonic() - self._looked_at > _LOOK_S

    def _look_after_file(self) -> None:
        """Whether the book is still where it was; if not, everything goes on in a safe place."""
        if not self._is_time_to_look():
            return
        self._looked_at = time.monotonic()
        if self._file is None or identity(self._path) == self._file:
            return
        safe, self._connection = brought_to_safety(self._path, self._connection), None
        self._path, self._moved, self._file = safe, str(safe), identity(safe)
        text = f"the book was taken away; the record goes on in {safe}"
        self.note(Event(0, utc_us(), round(mono_s() * 1e6), "recording", text, {}))

    def _connect(self) -> sqlite3.Connection:
        connection = sqlite3.connect(self._path, timeout=2.0, isolation_level=None)
        connection.execute("PRAGMA journal_mode = WAL")
        connection.execute("PRAGMA synchronous = NORMAL")  # a crash of the program loses nothing; WAL keeps order
        connection.execute("PRAGMA wal_autocheckpoint = 4000")
        self._connection, self._chain = connection, None
        return connection

    def _write_all(self, connection: sqlite3.Connection, items: deque[Entry]) -> None:
        """One entry that cannot be written for what it is does not take the others with it: it is left out, which is
        said in the record. Raises sqlite3.Error."""
        try:
            self._write(connection, items)
        except sqlite3.Error:
            raise
        except Exception:
            connection.rollback()
            self._write(connection, deque(one for one in items if self._fits(connection, one)))

    def _fits(self, connection: sqlite3.Connection, item: Entry) -> bool:
        """Whether it can be written. Nothing is."""
        try:
            if isinstance(item, Read):
                connection.execute("BEGIN IMMEDIATE")
                self._write_values(connection, [item])
            nowhere = Hashed(Segment(0, 0, 0, 0, BEFORE))
            for row in (*chunk_rows([item], 0, nowhere), *event_rows([item], 0, nowhere)):
                connection.execute(f"SELECT {', '.join('?' * len(row))}", row)
        except sqlite3.Error:
            raise
        except Exception as error:
            what = item.kind if isinstance(item, Event) else "values" if isinstance(item, Read) else "bytes"
            text = f"an entry ({what}) could not be written and is left out: {type(error).__name__}: {error}"
            self.note(Event(0, utc_us(), round(mono_s() * 1e6), "recording", text, {}))
            return False
        finally:
            connection.rollback()
            self._values = ValueWriter()
        return True

    def _write_values(self, connection: sqlite3.Connection, read: list[Read]) -> None:
        self._values.write(connection, (sample for one in read for sample in one.samples))
        connection.executemany(
            "INSERT INTO outbox (topic, payload, retained) VALUES (?, ?, ?)",
            [(m.topic, m.payload, m.retained) for one in read for m in one.messages],
        )

    def _write(self, connection: sqlite3.Connection, items: deque[Entry]) -> None:
        if self.page_limit is not None:
            connection.execute(f"PRAGMA max_page_count = {self.page_limit}")
        connection.execute("BEGIN IMMEDIATE")
        chain = self._chain or chain_of.begun(connection, self._hashing)
        self._chain = None  # until all of this is written: what is not is not in it
        connection.executemany(
            "INSERT INTO chunk (id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks,"
            " overruns, data) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            chunk_rows(items, self._visit, chain),
        )
        connection.executemany(
            "INSERT INTO event (id, visit, link, utc_us, mono_us, kind, text, detail) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            event_rows(items, self._visit, chain),
        )
        if chain.is_due:
            chain = self._sealed(connection, chain)
        read = [item for item in items if isinstance(item, Read)]
        if read:
            self._write_values(connection, read)
        connection.execute("COMMIT")
        self._chain = chain

    def _sealed(self, connection: sqlite3.Connection, chain: Hashed) -> Hashed:
        self._sealed_at = time.monotonic()
        self._may_pack = True
        return chain_of.seal(connection, chain, utc_us(), self._hashing)

    def _seal(self, connection: sqlite3.Connection) -> None:
        """Ends a segment that is old enough, or the last one."""
        chain = self._chain
        due = chain is not None and chain.rows and time.monotonic() - self._sealed_at >= SEAL_S
        if not due and not self._ends:
            return
        try:
            connection.execute("BEGIN IMMEDIATE")
            chain = chain or chain_of.begun(connection, self._hashing)
            if chain.rows or chain_of.has_changed(connection):
                chain = self._sealed(connection, chain)
            self._chain = chain
            connection.execute("COMMIT")
        except sqlite3.Error:  # such as a full disk: its rows are kept, and it is ended another time
            self._chain = chain
            if connection.in_transaction:
                connection.rollback()

    def _failed(self, error: sqlite3.Error, items: deque[Entry]) -> None:
        if self._connection is not None:
            self._connection.close()  # rolls back; a fresh connection is the cleanest second try
            self._connection = None
        self._chain = None
        self._values = ValueWriter()  # what it remembers of this write was rolled back
        with self._lock:
            items.extend(self._queue)
            self._queue = items
        self._why = _reason(error)
        self._retry_at = time.monotonic() + _RETRY_S
        self._drop_oldest()
        self._fail_calls()

    def _drop_oldest(self) -> None:
        with self._lock:
            while self._waiting + self._overhead > KEPT_IN_FAULT and self._queue:
                item = self._queue.popleft()
                size = len(item.data) if isinstance(item, Chunk) else 0
                if isinstance(item, Chunk) and self._newest.get(item.link) is item:
                    del self._newest[item.link]
                self._waiting -= size
                self._overhead -= cost(item)
                self._lost += size
                self._lost_values += len(item.samples) if isinstance(item, Read) else 0

    def _works_again(self) -> None:
        lost = f"{self._lost} bytes" + (f" and {self._lost_values} values" if self._lost_values else "")
        text = f"the book can be written again (it could not: {self._why}; {lost} were lost)"
        self._why = ""
        self.note(Event(0, utc_us(), round(mono_s() * 1e6), "recording", text, {"lost": self._lost}))
        self._tell_works_again()

    def _do_calls(self, connection: sqlite3.Connection, count: int) -> None:
        for _ in range(count):
            work, future = self._calls.popleft()
            try:
                connection.execute("BEGIN IMMEDIATE")
                result = work(connection)
                connection.execute("COMMIT")
                future.set_result(result)
            except Exception as error:  # handed to the caller, whatever it is: this thread must live on
                if connection.in_transaction:
                    connection.rollback()
                future.set_exception(error)

    def _fail_calls(self) -> None:
        while self._calls:
            _, future = self._calls.popleft()
            future.set_exception(sqlite3.OperationalError(self._why))


def _reason(error: sqlite3.Error) -> str:
    text = str(error)
    if "full" in text:
        return "the disk is full"
    if "readonly" in text:
        return "the book is read-only"
    return text
