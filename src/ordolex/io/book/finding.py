"""Where bytes and words are in a book, found without building what does not hold them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator
from itertools import groupby

from ordolex.core.record.grams import Sought
from ordolex.core.record.items import Chunk, Event
from ordolex.core.record.packed import EDGE, PackError
from ordolex.io.book.packs import Packs, PieceHead, Stream
from ordolex.io.book.rows import EVENT, BookFile, damaged, where

_MOST_NEIGHBOURS = 200  # chunks on each side that one line may be made of


class Finding:
    def __init__(self, file: BookFile, packs: Packs) -> None:
        self._file, self._packs = file, packs

    def find(
        self, wanted: bytes, link: int | None = None, direction: str | None = None, *, fold: bool = False
    ) -> Iterator[int]:
        """Ids of the chunks in which these bytes end, those that are packed first, in the order of the record, also
        where they began in chunks before. With `fold` capital and small ASCII letters are the same."""
        first, rest = wanted[: EDGE + 1], wanted[EDGE + 1 :]  # so much is seen across the ends of packed pieces
        looking = _Looking(self._packs, first.lower() if fold else first, fold=fold)
        loose = self._packs.loose(link, direction)  # asked for first: it shows what was not packed then
        last = -1
        for found in (looking.packed(link, direction), looking.loose(loose)):
            for id_, behind in found:
                end = self._goes_on(id_, behind, rest, fold=fold) if rest else id_
                if end is not None and end != last:
                    yield (last := end)

    def _goes_on(self, id_: int, behind: int, rest: bytes, *, fold: bool) -> int | None:
        """The id of the chunk in which `rest` ends, which begins `behind` bytes before the end of this one; None where
        something else stands there."""
        row = self._packs.row(id_)
        text = row[11][len(row[11]) - behind :] if row is not None else b""
        while row is not None and len(text) < len(rest):
            row = next(self._packs.rows(row[0], None, row[2], row[3]), None)
            text += row[11] if row is not None else b""
        is_it = text.lower().startswith(rest.lower()) if fold else text.startswith(rest)
        return int(row[0]) if row is not None and is_it else None

    def around(self, ids: Iterable[int], reach: int = 0) -> Iterator[list[Chunk]]:
        """For each of these chunks it and its neighbours on the same link, from `reach` bytes before it on, as many as
        hold whole lines; chunks that lie together come together."""
        groups: dict[int, list[Chunk]] = {}  # the one that may still grow, by link
        for id_ in ids:
            row = self._packs.row(id_)
            if row is None:
                continue  # it left the book meanwhile
            hit = self._file.chunk(row)
            group = groups.get(hit.link)
            if group is not None and id_ <= group[-1].id and _ends_line(group, id_):
                continue
            after = self._neighbours(hit, 0, backwards=False)
            if group is not None and id_ <= group[-1].id:
                group += [chunk for chunk in after if chunk.id > group[-1].id]
                continue
            found = [*reversed(self._neighbours(hit, reach, backwards=True)), hit, *after]
            if group is not None and found[0].id <= group[-1].id:
                group += [chunk for chunk in found if chunk.id > group[-1].id]
                continue
            if group is not None:
                yield group
            groups[hit.link] = found
        yield from groups.values()

    def _neighbours(self, hit: Chunk, reach: int, *, backwards: bool) -> list[Chunk]:
        """Chunks beside this one on its link, up to the first that ends a line beyond `reach` bytes."""
        out: list[Chunk] = []
        after, upto = (-1, hit.id - 1) if backwards else (hit.id, None)
        for row in self._packs.rows(after, upto, hit.link, backwards=backwards):
            out.append(self._file.chunk(row))
            reach -= len(out[-1].data)
            if len(out) == _MOST_NEIGHBOURS or (reach <= 0 and _has_end(out[-1])):
                break
        return out

    def events_with(self, text: str, link: int | None = None) -> Iterator[Event]:
        """Events whose words hold this text, in any case."""
        narrowing, values = where(link=link)
        joined = f"{narrowing} AND" if narrowing else " WHERE"
        pattern = "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        for row in self._file.read(
            f"SELECT {EVENT} FROM event{joined} text LIKE ? ESCAPE '\\' ORDER BY id", (*values, pattern)
        ):
            yield self._file.event(row)


def _has_end(chunk: Chunk) -> bool:
    return b"\n" in chunk.data or b"\r" in chunk.data


def _ends_line(group: list[Chunk], id_: int) -> bool:
    """Whether a chunk behind this one ends a line in the group: then there is nothing to add to it."""
    return any(chunk.id > id_ and _has_end(chunk) for chunk in reversed(group[-_MOST_NEIGHBOURS:]))


class _Looking:
    """One search; `carried` are the last bytes of each link and direction, in which what is looked for may begin. What
    is found is (id of the chunk in which it ends, bytes of that chunk behind it)."""

    def __init__(self, packs: Packs, wanted: bytes, *, fold: bool) -> None:
        self._packs, self._wanted, self._fold = packs, wanted, fold
        self._grams = Sought(wanted)
        self._carried: dict[Stream, bytes] = {}

    def _as_looked_at(self, data: bytes) -> bytes:
        return data.lower() if self._fold else data

    def _carry(self, stream: Stream, data: bytes) -> bytes:
        """Keeps the end of what passed, of which `data` is the last; what was carried before."""
        before, most = self._carried.get(stream, b""), len(self._wanted) - 1
        self._carried[stream] = (before + data)[-most:] if most else b""
        return before

    def packed(self, link: int | None, direction: str | None) -> Iterator[tuple[int, int]]:
        for first, pieces in groupby(self._packs.piece_heads(link, direction), lambda piece: piece.pack):
            ends: dict[Stream, list[int]] = {}
            for piece in pieces:
                stream = piece.link, piece.direction
                if found := self._ends_in(piece, stream):
                    ends.setdefault(stream, []).extend(found)
            if ends:
                yield from sorted(set(self._rows_of(first, ends)))

    def _ends_in(self, piece: PieceHead, stream: Stream) -> list[int]:
        """Where it ends in a piece, among the bytes of its link and direction in the pack."""
        wanted, size = self._wanted, len(self._wanted)
        head, tail = self._as_looked_at(piece.head), self._as_looked_at(piece.tail)
        before = self._carry(stream, tail)
        across = before + head[: size - 1]
        out = [piece.at + at + size - len(before) for at in _all(across, wanted)]
        if piece.size >= size and self._grams.may_be_in(piece.grams):
            data = self._as_looked_at(self._packs.piece(piece.id))
            out += [piece.at + at + size for at in _all(data, wanted)]
        return out

    def _rows_of(self, first: int, ends: dict[Stream, list[int]]) -> Iterator[tuple[int, int]]:
        try:
            pack = self._packs.pack(first)
        except PackError as error:
            if not self._packs.is_there(first):
                return
            raise damaged(self._packs.path, error) from error
        for stream, found in ends.items():
            ids, row_ends = pack.ends(*stream)
            for end in found:
                number = bisect_right(row_ends, end - 1)
                if number >= len(ids):
                    raise damaged(self._packs.path, f"bytes of the pack of row {first} have no row")
                yield ids[number], row_ends[number] - end

    def loose(self, rows: Iterable[tuple[int, int, str, bytes]]) -> Iterator[tuple[int, int]]:
        """In rows that are not packed: id, link, direction, bytes."""
        wanted = self._wanted
        for id_, link, direction, data in rows:
            data = self._as_looked_at(data or b"")  # a chunk of line errors has no bytes
            text = self._carry((link, direction), data) + data
            for at in _all(text, wanted):
                yield id_, len(text) - at - len(wanted)


def _all(data: bytes, wanted: bytes) -> Iterator[int]:
    at = data.find(wanted)
    while at >= 0:
        yield at
        at = data.find(wanted, at + 1)
