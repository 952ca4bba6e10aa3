"""A book: the file of one site. Opening takes the lock, begins a visit and starts the recorder."""

from __future__ import annotations

import json
import os
import sqlite3
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import astuple, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ordolex import __version__
from ordolex.core.record.items import LinkRecord
from ordolex.io.book import schema
from ordolex.io.book.lock import BookLock
from ordolex.io.book.reader import BookReader
from ordolex.io.book.recorder import Recorder
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import BookFault
from ordolex.io.system.files import is_file, is_there, private_file, private_folder, storable

if TYPE_CHECKING:
    from ordolex.core.relay.plan import RelayPlan
    from ordolex.io.book.turning import Keeping, Turned, Turner
    from ordolex.io.book.values import Item

_LOOKED_THROUGH = 32 << 20
_LINK_FIELDS = (
    "name, endpoint, line, source, adapter, first_question, line_end, sheet, unit, identity, outputs, charset"
)


class Book:
    """An open book that this process writes, for these `relays` where it is for them. Raises BookFault where it cannot
    be opened."""

    def __init__(self, path: Path, site: str = "", relays: Sequence[str] = ()) -> None:
        self.path = path
        self._closed = False
        self._closing = threading.Lock()
        self._keepings: dict[str, Keeping] = {}
        self._turner: Turner | None = None
        _must_be_file(path)
        _make_folder(path)
        self._lock = BookLock(path, relays)
        try:
            self.visit = self._begin(site or path.stem)
            self._guard = threading.Lock()
            self._unkept: dict[int, LinkRecord] = {}
            self._why_held = ""
            self.reader = BookReader(path)
            self._newest_link = max((link.id for link in self.reader.links()), default=0)
            self.recorder = Recorder(path, self.visit, self._keep_links)
        except BaseException:
            self._lock.release()
            raise

    def _begin(self, site: str) -> int:
        try:
            if not self.path.exists() or self.path.stat().st_size == 0:
                make_book(self.path, site)
            else:
                examine(self.path)
                private_file(self.path)
            connection = sqlite3.connect(self.path)
            schema.check(connection, self.path)
            schema.renew(connection)
            with connection:
                cursor = connection.execute(
                    "INSERT INTO visit (started_utc_us, started_mono_us, program) VALUES (?, ?, ?)",
                    (utc_us(), round(mono_s() * 1e6), f"ordolex {__version__}"),
                )
            connection.close()
        except (sqlite3.Error, OSError) as error:
            raise BookFault(f"{self.path} cannot be written: {error}", "choose another folder or disk") from error
        assert cursor.lastrowid is not None
        return cursor.lastrowid

    # ---- links

    def links(self) -> list[LinkRecord]:
        while True:
            with self._guard:
                before = set(self._unkept)
            known = {link.id: link for link in self.reader.links()}
            with self._guard:
                unkept = dict(self._unkept)
            if before <= unkept.keys():  # else some were written while the book was read, perhaps just after
                break
        known |= unkept
        return [known[number] for number in sorted(known)]

    def add_link(self, link: LinkRecord) -> LinkRecord:
        """A new link; its id in the answer. Like `keep_link` it does not wait for the disk."""
        with self._guard:
            self._newest_link += 1
            number = self._newest_link
        new = replace(link, id=number)
        self.keep_link(new)
        return new

    def keep_link(self, link: LinkRecord) -> None:
        """Keeps facts of a link. Nobody waits for the disk here: where the book cannot be written they hold in memory,
        `held` says so, and they are kept once it can."""
        with self._guard:
            self._unkept[link.id] = link
        self._keep_links()

    @property
    def held(self) -> str:
        """Why facts of links hold in memory only; empty where they are kept, or are being kept."""
        return self._why_held

    def _keep_links(self) -> None:
        self.recorder.call(self._write_links).add_done_callback(self._links_kept)

    def _write_links(self, connection: sqlite3.Connection) -> list[LinkRecord]:
        with self._guard:
            links = list(self._unkept.values())
        names = _LINK_FIELDS.split(", ")
        marks, changed = ", ".join("?" * len(names)), ", ".join(f"{name} = excluded.{name}" for name in names)
        for link in links:
            connection.execute(
                f"INSERT INTO link (id, {_LINK_FIELDS}, created_utc_us) VALUES (?, {marks}, ?)"
                f" ON CONFLICT (id) DO UPDATE SET {changed}",
                (*(storable(one) if isinstance(one, str) else one for one in astuple(link)), utc_us()),
            )
        return links

    def _links_kept(self, future: Future[Any]) -> None:
        if future.cancelled():
            return
        error = future.exception()
        self._why_held = f"{self.path.name} cannot be written: {error}" if error is not None else ""
        if error is None:
            with self._guard:
                for link in future.result():
                    if self._unkept.get(link.id) == link:
                        del self._unkept[link.id]

    def name_adapter(self, identity: str, name: str) -> None:
        """Keeps a name for an adapter, by what it is called across replugging."""

        def work(connection: sqlite3.Connection) -> None:
            connection.execute("INSERT OR REPLACE INTO adapter VALUES (?, ?)", (storable(identity), storable(name)))

        self._do(work)

    def keep_relay(self, plan: RelayPlan) -> None:
        """Keeps a relay under its name; one that is there is replaced. Raises a BookFault."""
        row = (plan.name, json.dumps(plan.as_dict()))
        self._do(lambda connection: connection.execute("INSERT OR REPLACE INTO relay VALUES (?, ?)", row))

    def drop_relay(self, name: str) -> None:
        """Raises a BookFault."""
        self._do(lambda connection: connection.execute("DELETE FROM relay WHERE name = ?", (name,)))

    def keep_round(self, name: str, toml: str) -> None:
        """Keeps a round under its name; one that is there is replaced. Raises a BookFault."""
        sql = "INSERT INTO round (name, toml) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET toml = excluded.toml"
        self._do(lambda connection: connection.execute(sql, (name, toml)))

    def drop_round(self, name: str) -> None:
        """Its values stay. Raises a BookFault."""
        self._do(lambda connection: connection.execute("DELETE FROM round WHERE name = ?", (name,)))

    def round_runs(self, name: str, running: bool) -> None:
        """Keeps whether it runs, so that it goes on at the next start. Does not wait for the disk."""
        sql = "UPDATE round SET running = ? WHERE name = ?"
        self.recorder.call(lambda connection: connection.execute(sql, (int(running), name)).rowcount)

    def items_for(self, items: list[Item]) -> dict[str, int]:
        """The numbers of these items, made where the book has none of this round and name. Raises a BookFault."""

        def work(connection: sqlite3.Connection) -> dict[str, int]:
            for one in items:
                connection.execute(
                    "INSERT INTO item (round, name, link, unit, question, every_s) VALUES (?, ?, ?, ?, ?, ?)"
                    " ON CONFLICT (round, name) DO UPDATE SET link = excluded.link, unit = excluded.unit,"
                    " question = excluded.question, every_s = excluded.every_s",
                    (one.round, one.name, one.link, one.unit, one.question, one.every_s),
                )
            rows = connection.execute("SELECT name, id FROM item WHERE round = ?", (items[0].round,)) if items else []
            return dict(rows)

        return self._do(work)  # type: ignore[no-any-return]

    # ---- older bytes

    def keep(self, who: str, keeping: Keeping | None, told: Callable[[Turned], None] = lambda turned: None) -> None:
        """What is kept in this book, and how long, as `who` wants it from now on; None: no longer. `told` is called, in
        the recorder's thread, when something went."""
        from ordolex.io.book.turning import Turner, together

        if keeping is None:
            self._keepings.pop(who, None)
        else:
            self._keepings[who] = keeping
        if not self._keepings:
            self.recorder.upkeep = None
            return
        turner = self._turner = Turner(self.path, together(self._keepings.values()))

        def turn(connection: sqlite3.Connection) -> bool:
            turned = turner.turn(connection, utc_us())
            if turned.words:
                told(turned)
            return turned.more

        self.recorder.upkeep = turn

    @property
    def volumes(self) -> list[Path]:
        """Books beside this one that older bytes went into, since it was opened; oldest first."""
        return list(self._turner.volumes) if self._turner is not None else []

    def _do(self, work: Any) -> Any:
        try:
            return self.recorder.call(work).result(timeout=5)
        except (sqlite3.Error, TimeoutError) as error:
            raise BookFault(f"{self.path} cannot be written: {error}", "make room on the disk") from error

    def close(self) -> None:
        """Ends the visit; everything recorded is in the file when this returns, whoever closes it. Closing twice does
        nothing."""
        with self._closing:
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


def _must_be_file(path: Path) -> None:
    if is_there(path) and not is_file(path):
        raise BookFault(f"{path} is no file", "give a book the name of a file, such as site.ordolex")


def make_book(path: Path, site: str) -> None:
    """A new book, in its place only once it is whole: whoever is killed in between leaves none. Raises OSError, or a
    BookFault where something stands there that is no file: a device would be replaced by it."""
    _must_be_file(path)
    aside = path.with_name(f".{path.name}.new")
    aside.unlink(missing_ok=True)
    private_file(aside)
    connection = sqlite3.connect(aside)
    schema.create(connection, site, utc_us())
    connection.close()
    with aside.open("rb") as file:
        os.fsync(file.fileno())
    aside.replace(path)


def examine(path: Path) -> None:
    """Looks whether a book is sound before anything is written into it. Raises BookFault. Of a large one only what is
    there to be found quickly is looked at."""
    try:
        reader = BookReader(path)
    except BookFault as fault:
        if "readonly" in str(fault):  # a journal that a killed writer left: it is taken up when the book is opened
            return
        raise
    try:
        reader.examine(thorough=path.stat().st_size <= _LOOKED_THROUGH)
    finally:
        reader.close()


def _make_folder(path: Path) -> None:
    try:
        private_folder(path.parent)
    except OSError as error:
        raise BookFault(f"{path.parent} cannot be made: {error.strerror}", "choose another folder") from error
