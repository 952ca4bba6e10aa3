"""The file of a book as its readers see it: rows of queries, and what SQLite or a damaged row says as a BookFault."""

from __future__ import annotations

import contextlib
import json
import sqlite3
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Chunk, Event
from ordolex.io.book import schema
from ordolex.io.system.faults import BookFault
from ordolex.io.system.files import is_file

T = TypeVar("T")
CHUNK = "id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"
"""The columns of a chunk, in the order in which `BookFile.chunk` takes them."""
EVENT = "id, link, utc_us, mono_us, kind, text, detail"
PIECE = "pack, link, direction, at, size, text, packed, head, tail, grams, data"
"""The columns of a piece but its id, in the order in which they are written."""
LAST_US = 1 << 52
LAST_ID = (1 << 63) - 1
_WAYS = ("rx", "tx")
AT_ONCE = 32
"""Rows that are read ahead: each may be megabytes."""


def damaged(path: Path, why: object) -> BookFault:
    return BookFault(
        f"{path} is damaged: {why}", f"`ordolex book rescue '{path}' NEW` saves what can be read; it was left as it is"
    )


def guarded(path: Path, make: Callable[..., T], *given: Any) -> T:
    """What `make` makes of a row. Raises BookFault for a row that no recorder wrote."""
    try:
        return make(*given)
    except (ValueError, TypeError, KeyError, RecursionError, OverflowError) as error:
        raise damaged(path, error) from error


class Rows:
    """The rows of a query, read one by one; what SQLite says of a damaged file becomes a BookFault."""

    def __init__(self, file: BookFile, sql: str, values: tuple[object, ...]) -> None:
        self._file = file
        self._cursor = file.ask(file.connection.execute, sql, values)

    def __iter__(self) -> Iterator[Any]:
        file, lock, cursor = self._file, self._file.lock, self._cursor
        count = 1
        while True:
            with lock:  # not by `ask`: there may be a million of them
                if file.closed:
                    raise file.was_closed()
                try:
                    rows = cursor.fetchmany(count)
                except (sqlite3.Error, UnicodeDecodeError) as error:
                    raise file.fault(error) from error
            yield from rows
            if len(rows) < count:
                return
            count = min(AT_ONCE, 2 * count)  # who wants one does not wait for others

    def fetchone(self) -> Any:
        return self._file.ask(next, self._cursor, None)

    def fetchall(self) -> list[Any]:
        return list(self)


class BookFile:
    """Opened for reading only, by any thread. One thread at a time asks SQLite, and nobody closes it meanwhile: of a
    connection that is closed under a question Python's sqlite3 would read on, and the whole process would end. Raises a
    BookFault where it is none."""

    def __init__(self, path: Path) -> None:
        if not is_file(path):
            raise BookFault(f"there is no book {path}", "check the path; `ordolex --book FILE` makes a new one")
        self.path = path
        self.lock = threading.RLock()
        self.closed = False
        try:
            self.connection = sqlite3.connect(
                f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=2.0, check_same_thread=False
            )
            schema.check(self.connection, path)
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise BookFault(f"{path} cannot be read: {error}", "check rights and disk") from error

    def ask(self, what: Callable[..., T], *given: Any) -> T:
        with self.lock:
            if self.closed:
                raise self.was_closed()
            try:
                return what(*given)
            except (sqlite3.Error, UnicodeDecodeError) as error:
                raise self.fault(error) from error

    def fault(self, error: Exception) -> BookFault:
        if self.closed:
            return self.was_closed()
        return schema.held_elsewhere(self.path, error) or damaged(self.path, error)

    def was_closed(self) -> BookFault:
        return BookFault(f"{self.path} was closed before it was read", "open it again")

    def read(self, sql: str, values: tuple[object, ...] = ()) -> Rows:
        return Rows(self, sql, values)

    def link_columns(self) -> str:
        return self.ask(schema.link_columns, self.connection)

    def chunk(self, row: Any) -> Chunk:
        return guarded(self.path, chunk_of, row)

    def event(self, row: Any) -> Event:
        return guarded(self.path, _event, row)

    def close(self) -> None:
        """Ends what is being asked in other threads, which raises a BookFault there, and waits until it has ended."""
        self.closed = True
        with contextlib.suppress(sqlite3.ProgrammingError):  # it is closed already
            self.connection.interrupt()
        with self.lock:
            self.connection.close()


def where(**wanted: object) -> tuple[str, tuple[object, ...]]:
    given = {name: value for name, value in wanted.items() if value is not None}
    return (" WHERE " + " AND ".join(f"{name} = ?" for name in given) if given else ""), tuple(given.values())


def chunk_of(row: tuple[int, int, int, str, int, int, int, int, int, int, int, bytes]) -> Chunk:
    id_, _, link, direction, utc, mono, last, framing, parity, breaks, overruns, data = row
    if not isinstance(data, bytes) or direction not in _WAYS or not 0 <= utc < LAST_US:
        raise TypeError(f"row {id_} of the bytes is none")
    errors = LineErrors(framing, parity, breaks, overruns) if framing or parity or breaks or overruns else None
    return Chunk(link, direction, utc, mono, [data], last, errors, id_)


def _event(row: tuple[int, int, int, int, str, str, str]) -> Event:
    id_, link, utc, mono, kind, text, detail = row
    known = json.loads(detail)
    if not (isinstance(kind, str) and isinstance(text, str) and isinstance(known, dict) and 0 <= utc < LAST_US):
        raise TypeError(f"row {id_} of the events is none")
    return Event(link, utc, mono, kind, text, known, id_)
