"""Joins two books into a new one: what both recorded, by time, each row once; neither of the two is touched."""

from __future__ import annotations

import hashlib
import heapq
import json
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ordolex.core.record.chain import BEFORE, Hashed, Segment
from ordolex.core.record.items import LinkRecord
from ordolex.core.record.joining import Conflict, Paired, conflicts, filled, paired
from ordolex.core.visit.facts import TYPED
from ordolex.io.book.book import make_book
from ordolex.io.book.chain import seal
from ordolex.io.book.packs import Packs
from ordolex.io.book.reader import BookReader
from ordolex.io.book.rows import BookFile
from ordolex.io.book.values import ITEM_BITS, ValueWriter
from ordolex.io.book.verifying import verify_book
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_there, storable

_CHUNK = "visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"
_EVENT = "visit, link, utc_us, mono_us, kind, text, detail"
_SUMMARIES = {"value": "value, quality", "minute": "count, missing, low, high, total, squares"}
_SUBJECTS = {"line": "line settings", "endpoint": "place"}
"""What is said of a link → the subject of a fact, where that is called otherwise."""
_SUMMARIES["hour"] = _SUMMARIES["minute"]


@dataclass(slots=True)
class Joined:
    """same  links of the second book that are one of the first, with why; `doubled` are rows that both had"""

    links: int = 0
    same: list[tuple[str, str]] = field(default_factory=list)
    conflicts: list[Conflict] = field(default_factory=list)
    chunks: int = 0
    events: int = 0
    doubled: int = 0
    notes: list[str] = field(default_factory=list)

    @property
    def words(self) -> str:
        return (
            f"{self.links} links, {len(self.same)} of them in both; {self.chunks} pieces and {self.events} events;"
            f" {self.doubled} rows that both had are there once; {len(self.conflicts)} things are said differently"
        )


def join(first: Path, second: Path, into: Path) -> Joined:
    """Whole or not at all. Raises a Fault where one cannot be read, or `into` is there or cannot be written."""
    if is_there(into):
        raise Fault(f"{into} is there already", "choose a new name; nothing is written over")
    if first.resolve() == second.resolve():
        raise Fault("that is one book twice", "give two books")
    aside = into.with_name(f".{into.name}.joining")
    aside.unlink(missing_ok=True)
    readers = [BookReader(first), BookReader(second)]
    try:
        make_book(aside, readers[0].site())
        new = sqlite3.connect(aside)
        try:
            done = _Joining(readers, new).all()
            new.commit()
        finally:
            new.close()
        aside.replace(into)
    except (sqlite3.Error, OSError) as error:
        raise Fault(f"{into} cannot be written: {error}", "choose another place") from error
    finally:
        for reader in readers:
            reader.close()
        aside.unlink(missing_ok=True)
    return done


class _Joining:
    def __init__(self, readers: list[BookReader], new: sqlite3.Connection) -> None:
        self._readers, self._new, self._done = readers, new, Joined()
        self._files = [BookFile(reader.path) for reader in readers]
        self._visits: list[dict[int, int]] = [{}, {}]
        self._links: list[dict[int, int]] = [{0: 0}, {0: 0}]
        self._shared: set[int] = set()
        self._facts: list[tuple[int, str, str]] = []

    def all(self) -> Joined:
        self._join_visits()
        self._join_links()
        self._join_names()
        self._join_record()
        self._join_values()
        for file in self._files:
            file.close()
        return self._done

    # ---- visits and links

    def _join_visits(self) -> None:
        """In the order of time. One that is in both, since one book was begun as a copy of the other, is one."""
        columns = "id, started_utc_us, started_mono_us, ended_utc_us, program"
        rows = [(row, book) for book in (0, 1) for row in self._files[book].read(f"SELECT {columns} FROM visit")]
        known: dict[tuple[int, int], int] = {}
        for row, book in sorted(rows, key=lambda pair: (pair[0][1], pair[1])):
            key = (row[1], row[2])
            if key not in known:
                known[key] = len(known) + 1
                self._new.execute("INSERT INTO visit VALUES (?, ?, ?, ?, ?)", (known[key], *row[1:]))
            elif book == 1 or known[key] in self._visits[0].values():
                self._shared.add(known[key])
            self._visits[book][row[0]] = known[key]

    def _join_links(self) -> None:
        first, second = self._readers[0].links(), self._readers[1].links()
        born = [dict(file.read("SELECT id, created_utc_us FROM link").fetchall()) for file in self._files]
        copied = [id_ for id_, at in born[1].items() if at and born[0].get(id_) == at]
        by_first: dict[int, Paired] = {}
        pairs = paired(first, second, copied)
        for pair in pairs:
            if pair.same_as is not None:
                by_first[pair.same_as.id] = pair
        for link in first:
            other = by_first.get(link.id)
            self._links[0][link.id] = self._put(filled(link, other.link) if other else link, born[0].get(link.id, 0))
            if other is not None:
                self._links[1][other.link.id] = self._links[0][link.id]
                self._done.same.append((link.name, other.why))
                self._differ(link, other.link)
        names = {link.name for link in first}
        stem = storable(self._readers[1].path.stem)
        for pair in pairs:
            if pair.same_as is None:
                name = f"{pair.link.name} ({stem})" if pair.link.name in names else pair.link.name
                record = LinkRecord(**{**_fields(pair.link), "name": name})
                self._links[1][pair.link.id] = self._put(record, born[1].get(pair.link.id, 0))

    def _differ(self, link: LinkRecord, other: LinkRecord) -> None:
        found = conflicts(link, other)
        self._done.conflicts += found
        number = self._links[0][link.id]
        self._facts += [(number, _SUBJECTS.get(one.what, one.what.replace("_", " ")), one.second) for one in found]

    def _put(self, link: LinkRecord, created: int) -> int:
        self._done.links += 1
        row = _fields(link) | {"id": self._done.links, "created_utc_us": created}
        marks = ", ".join("?" * len(row))
        self._new.execute(f"INSERT INTO link ({', '.join(row)}) VALUES ({marks})", tuple(row.values()))
        return self._done.links

    def _join_names(self) -> None:
        """Names of adapters, relays: the first book's hold, and what the second has otherwise is said."""
        for table, key in (("adapter", "identity"), ("relay", "name")):
            value = "name" if table == "adapter" else "plan"
            for book, file in enumerate(self._files):
                if not file.read("SELECT 1 FROM sqlite_master WHERE name = ?", (table,)).fetchone():
                    continue
                for name, said in file.read(f"SELECT {key}, {value} FROM {table}").fetchall():
                    sql = f"INSERT OR IGNORE INTO {table} ({key}, {value}) VALUES (?, ?)"
                    if not self._new.execute(sql, (name, said)).rowcount and book == 1:
                        there = self._new.execute(f"SELECT {value} FROM {table} WHERE {key} = ?", (name,)).fetchone()[0]
                        if there != said:
                            self._done.notes.append(
                                f"{table} {name} is another in the second book; the first one's holds"
                            )

    # ---- what was recorded

    def _join_record(self) -> None:
        """Bytes and events by time, chained from the first on. Of a visit that both have each row is there once."""
        self._new.execute("INSERT INTO segment VALUES (0, 0, 0, 0, ?)", (BEFORE,))
        self._hashed = Hashed(Segment(0, 0, 0, 0, BEFORE))
        self._copy("chunk", _CHUNK, 3, 4)
        self._copy("event", _EVENT, 2, 3)
        self._say_where_from()
        seal(self._new, self._hashed, utc_us())

    def _copy(self, table: str, columns: str, utc: int, mono: int) -> None:
        seen: set[bytes] = set()
        number = 0
        ways = [self._rows(book, table, columns) for book in (0, 1)]
        for row in heapq.merge(*ways, key=lambda row: (row[utc], row[0], row[mono])):
            if row[0] in self._shared:
                mark = hashlib.sha256(repr(row).encode("utf-8", "surrogatepass")).digest()
                if mark in seen:
                    self._done.doubled += 1
                    continue
                seen.add(mark)
            number += 1
            self._write(table, columns, number, row)
        if table == "chunk":
            self._done.chunks = number
        else:
            self._done.events = number

    def _rows(self, book: int, table: str, columns: str) -> Iterator[tuple[Any, ...]]:
        visits, links = self._visits[book], self._links[book]
        file = self._files[book]
        rows = Packs(file).rows() if table == "chunk" else file.read(f"SELECT id, {columns} FROM event ORDER BY id")
        for _, visit, link, *rest in rows:
            yield (visits.get(visit, visit), links.get(link, 0), *rest)

    def _write(self, table: str, columns: str, number: int, row: tuple[Any, ...]) -> None:
        marks = ", ".join("?" * (len(row) + 1))
        self._new.execute(f"INSERT INTO {table} (id, {columns}) VALUES ({marks})", (number, *row))
        (self._hashed.chunk if table == "chunk" else self._hashed.event)((number, *row))
        if self._hashed.is_due:
            self._hashed = seal(self._new, self._hashed, utc_us())

    def _say_where_from(self) -> None:
        """What each book's own chain said, and what the second says of a device otherwise: as events of the join."""
        visit = max([*self._visits[0].values(), *self._visits[1].values(), 1])
        now, rows = utc_us(), []
        for reader in self._readers:
            held = verify_book(reader.path)
            name = storable(reader.path.name)
            rows.append((0, "note", f"joined from {name}: {held.words}", {"joined": name, "sha256": held.last}))
        source = f"the book {storable(self._readers[1].path.name)}"
        for link, what, value in self._facts:
            rows.append(
                (link, TYPED, f"{what}: {value} ({source})", {"subject": what, "value": value, "source": source})
            )
        for link, kind, text, detail in rows:
            self._done.events += 1
            row = (visit, link, now, 0, kind, text, json.dumps(detail, ensure_ascii=False))
            self._write("event", _EVENT, self._done.events, row)

    # ---- watched values

    def _join_values(self) -> None:
        """Rounds of both; one of the same name stays beside the other, but where the second's values are all there."""
        names: dict[int, dict[str, str]] = {0: {}, 1: {}}
        numbers = 0
        for book, file in enumerate(self._files):
            if not file.read("SELECT 1 FROM sqlite_master WHERE name = 'item'").fetchone():
                continue
            if book == 1 and self._is_all_there(file):
                continue
            taken = set(names[0].values())
            for name, toml, _ in file.read("SELECT name, toml, running FROM round").fetchall():
                fresh = f"{name} ({self._readers[1].path.stem})" if book == 1 and name in taken else name
                names[book][name] = fresh
                self._new.execute("INSERT OR IGNORE INTO round VALUES (?, ?, 0)", (fresh, toml))
            for row in file.read(
                "SELECT id, round, name, link, unit, question, every_s, decimals FROM item"
            ).fetchall():
                numbers += 1
                in_round = names[book].get(row[1], row[1])
                link = self._links[book].get(row[3], 0)
                put = "INSERT INTO item (id, round, name, link, unit, question, every_s, decimals)"
                self._new.execute(f"{put} VALUES (?, ?, ?, ?, ?, ?, ?, ?)", (numbers, in_round, row[2], link, *row[4:]))
                self._copy_values(file, int(row[0]), numbers)

    def _is_all_there(self, file: Any) -> bool:
        """Whether the first book has every value of this one under the same key: it was begun as its copy."""
        own = [tuple(row) for row in file.read("SELECT id, round, name FROM item").fetchall()]
        if not own:
            return True
        first = self._files[0]
        if not first.read("SELECT 1 FROM sqlite_master WHERE name = 'item'").fetchone():
            return False
        there = {tuple(row) for row in first.read("SELECT id, round, name FROM item").fetchall()}
        if not set(own) <= there:
            return False
        known = {key for (key,) in first.read("SELECT key FROM value")}
        return all(key in known for (key,) in file.read("SELECT key FROM value"))

    def _copy_values(self, file: Any, old: int, new: int) -> None:
        for table, columns in _SUMMARIES.items():
            span = ValueWriter.keys_of(old)
            marks = ", ".join("?" * (columns.count(",") + 2))
            rows = file.read(f"SELECT key, {columns} FROM {table} WHERE key BETWEEN ? AND ?", span)
            moved = ((key - (old << ITEM_BITS) + (new << ITEM_BITS), *rest) for key, *rest in rows)
            self._new.executemany(f"INSERT INTO {table} (key, {columns}) VALUES ({marks})", moved)


def _fields(link: LinkRecord) -> dict[str, Any]:
    return {name: getattr(link, name) for name in LinkRecord.__slots__}
