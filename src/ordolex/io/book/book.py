"""A book: the file of one site. Opening takes the lock, begins a visit and starts the recorder."""

from __future__ import annotations

import sqlite3
from dataclasses import astuple
from pathlib import Path
from typing import Any

from ordolex import __version__
from ordolex.core.record import LinkRecord
from ordolex.io.book import schema
from ordolex.io.book.lock import BookLock
from ordolex.io.book.reader import BookReader
from ordolex.io.book.recorder import Recorder
from ordolex.io.clock import mono_s, utc_us
from ordolex.io.faults import BookFault

_LINK_FIELDS = "name, endpoint, line, source, adapter, first_question, line_end, sheet, unit, identity"


class Book:
    """An open book that this process writes. Raises BookFault where it cannot be opened."""

    def __init__(self, path: Path, site: str = "") -> None:
        self.path = path
        self._closed = False
        _make_folder(path)
        self._lock = BookLock(path)
        try:
            self.visit = self._begin(site or path.stem)
            self.recorder = Recorder(path, self.visit)
            self.reader = BookReader(path)
        except BaseException:
            self._lock.release()
            raise

    def _begin(self, site: str) -> int:
        new = not self.path.exists() or self.path.stat().st_size == 0
        try:
            connection = sqlite3.connect(self.path)
            if not new:
                schema.check(connection, self.path)
                schema.renew(connection)
            else:
                schema.create(connection, site, utc_us())
            with connection:
                cursor = connection.execute(
                    "INSERT INTO visit (started_utc_us, started_mono_us, program) VALUES (?, ?, ?)",
                    (utc_us(), round(mono_s() * 1e6), f"ordolex {__version__}"),
                )
            connection.close()
        except sqlite3.Error as error:
            raise BookFault(f"{self.path} cannot be written: {error}", "choose another folder or disk") from error
        assert cursor.lastrowid is not None
        return cursor.lastrowid

    # ---- links

    def links(self) -> list[LinkRecord]:
        return self.reader.links()

    def add_link(self, link: LinkRecord) -> LinkRecord:
        """Keeps a new link; its id in the answer."""
        marks = ", ".join("?" * len(_LINK_FIELDS.split(",")))

        def work(connection: sqlite3.Connection) -> int:
            cursor = connection.execute(
                f"INSERT INTO link ({_LINK_FIELDS}, created_utc_us) VALUES ({marks}, ?)",
                (*astuple(link)[1:], utc_us()),
            )
            assert cursor.lastrowid is not None
            return cursor.lastrowid

        return LinkRecord(self._do(work), *astuple(link)[1:])

    def keep_link(self, link: LinkRecord) -> None:
        """Keeps changed facts of a link."""
        assignments = ", ".join(f"{name} = ?" for name in _LINK_FIELDS.split(", "))

        def work(connection: sqlite3.Connection) -> None:
            connection.execute(f"UPDATE link SET {assignments} WHERE id = ?", (*astuple(link)[1:], link.id))

        self._do(work)

    def name_adapter(self, identity: str, name: str) -> None:
        """Keeps a name for an adapter, by what it is called across replugging."""

        def work(connection: sqlite3.Connection) -> None:
            connection.execute("INSERT OR REPLACE INTO adapter VALUES (?, ?)", (identity, name))

        self._do(work)

    def _do(self, work: Any) -> Any:
        try:
            return self.recorder.call(work).result(timeout=5)
        except (sqlite3.Error, TimeoutError) as error:
            raise BookFault(f"{self.path} cannot be written: {error}", "make room on the disk") from error

    def close(self) -> None:
        """Ends the visit; everything recorded is in the file when this returns. Closing twice does nothing."""
        if self._closed:
            return
        self._closed = True
        future = self.recorder.call(
            lambda c: c.execute("UPDATE visit SET ended_utc_us = ? WHERE id = ?", (utc_us(), self.visit)).rowcount
        )
        self.reader.close()  # first, so that the last connection is one that may fold the WAL into the file
        self.recorder.close()
        if not future.done():
            future.cancel()
        self._lock.release()


def _make_folder(path: Path) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BookFault(f"{path.parent} cannot be made: {error.strerror}", "choose another folder") from error
