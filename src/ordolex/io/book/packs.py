"""The rows of bytes of a book as one sequence: those that were packed, and behind them those that are as they came.

What is packed is a run of rows from the first on (docs/book.md). A reader asks for what is not packed first: while that
cursor is open, SQLite shows the rest of the file as it was then, so that no row is missed or seen twice while the
recorder packs.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import chain, islice
from pathlib import Path
from typing import Any

from ordolex.core.record.packed import Heads, PackError, Row, is_text, unpacked
from ordolex.io.book.rows import AT_ONCE, CHUNK, LAST_ID, LAST_US, BookFile, damaged, where

Stream = tuple[int, str]
_KEPT = 6  # packs that stay unpacked in memory: a megabyte or two each


class Pack:
    """One run of packed rows; the pieces of its bytes are unpacked when they are asked for. Raises PackError."""

    def __init__(self, file: BookFile, first: int, count: int, heads: bytes) -> None:
        import numpy as np

        self._file, self.id = file, first
        self.heads = Heads(heads, count)
        if self.heads.ids[0] != first or self.heads.utc.min() < 0 or self.heads.utc.max() >= LAST_US:
            raise PackError(f"the pack of row {first} holds others")
        pieces: dict[Stream, list[tuple[int, int]]] = {}
        sql = "SELECT id, link, direction, at FROM piece WHERE pack = ? ORDER BY id"
        for id_, link, direction, at in file.read(sql, (first,)):
            pieces.setdefault((link, direction), []).append((at, id_))
        self._piece_of = np.zeros(count, np.int64)  # of each row the piece in which its bytes are
        self._at = np.zeros(count, np.int64)  # and where they begin in it
        self._data: dict[int, bytes] = {}
        for stream, known in pieces.items():
            places = self.heads.places(*stream)
            begins, ids = (np.array(column, np.int64) for column in zip(*known, strict=True))
            number = begins.searchsorted(self.heads.begins[places], "right") - 1
            self._piece_of[places], self._at[places] = ids[number], self.heads.begins[places] - begins[number]

    def ends(self, link: int, direction: str) -> tuple[list[int], list[int]]:
        """The ids of the rows of a link and direction, and where the bytes of each end."""
        places = self.heads.places(link, direction)
        return self.heads.ids[places].tolist(), (self.heads.begins[places] + self.heads.sizes[places]).tolist()

    def blocks(
        self, after: int, upto: int, link: int | None, direction: str | None, *, backwards: bool
    ) -> Iterator[list[Row]]:
        """The rows, some at once."""
        heads = self.heads
        first, last = (int(place) for place in heads.ids.searchsorted((after, upto), "right"))
        places = heads.places(link, direction, first, last)
        if backwards:
            places = places[::-1]
        at, step = 0, 16  # whoever asks for a neighbour wants few
        while at < len(places):
            some = places[at : at + step]
            yield list(zip(*heads.columns(some), self._bytes(some), strict=True))
            at, step = at + step, 4096

    def _bytes(self, places: Any) -> list[bytes]:
        """The bytes of rows."""
        pieces, begins, sizes = self._piece_of[places], self._at[places], self.heads.sizes[places]
        for id_ in set(pieces.tolist()) - self._data.keys():
            row = self._file.read("SELECT size, packed, data FROM piece WHERE id = ?", (id_,)).fetchone()
            if row is None:
                raise PackError("bytes are missing")
            self._data[id_] = unpacked(*row)
        ends, data = begins + sizes, self._data
        found = [
            data[id_][begin:end]
            for id_, begin, end in zip(pieces.tolist(), begins.tolist(), ends.tolist(), strict=True)
        ]  # fmt: skip
        if sum(map(len, found)) != sizes.sum():
            raise PackError("bytes are missing")
        return found


@dataclass(frozen=True, slots=True)
class PieceHead:
    """What is known of a piece without unpacking it."""

    id: int
    pack: int
    link: int
    direction: str
    at: int
    size: int
    head: bytes
    tail: bytes
    grams: bytes


class Packs:
    def __init__(self, file: BookFile) -> None:
        self._file = file
        self._kept: OrderedDict[int, Pack] = OrderedDict()

    @property
    def there(self) -> bool:
        """Whether the book can hold packs: one of an earlier version, that is only read, cannot."""
        return self._file.read("SELECT 1 FROM sqlite_master WHERE name = 'piece'").fetchone() is not None

    def rows(
        self, after: int = -1, upto: int | None = None, link: int | None = None, direction: str | None = None,
        *, backwards: bool = False,
    ) -> Iterator[Row]:  # fmt: skip
        """Rows of bytes by their id: behind `after`, up to and with `upto`; `backwards`, the last first. Raises a
        BookFault."""
        return chain.from_iterable(self.blocks(after, upto, link, direction, backwards=backwards))

    def blocks(
        self, after: int = -1, upto: int | None = None, link: int | None = None, direction: str | None = None,
        *, backwards: bool = False,
    ) -> Iterator[list[Row]]:  # fmt: skip
        """The same, some rows at once."""
        last = LAST_ID if upto is None else upto
        narrowing, narrowed = where(link=link, direction=direction)
        condition = f"{narrowing} AND" if narrowing else " WHERE"
        order = " DESC" if backwards else ""
        sql = f"SELECT {CHUNK} FROM chunk{condition} id > ? AND id <= ? ORDER BY id{order}"
        loose = iter(self._file.read(sql, (*narrowed, after, last)))
        if not backwards:
            yield from self._packed(after, last, link, direction, backwards=False)
        some = 1
        while block := list(islice(loose, some)):
            yield block
            some = min(AT_ONCE, 2 * some)
            if backwards:
                last = block[-1][0] - 1
        if backwards:
            yield from self._packed(after, last, link, direction, backwards=True)

    def _packed(
        self, after: int, upto: int, link: int | None, direction: str | None, *, backwards: bool
    ) -> Iterator[list[Row]]:
        if not self.there:
            return
        for first in self._packs(after, upto, link, direction, backwards=backwards):
            try:
                yield from self.pack(first).blocks(after, upto, link, direction, backwards=backwards)
            except PackError as error:
                if self.is_there(first):
                    raise damaged(self._file.path, error) from error

    def _packs(self, after: int, upto: int, link: int | None, direction: str | None, *, backwards: bool) -> list[int]:
        (begin,) = self._file.read("SELECT max(id) FROM pack WHERE id <= ?", (after + 1,)).fetchone()
        narrowing, narrowed = where(link=link, direction=direction)
        sql = "SELECT id FROM pack WHERE id >= ? AND id <= ? ORDER BY id"
        if narrowing:
            sql = f"SELECT DISTINCT pack FROM piece{narrowing} AND pack >= ? AND pack <= ? ORDER BY pack"
        found = [int(first) for (first,) in self._file.read(sql, (*narrowed, begin or 0, upto))]
        return found[::-1] if backwards else found

    def pack(self, first: int) -> Pack:
        """Raises PackError."""
        with self._file.lock:
            found = self._kept.pop(first, None)
            if found is None:
                found = self._pack(first)
            self._kept[first] = found
            while len(self._kept) > _KEPT:
                self._kept.popitem(last=False)
        return found

    def loose(self, link: int | None, direction: str | None) -> Iterable[tuple[int, int, str, bytes]]:
        """Rows that are not packed: id, link, direction, bytes. They are asked for at once, not when they are read."""
        narrowing, narrowed = where(link=link, direction=direction)
        return self._file.read(f"SELECT id, link, direction, data FROM chunk{narrowing} ORDER BY id", narrowed)

    @property
    def path(self) -> Path:
        return self._file.path

    def is_there(self, first: int) -> bool:
        """Whether a pack did not go into a volume, or away, since it was seen."""
        return self._file.read("SELECT 1 FROM pack WHERE id = ?", (first,)).fetchone() is not None

    def _pack(self, first: int) -> Pack:
        row = self._file.read("SELECT rows, heads FROM pack WHERE id = ?", (first,)).fetchone()
        if row is None:
            raise PackError(f"the pack of row {first} is not there")
        return Pack(self._file, first, *row)

    def row(self, id_: int) -> Row | None:
        return next(self.rows(id_ - 1, id_), None)

    def piece_heads(self, link: int | None, direction: str | None) -> Iterator[PieceHead]:
        """Of all pieces, in their order."""
        if self.there:
            narrowing, narrowed = where(link=link, direction=direction)
            sql = f"SELECT id, pack, link, direction, at, size, head, tail, grams FROM piece{narrowing} ORDER BY id"
            for row in self._file.read(sql, narrowed):
                yield PieceHead(*row)

    def piece(self, id_: int) -> bytes:
        """The bytes of a piece. Raises a BookFault."""
        row = self._file.read("SELECT size, packed, data FROM piece WHERE id = ?", (id_,)).fetchone()
        try:
            return unpacked(*row) if row is not None else b""  # it went into a volume meanwhile
        except PackError as error:
            raise damaged(self._file.path, error) from error

    def not_text(self) -> set[int]:
        """Links with bytes that are no plain text."""
        rows = self._file.read("SELECT link, data FROM chunk ORDER BY id")  # before the packs are asked for
        found = {link for link, data in rows if data and not is_text(data)}
        if self.there:
            found |= {link for (link,) in self._file.read("SELECT DISTINCT link FROM piece WHERE text = 0")}
        return found

    def spans(self) -> list[tuple[int, int]]:
        """The first and the last row of each pack."""
        return list(self._file.read("SELECT id, chunk_to FROM pack ORDER BY id")) if self.there else []

    def hashable(self, first: int) -> tuple[list[int], list[bytes], list[bytes]]:
        """Of the rows of a pack their ids, what the chain takes of their numbers, and their bytes. Raises PackError."""
        heads = self._pack(first).heads
        parts: dict[Stream, list[bytes]] = {}
        sql = "SELECT link, direction, size, packed, data FROM piece WHERE pack = ? ORDER BY id"
        for link, way, *piece in self._file.read(sql, (first,)):
            parts.setdefault((link, way), []).append(unpacked(*piece))
        data = [b""] * len(heads)
        for (link, way), pieces in parts.items():
            whole, places = b"".join(pieces), heads.places(link, way)
            ends = heads.begins[places] + heads.sizes[places]
            if len(places) and ends[-1] != len(whole):
                raise PackError(f"bytes of link {link} {way} are missing")
            cut = [whole[begin:end] for begin, end in zip(heads.begins[places].tolist(), ends.tolist(), strict=True)]
            if len(cut) == len(data):
                data = cut
            else:
                for place, one in zip(places.tolist(), cut, strict=True):
                    data[place] = one
        if sum(map(len, data)) != heads.sizes.sum():
            raise PackError("bytes of some rows are missing")
        return heads.ids.tolist(), heads.hashable(), data

    def ends(self) -> tuple[int, int]:
        """The ids of the first and of the last row; 0 where there is none."""
        low, high = self._file.read("SELECT (SELECT min(id) FROM chunk), (SELECT max(id) FROM chunk)").fetchone()
        if self.there:
            sql = "SELECT (SELECT min(id) FROM pack), (SELECT chunk_to FROM pack ORDER BY id DESC LIMIT 1)"
            first, last = self._file.read(sql).fetchone()
            low, high = (first if first is not None else low), (high if high is not None else last)
        return int(low or 0), int(high or 0)

    def first_id_at(self, utc_us: int) -> int | None:
        """The id of the first packed row that is not before this time; None where all are. Raises a BookFault."""
        if not self.there:
            return None
        sql = "SELECT id FROM pack WHERE last_utc_us >= ? ORDER BY last_utc_us, id LIMIT 1"
        row = self._file.read(sql, (utc_us,)).fetchone()
        if row is None:
            return None
        try:
            heads = self.pack(int(row[0])).heads
        except PackError as error:
            if not self.is_there(int(row[0])):
                return self.first_id_at(utc_us)
            raise damaged(self._file.path, error) from error
        return int(heads.ids[min(int(heads.utc.searchsorted(utc_us)), len(heads) - 1)])

    def sizes(self, after: int, upto: int) -> dict[tuple[int, str], int]:
        """Bytes of each link and direction in rows behind `after`, up to and with `upto`."""
        out: dict[tuple[int, str], int] = {}
        if self.there:
            whole = "SELECT id FROM pack WHERE id > ? AND chunk_to <= ?"
            sql = f"SELECT link, direction, sum(size) FROM piece WHERE pack IN ({whole}) GROUP BY link, direction"
            out = {(link, way): size for link, way, size in self._file.read(sql, (after, upto))}
            cut = "SELECT id FROM pack WHERE chunk_to > ? AND id <= ? AND NOT (id > ? AND chunk_to <= ?)"
            for (first,) in self._file.read(cut, (after, upto, after, upto)).fetchall():
                self._add(out, first, after, upto)
        sql = "SELECT link, direction, sum(length(data)) FROM chunk WHERE id > ? AND id <= ? GROUP BY link, direction"
        for link, way, size in self._file.read(sql, (after, upto)):
            if not isinstance(link, int) or not isinstance(size, int):
                raise damaged(self._file.path, f"bytes of a link {link!r}")
            out[link, way] = out.get((link, way), 0) + size
        return out

    def _add(self, out: dict[tuple[int, str], int], first: int, after: int, upto: int) -> None:
        try:
            heads = self.pack(first).heads
        except PackError as error:
            if not self.is_there(first):
                return
            raise damaged(self._file.path, error) from error
        begin, end = (int(place) for place in heads.ids.searchsorted((after, upto), "right"))
        for place in heads.places(None, None, begin, end).tolist():
            stream = int(heads.links[place]), ("rx", "tx")[heads.ways[place]]
            out[stream] = out.get(stream, 0) + int(heads.sizes[place])

    def totals(self) -> tuple[int, int]:
        """Rows and bytes."""
        count, total = self._file.read("SELECT count(*), coalesce(sum(length(data)), 0) FROM chunk").fetchone()
        if self.there:
            rows, size = self._file.read("SELECT coalesce(sum(rows), 0), coalesce(sum(bytes), 0) FROM pack").fetchone()
            count, total = count + rows, total + size
        return int(count), int(total)
