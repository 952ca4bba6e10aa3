"""Tables of other instruments: read from a file, and kept in the book as values to compare with."""

from __future__ import annotations

import codecs
import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from statistics import median

from ordolex.core.text.counts import counted
from ordolex.core.watch.imported import LARGEST, Imported, Table, TableError, TimeForm, imported, read_table, times_us
from ordolex.core.watch.samples import Sample
from ordolex.io.book.book import Book
from ordolex.io.book.values import IMPORTED, UNFINISHED, Item, ValueWriter
from ordolex.io.system.faults import BookFault, Fault
from ordolex.io.system.files import read_given

_PIECE = 20_000
"""Values that are written at once: what is recorded meanwhile does not wait for long."""
_WAIT_S = 60.0


@dataclass(frozen=True, slots=True)
class Choice:
    """How a table is taken: its time column and the form of its times, by how many seconds they are moved, and the
    columns of values."""

    time_column: int
    form: TimeForm
    columns: tuple[int, ...]
    offset_s: float = 0.0


def table_of(path: Path) -> Table:
    """Raises a Fault."""
    try:
        return read_table(_decoded(read_given(path, "a table; cut a longer one into several files", LARGEST)))
    except TableError as error:
        raise Fault(f"{path.name}: {error}", "write it as CSV, with a time and values in each line") from error


def _decoded(data: bytes) -> str:
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")  # what spreadsheets write where they do not write UTF-8


@dataclass(frozen=True, slots=True)
class Kept:
    """What came into the book, under this name of a round."""

    name: str
    columns: tuple[Imported, ...]
    no_time: int

    @property
    def count(self) -> int:
        return sum(len(column.samples) for column in self.columns)

    @property
    def words(self) -> str:
        left = sum(column.unreadable for column in self.columns)
        said = f"{counted(self.count, 'value')} of {counted(len(self.columns), 'column')} are in the book"
        return said + (f"; {left} cells could not be read and are left out" if left else "")


def keep(
    book: Book, path: Path, table: Table, choice: Choice, told: Callable[[float], None] = lambda share: None
) -> Kept:
    """Keeps the chosen columns, each as an item of its own; `told` hears how much of it is done. Not for the screen's
    loop. Raises a Fault; what was kept until then says that it is not whole."""
    times = times_us(table, choice.time_column, choice.form, choice.offset_s)
    columns = _with_own_names([imported(table, times, column) for column in choice.columns])
    if not any(column.samples for column in columns):
        raise Fault(
            f"no value of {path.name} has a time that reads as {choice.form.name}",
            f"choose another time column or form; such a time looks like {choice.form.example}",
        )
    name = _free_name(book, path)
    items = [
        Item(0, name + UNFINISHED, column.name, 0, column.unit, f"column {table.headings[place]!r}"[:200],
             _every_s(column.samples))
        for column, place in zip(columns, choice.columns, strict=True)
    ]  # fmt: skip
    ids = book.items_for(items)
    writer, done, total = ValueWriter(), 0, sum(len(column.samples) for column in columns)
    for column in columns:
        id_ = ids[column.name]
        for begin in range(0, len(column.samples), _PIECE):
            piece = [Sample(id_, s.utc_us, s.value, s.quality) for s in column.samples[begin : begin + _PIECE]]
            _written(book, lambda connection, piece=piece: writer.write(connection, piece))  # type: ignore[misc]
            done += len(piece)
            told(done / total)
    sql = "UPDATE item SET round = ? WHERE round = ?"
    _written(book, lambda connection: connection.execute(sql, (name, name + UNFINISHED)))
    return Kept(name, tuple(columns), sum(at is None for at in times))


def _with_own_names(columns: Sequence[Imported]) -> list[Imported]:
    """Two of one name with different units, or a third, are told apart."""
    out: list[Imported] = []
    for column in columns:
        name, number = column.name, 1
        while name in {one.name for one in out}:
            number += 1
            name = f"{column.name} {column.unit or number}" if number == 2 else f"{column.name} {number}"
        out.append(replace(column, name=name))
    return out


def _free_name(book: Book, path: Path) -> str:
    there = {item.round.removesuffix(UNFINISHED) for item in book.reader.values.items()}
    name, number = f"{IMPORTED}{path.name}"[:120], 1
    while name in there:
        number += 1
        name = f"{IMPORTED}{path.name}"[:120] + f" {number}"
    return name


def _every_s(samples: Sequence[Sample]) -> float:
    """How far apart its values stand, at the median."""
    apart = [two.utc_us - one.utc_us for one, two in pairwise(samples[:2000])]
    return max(0.001, median(apart) / 1e6) if apart else 1.0


def forget(book: Book, name: str) -> None:
    """An import leaves the book, values and all. Raises a Fault."""
    _written(book, lambda connection: _forget(connection, name))


def _forget(connection: sqlite3.Connection, name: str) -> None:
    for (id_,) in connection.execute("SELECT id FROM item WHERE round = ?", (name,)).fetchall():
        for table in ("value", "minute", "hour"):
            connection.execute(f"DELETE FROM {table} WHERE key BETWEEN ? AND ?", ValueWriter.keys_of(id_))
    connection.execute("DELETE FROM item WHERE round = ?", (name,))


def _written(book: Book, work: Callable[[sqlite3.Connection], object]) -> None:
    try:
        book.recorder.call(work).result(timeout=_WAIT_S)
    except (sqlite3.Error, OSError, TimeoutError) as error:
        raise BookFault(f"{book.path} cannot be written: {error}", "make room on the disk") from error
