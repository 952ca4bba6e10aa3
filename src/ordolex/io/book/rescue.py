"""Saves what can be read of a damaged book into a new one, row by row; the damaged one is only read, from a copy."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from typing import Any

from ordolex.core.record.packed import Heads, PackError, unpacked
from ordolex.core.text.counts import counted
from ordolex.io.book.book import make_book
from ordolex.io.book.rows import LAST_ID, LAST_US
from ordolex.io.book.values import ITEM_BITS, ValueWriter
from ordolex.io.system.faults import BookFault, Fault
from ordolex.io.system.files import is_file, storable

_MAGIC = b"SQLite format 3\x00"
_PAGE_SIZE = (8192).to_bytes(2)
_GIVE_UP_AFTER = 1 << 20
"""Ids without a readable row after which a table is taken to have ended."""
_GAP_MS = 1 << 37
"""Values are kept by item and millisecond: one that is later than its neighbour by more than four years is none."""
_ALL_MS = 1 << (ITEM_BITS - 1)
_TABLES = {
    "site": "name, created_utc_us",
    "visit": "id, started_utc_us, started_mono_us, ended_utc_us, program",
    "link": "id, name, endpoint, line, source, adapter, first_question, line_end, sheet, unit, identity, outputs,"
    " charset, created_utc_us",
    "adapter": "identity, name",
    "relay": "name, plan",
    "round": "name, toml, running",
    "item": "id, round, name, link, unit, question, every_s, decimals",
    "value": "key, value, quality",
    "minute": "key, count, missing, low, high, total, squares",
    "hour": "key, count, missing, low, high, total, squares",
    "outbox": "id, topic, payload, retained",
    "confirmed": "broker, upto",
    "chunk": "id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data",
    "event": "id, visit, link, utc_us, mono_us, kind, text, detail",
}


@dataclass(slots=True)
class Rescued:
    """How much was saved, and how often the reading had to skip something."""

    links: int = 0
    chunks: int = 0
    bytes: int = 0
    events: int = 0
    skipped: int = 0

    def as_dict(self) -> dict[str, int]:
        return {
            "links": self.links, "chunks": self.chunks, "bytes": self.bytes, "events": self.events,
            "skipped": self.skipped,
        }  # fmt: skip

    @property
    def words(self) -> str:
        lost = (
            f"; in {counted(self.skipped, 'place')} something could not be read"
            if self.skipped
            else "; nothing was skipped"
        )
        saved = f"saved {counted(self.bytes, 'byte')} in {counted(self.chunks, 'piece')}"
        return f"{saved}, {counted(self.events, 'event')}, {counted(self.links, 'link')}{lost}"


def rescue(damaged: Path, into: Path) -> Rescued:
    """Raises a Fault where nothing can be opened or nothing can be written."""
    if not is_file(damaged):
        raise Fault(f"there is no book {damaged}", "check the path")
    done = Rescued()
    with tempfile.TemporaryDirectory(dir=into.parent, prefix=".rescue-") as folder:
        try:
            old = _opened(damaged, Path(folder))
            make_book(into, damaged.stem)
            new = sqlite3.connect(into)
            new.execute("DELETE FROM site")
            for table, columns in _TABLES.items():
                _save(old, new, table, columns, done)
            if not new.execute("SELECT count(*) FROM site").fetchone()[0]:
                new.execute("INSERT INTO site VALUES (?, 0)", (storable(damaged.stem),))
            _save_packed(old, new, done)
            _name_links(new)
            new.commit()
            new.close()
            old.close()
        except (sqlite3.Error, OSError) as error:
            raise Fault(f"{into} cannot be written: {error}", "choose another place") from error
    return done


def _opened(damaged: Path, folder: Path) -> sqlite3.Connection:
    """A copy that SQLite opens; with its journal, or without where that is what is damaged."""
    why: object = "its file is too short"
    for journal in (True, False):
        copy = folder / f"copy-{journal}.ordolex"
        shutil.copyfile(damaged, copy)
        wal = damaged.with_name(damaged.name + "-wal")
        if journal and wal.is_file():
            shutil.copyfile(wal, copy.with_name(copy.name + "-wal"))
        with copy.open("r+b") as file:
            head = file.read(18)
            if head[:16] != _MAGIC:
                file.seek(0)
                file.write(_MAGIC + _PAGE_SIZE)
        connection = sqlite3.connect(copy)
        connection.text_factory = lambda data: data.decode("utf-8", "replace")
        try:
            connection.execute("PRAGMA writable_schema = ON")  # lets a schema be read of which a part is damaged
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
            connection.execute("SELECT id FROM chunk LIMIT 1").fetchone()
        except sqlite3.Error as error:
            why = error
            connection.close()
            continue
        return connection
    raise BookFault(f"nothing of {damaged} can be opened: {why}", "it was left as it is")


def _save(old: sqlite3.Connection, new: sqlite3.Connection, table: str, columns: str, done: Rescued) -> None:
    wanted = _columns_there(old, table, columns)
    if not wanted:
        return  # a book from before there was such a table
    marks = ", ".join("?" * len(wanted))
    for row in _spanned(old, new, table, ", ".join(wanted), done):
        try:
            added = new.execute(f"INSERT OR IGNORE INTO {table} ({', '.join(wanted)}) VALUES ({marks})", row).rowcount
        except sqlite3.Error:
            done.skipped += 1
            continue
        if added < 1:
            continue  # it was there: a damaged file may show a row twice
        done.links += table == "link"
        done.events += table == "event"
        if table == "chunk":
            done.chunks += 1
            done.bytes += len(row[-1]) if isinstance(row[-1], bytes) else 0


def _save_packed(old: sqlite3.Connection, new: sqlite3.Connection, done: Rescued) -> None:
    """What was packed, as rows again: those whose numbers and bytes can both be read."""
    if not _has_table(old, "pack") or not _has_table(old, "piece"):
        return
    everything = ((-1, LAST_ID), LAST_ID, _GIVE_UP_AFTER)
    heads = {first: (count, data) for first, count, data in _rows(old, "pack", "id, rows, heads", done, *everything)}
    pieces = _rows(old, "piece", "pack, link, direction, at, size, packed, data", done, *everything)
    for first, of_pack in groupby(pieces, lambda piece: piece[0]):
        try:
            read = Heads(heads[first][1], heads[first][0])
        except (KeyError, PackError):
            done.skipped += 1
            continue
        for row in _rows_of(read, [piece[1:] for piece in of_pack], done):
            _put_row(new, row, done)


def _rows_of(heads: Heads, pieces: list[tuple[Any, ...]], done: Rescued) -> Iterator[tuple[Any, ...]]:
    known: dict[tuple[int, str], dict[int, bytes]] = {}
    for link, direction, at, size, packed, data in pieces:
        try:
            known.setdefault((link, direction), {})[at] = unpacked(size, bool(packed), data)
        except PackError:
            done.skipped += 1
    begins = {stream: sorted(of) for stream, of in known.items()}
    places = heads.places(None, None)
    for *row, begin, size in zip(*heads.columns(places), heads.begins.tolist(), heads.sizes.tolist(), strict=True):
        end = begin + size
        stream = row[2], row[3]
        number = bisect_right(begins.get(stream, []), begin) - 1
        at = begins[stream][number] if number >= 0 else 0
        data = known[stream][at][begin - at : end - at] if number >= 0 else b""
        if len(data) == end - begin and number >= 0:
            yield (*row, data)


def _put_row(new: sqlite3.Connection, row: tuple[Any, ...], done: Rescued) -> None:
    marks = ", ".join("?" * len(row))
    if _is_whole("chunk", row) and new.execute(f"INSERT OR IGNORE INTO chunk VALUES ({marks})", row).rowcount > 0:
        done.chunks += 1
        done.bytes += len(row[-1])


def _has_table(old: sqlite3.Connection, table: str) -> bool:
    try:
        return bool(old.execute(f"PRAGMA table_info({table})").fetchall())
    except sqlite3.Error:
        return False


def _columns_there(old: sqlite3.Connection, table: str, columns: str) -> list[str]:
    """A book of an earlier version lacks some columns."""
    try:
        there = {row[1] for row in old.execute(f"PRAGMA table_info({table})")}
    except sqlite3.Error:
        there = set()
    return [name for name in columns.split(", ") if not there or name in there]


def _spanned(
    old: sqlite3.Connection, new: sqlite3.Connection, table: str, columns: str, done: Rescued
) -> Iterator[tuple[Any, ...]]:
    """The rows of a table; those that are kept by item and time item by item, for their ids lie far apart."""
    if table not in ("value", "minute", "hour"):
        yield from _rows(old, table, columns, done, (-1, LAST_ID), _GIVE_UP_AFTER, _GIVE_UP_AFTER)
        return
    for (item,) in new.execute("SELECT id FROM item ORDER BY id").fetchall():
        first, last = ValueWriter.keys_of(item)
        yield from _rows(old, table, columns, done, (first - 1, last), _GAP_MS, _ALL_MS)


def _rows(
    old: sqlite3.Connection, table: str, columns: str, done: Rescued, span: tuple[int, int], near: int, reach: int
) -> Iterator[tuple[Any, ...]]:
    """Every row of a span of ids that can be read, as they lie in the file; where one cannot, from the next id on that
    can, up to `reach` behind. In a damaged file ids come in any order and rows come twice: what counts as progress is a
    higher id that is `near` the last one, wherever the first is."""
    (last, end), step, some = span, 1, near == reach
    sql = f"SELECT rowid, {columns} FROM {table} WHERE rowid > ? AND rowid <= ? ORDER BY rowid"
    while step <= reach:
        highest, whole = last, False
        try:
            for row in old.execute(sql, (last, end)):
                if row[0] > highest and (row[0] <= highest + near or not some):
                    highest, some = row[0], True
                if _is_whole(table, row[1:]):
                    yield row[1:]
                else:
                    done.skipped += 1
            whole = True
        except sqlite3.Error:
            done.skipped += step == 1
        if whole:
            return
        last, step = (highest, 1) if highest > last else (last + step, step * 2)


def _is_whole(table: str, row: tuple[Any, ...]) -> bool:
    if table == "chunk":
        return (
            isinstance(row[-1], bytes)
            and row[3] in ("rx", "tx")
            and all(isinstance(n, int) for n in row[4:11])
            and 0 <= row[4] < LAST_US
        )
    if table == "pack":
        return isinstance(row[0], int) and isinstance(row[1], int) and isinstance(row[2], bytes)
    if table == "piece":
        pack, link, direction, at, size, _, data = row
        numbers = all(isinstance(n, int) and n >= 0 for n in (pack, link, at, size))
        return numbers and direction in ("rx", "tx") and isinstance(data, bytes)
    if table == "event":
        return all(isinstance(n, int) for n in row[:5]) and all(isinstance(t, str) for t in row[5:]) and _is_told(row)
    if table == "link":
        return all(isinstance(value, int if place in (0, 9, len(row) - 1) else str) for place, value in enumerate(row))
    return True


def _is_told(row: tuple[Any, ...]) -> bool:
    try:
        return isinstance(json.loads(row[-1]), dict) and 0 <= row[3] < LAST_US
    except (ValueError, RecursionError):
        return False


def _name_links(new: sqlite3.Connection) -> None:
    """Links whose row is lost get one, so that their bytes can be found."""
    lost = new.execute("SELECT DISTINCT link FROM chunk WHERE link NOT IN (SELECT id FROM link)").fetchall()
    for (number,) in lost:
        new.execute(
            "INSERT INTO link (id, name, endpoint, created_utc_us) VALUES (?, ?, '', 0)", (number, f"link {number}")
        )
