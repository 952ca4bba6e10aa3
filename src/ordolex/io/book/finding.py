"""Where bytes and words are in a book, found without building what does not hold them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from heapq import heappop, heappush
from typing import cast

from ordolex.core.record.items import Chunk, Event
from ordolex.io.book.rows import CHUNK, EVENT, BookFile, where

_MOST_NEIGHBOURS = 200  # chunks on each side that one line may be made of


class Finding:
    def __init__(self, file: BookFile) -> None:
        self._file = file

    def find(
        self, wanted: bytes, link: int | None = None, direction: str | None = None, *, fold: bool = False
    ) -> Iterator[int]:
        """Ids of the chunks in which these bytes end, in the order of the record, also where they began in the chunk
        before. With `fold` capital and small ASCII letters are the same."""
        narrowing, narrowed = where(link=link, direction=direction)
        narrowing = f"{narrowing} AND" if narrowing else " WHERE"
        head = wanted[:-1]  # what a chunk may end in, for the bytes to go on in the next
        held, look, ends = "instr(data, ?)", cast("str | bytes", wanted), head
        if fold:
            wanted = wanted.lower()
            held, look, ends = "instr(lower(data), ?)", wanted.decode("ascii"), head.lower() + head.upper()
        sql = (
            f"SELECT id, link, direction, {held}, substr(data, ?) FROM chunk{narrowing}"
            f" ({held} OR instr(?, substr(data, -1))) ORDER BY id"
        )
        later: list[int] = []
        last = -1
        for id_, of, way, holds, tail in self._file.read(sql, (look, -max(1, len(head)), *narrowed, look, ends)):
            tail = (tail or b"").lower() if fold else tail or b""
            if any(tail.endswith(wanted[:count]) for count in range(1, len(wanted))):
                found = self._goes_on(id_, of, way, tail, wanted, fold=fold)
                if found is not None:
                    heappush(later, found)
            while later and later[0] < id_:
                if (ready := heappop(later)) > last:
                    last = ready
                    yield ready
            if holds and id_ > last:
                last = id_
                yield id_
        yield from sorted({id_ for id_ in later if id_ > last})

    def _goes_on(self, id_: int, link: int, way: str, tail: bytes, wanted: bytes, *, fold: bool) -> int | None:
        """Whether bytes that begin at the end of a chunk go on behind it: the id of the chunk in which they end."""
        text = tail
        rows = self._file.read(
            "SELECT id, substr(data, 1, ?) FROM chunk WHERE link = ? AND direction = ? AND id > ? ORDER BY id",
            (len(wanted), link, way, id_),
        )
        for next_id, data in rows:
            data = data or b""  # a chunk of line errors has no bytes
            text += data.lower() if fold else data
            if text.find(wanted, max(0, len(tail) - len(wanted) + 1)) >= 0:
                return int(next_id)
            if len(text) >= len(tail) + len(wanted) - 1:
                break
        return None

    def around(self, ids: Iterable[int], reach: int = 0) -> Iterator[list[Chunk]]:
        """For each of these chunks it and its neighbours on the same link, from `reach` bytes before it on, as many as
        hold whole lines; chunks that lie together come together."""
        groups: dict[int, list[Chunk]] = {}  # the one that may still grow, by link
        for id_ in ids:
            hit = self._file.chunk(self._file.read(f"SELECT {CHUNK} FROM chunk WHERE id = ?", (id_,)).fetchone())
            group = groups.get(hit.link)
            after = self._neighbours(hit, "id > ? ORDER BY id", 0)
            if group is not None and id_ <= group[-1].id:
                group += [chunk for chunk in after if chunk.id > group[-1].id]
                continue
            found = [*reversed(self._neighbours(hit, "id < ? ORDER BY id DESC", reach)), hit, *after]
            if group is not None and found[0].id <= group[-1].id:
                group += [chunk for chunk in found if chunk.id > group[-1].id]
                continue
            if group is not None:
                yield group
            groups[hit.link] = found
        yield from groups.values()

    def _neighbours(self, hit: Chunk, order: str, reach: int) -> list[Chunk]:
        """Chunks beside this one on its link, up to the first that ends a line beyond `reach` bytes."""
        out: list[Chunk] = []
        rows = self._file.read(
            f"SELECT {CHUNK} FROM chunk WHERE link = ? AND {order} LIMIT {_MOST_NEIGHBOURS}", (hit.link, hit.id)
        )
        for row in rows:
            out.append(self._file.chunk(row))
            reach -= len(out[-1].data)
            if reach <= 0 and (b"\n" in out[-1].data or b"\r" in out[-1].data):
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
