"""The file of a book as its readers see it: rows of queries, and what SQLite or a damaged row says as a BookFault."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Chunk, Event
from ordolex.io.book import schema
from ordolex.io.system.faults import BookFault
from ordolex.io.system.files import is_file

T = TypeVar("T")
CHUNK = "id, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"
"""The columns of a chunk, in the order in which `BookFile.chunk` takes them."""
EVENT = "id, link, utc_us, mono_us, kind, text, detail"
LAST_US = 1 << 52


def damaged(path: Path, why: object) -> BookFault:
    return BookFault(
        f"{path} is damaged: {why}", f"`ordolex book rescue '{path}' NEW` saves what can be read; it was left as it is"
    )


def guarded(path: Path, make: Callable[..., T], *given: Any) -> T:
    """What `make` makes of a row. Raises BookFault for a row that no recorder wrote."""
    try:
        return make(*given)
    except (ValueError, TypeError, KeyError, RecursionError, OverflowError, sqlite3.Error) as error:
        raise damaged(path, error) from error


class Rows:
    """The rows of a query, read one by one; what SQLite says of a damaged file becomes a BookFault."""

    def __init__(self, connection: sqlite3.Connection, path: Path, sql: str, values: tuple[object, ...]) -> None:
        self._path = path
        try:
            self._cursor = connection.execute(sql, values)
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise damaged(path, error) from error

    def __iter__(self) -> Iterator[Any]:
        try:
            for row in self._cursor:  # noqa: UP028 - who leaves half-way must not close a cursor of a closed file
                yield row
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise damaged(self._path, error) from error

    def fetchone(self) -> Any:
        try:  # without an iterator that is left half-way: of a damaged file, ending it would raise where nobody hears
            return self._cursor.fetchone()
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise damaged(self._path, error) from error

    def fetchall(self) -> list[Any]:
        return list(self)


class BookFile:
    """Opened for reading only. Raises a BookFault where it is none."""

    def __init__(self, path: Path) -> None:
        if not is_file(path):
            raise BookFault(f"there is no book {path}", "check the path; `ordolex --book FILE` makes a new one")
        self.path = path
        try:
            self.connection = sqlite3.connect(
                f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=2.0, check_same_thread=False
            )
            schema.check(self.connection, path)
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise BookFault(f"{path} cannot be read: {error}", "check rights and disk") from error

    def read(self, sql: str, values: tuple[object, ...] = ()) -> Rows:
        return Rows(self.connection, self.path, sql, values)

    def chunk(self, row: Any) -> Chunk:
        return guarded(self.path, chunk_of, row)

    def event(self, row: Any) -> Event:
        return guarded(self.path, _event, row)

    def close(self) -> None:
        self.connection.close()


def where(**wanted: object) -> tuple[str, tuple[object, ...]]:
    given = {name: value for name, value in wanted.items() if value is not None}
    return (" WHERE " + " AND ".join(f"{name} = ?" for name in given) if given else ""), tuple(given.values())


def chunk_of(row: tuple[int, int, str, int, int, int, int, int, int, int, bytes]) -> Chunk:
    id_, link, direction, utc, mono, last, framing, parity, breaks, overruns, data = row
    errors = LineErrors(framing, parity, breaks, overruns) if framing or parity or breaks or overruns else None
    if not isinstance(data, bytes) or direction not in ("rx", "tx") or not 0 <= utc < LAST_US:
        raise TypeError(f"row {id_} of the bytes is none")
    return Chunk(link, direction, utc, mono, [data], last, errors, id_)


def _event(row: tuple[int, int, int, int, str, str, str]) -> Event:
    id_, link, utc, mono, kind, text, detail = row
    known = json.loads(detail)
    if not (isinstance(kind, str) and isinstance(text, str) and isinstance(known, dict) and 0 <= utc < LAST_US):
        raise TypeError(f"row {id_} of the events is none")
    return Event(link, utc, mono, kind, text, known, id_)
