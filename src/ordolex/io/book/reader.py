"""Reads a book: links, and the timeline of chunks and events. Any number of readers may look on while it is written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from ordolex.core.record.items import Chunk, Event, LinkRecord
from ordolex.core.record.visits import visit_starts
from ordolex.io.book.finding import Finding
from ordolex.io.book.known import Known
from ordolex.io.book.packs import Packs
from ordolex.io.book.rows import EVENT, LAST_ID, BookFile, chunk_of, damaged, guarded, where
from ordolex.io.book.values import Values

LATEST_BYTES = 2 << 20
"""Bytes of the record that are read to begin with: thousands of lines, and a few milliseconds."""

Span = tuple[int | None, int | None]
"""From a time on, and before another, in microseconds UTC; None for an end that is open."""


class BookReader:
    """known  what the book knows beyond its bytes
    found  where bytes and words are in it
    values what rounds brought
    Raises a BookFault where it is no book, or damaged."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._file = BookFile(path)
        self.known = Known(self._file)
        self._packs = Packs(self._file)
        self.found = Finding(self._file, self._packs)
        self.values = Values(self._file)

    def examine(self, *, thorough: bool) -> None:
        """Raises BookFault where the file is damaged, as far as is seen: with `thorough` all of it is looked at."""
        if thorough:
            (said,) = self._file.read("PRAGMA quick_check(1)").fetchone()
            if said != "ok":
                raise damaged(self._file.path, said)
        self.links()
        self.latest(50)

    def site(self) -> str:
        row = self._file.read("SELECT name FROM site").fetchone()
        return str(row[0]) if row else self._file.path.stem

    def created_us(self) -> int:
        row = self._file.read("SELECT created_utc_us FROM site").fetchone()
        return int(row[0]) if row else 0

    def links(self) -> list[LinkRecord]:
        rows = self._file.read(f"SELECT {self._file.link_columns()} FROM link ORDER BY id")
        return [guarded(self._file.path, _link, row) for row in rows]

    def charsets(self) -> dict[int, str]:
        """The character set of each link for which one was chosen."""
        return {link.id: link.reads_in for link in self.links() if link.charset}

    def visits(self) -> list[tuple[int, int, int | None, str]]:
        """(number, beginning, end where it is known, program) of each opening of the book, in order; times are UTC."""
        rows = self._file.read("SELECT id, started_utc_us, ended_utc_us, program FROM visit ORDER BY id")
        return [
            guarded(self._file.path, lambda one: (int(one[0]), int(one[1]), one[2] and int(one[2]), str(one[3])), row)
            for row in rows
        ]

    def visit_starts(self) -> list[int]:
        """When visits began; openings that follow each other soon are one. UTC, microseconds."""
        visits = self.visits()
        nexts = [began for _, began, _, _ in visits[1:]]
        known = [
            ended or self._last_before(following) for (_, _, ended, _), following in zip(visits, nexts, strict=False)
        ]
        return visit_starts([(began, last) for (_, began, _, _), last in zip(visits, [*known, 0], strict=False)])

    def _last_before(self, utc_us: int) -> int:
        """The time of the last thing recorded before a moment; for an opening of which the end is not known."""
        return max((item.utc_us for item in self.latest(1, before_us=utc_us)), default=0)

    def sizes(self, span: Span = (None, None)) -> dict[int, tuple[int, int]]:
        """Link → bytes heard and bytes sent."""
        out: dict[int, tuple[int, int]] = {}
        for (link, direction), size in self._packs.sizes(*self._ids(span)).items():
            heard, sent = out.get(link, (0, 0))
            out[link] = (heard + size, sent) if direction == "rx" else (heard, sent + size)
        return out

    def chunks(
        self, link: int | None = None, direction: str | None = None, span: Span = (None, None)
    ) -> Iterator[Chunk]:
        try:
            for block in self._packs.blocks(*self._ids(span), link, direction):
                yield from map(chunk_of, block)
        except (ValueError, TypeError) as error:
            raise damaged(self._file.path, error) from error

    def events(self, link: int | None = None, span: Span = (None, None)) -> Iterator[Event]:
        spanned, values = self._spanned(span, link)
        for row in self._file.read(f"SELECT {EVENT} FROM event{spanned} ORDER BY id", values):
            yield self._file.event(row)

    def _ids(self, span: Span) -> tuple[int, int]:
        """Rows of bytes in a span of time: behind which id they are, and up to which."""
        first, last = span
        after = -1 if first is None else self._first_chunk(first) - 1
        return after, LAST_ID if last is None else self._first_chunk(last) - 1

    def _first_chunk(self, utc_us: int) -> int:
        packed = self._packs.first_id_at(utc_us)
        return self._first_id("chunk", utc_us) if packed is None else packed

    def _spanned(self, span: Span, link: int | None) -> tuple[str, tuple[object, ...]]:
        """The same as `where` for events, for a span of time too. Rows were written in the order of time, so the ends
        of the span are found by halving, however large the book is."""
        condition, values = where(link=link)
        for sign, bound in ((">=", span[0]), ("<", span[1])):
            if bound is not None:
                condition += (" AND" if condition else " WHERE") + f" id {sign} ?"
                values = (*values, self._first_id("event", bound))
        return condition, values

    def _first_id(self, table: str, utc_us: int) -> int:
        """The id of the first row that is as it came and not before this time; one beyond the last where all are."""
        ends = f"SELECT (SELECT coalesce(min(id), 0) FROM {table}), (SELECT coalesce(max(id), 0) + 1 FROM {table})"
        low, high = self._file.read(ends).fetchone()  # asked for together, they would make SQLite read the whole table
        while low < high:
            middle = (low + high) // 2
            row = self._file.read(f"SELECT utc_us FROM {table} WHERE id >= ? ORDER BY id LIMIT 1", (middle,)).fetchone()
            if row is not None and row[0] < utc_us:
                low = middle + 1
            else:
                high = middle
        return int(low)

    def first_and_last_us(self) -> tuple[int, int] | None:
        """When the record begins and ends; None where nothing is in it."""
        times = [
            row[0]
            for order in ("", " DESC")
            if (row := self._file.read(f"SELECT utc_us FROM event ORDER BY id{order} LIMIT 1").fetchone())
        ]
        times += [row[4] for back in (False, True) if (row := next(self._packs.rows(backwards=back), None))]
        return (min(times), max(times)) if times else None

    def timeline(
        self, link: int | None = None, direction: str | None = None, span: Span = (None, None)
    ) -> Iterator[Chunk | Event]:
        """Everything in the order of time; with a direction, bytes of that direction only; with a span, from its first
        time on and before its last."""
        chunks = self.chunks(link, direction, span)
        if direction is not None:
            return iter(chunks)
        return _in_time(chunks, self.events(link, span))

    def latest(self, count: int, link: int | None = None, before_us: int | None = None) -> list[Chunk | Event]:
        """The last `count` chunks (before a time), or as many as hold LATEST_BYTES, and as many events; oldest first.

        Bounded both ways, so that a large book opens at once.
        """
        chunks: list[Chunk] = []
        total = 0
        more = False
        if count > 0:
            for row in self._packs.rows(*self._ids((None, before_us)), link, backwards=True):
                total += len(row[11])
                more = bool(chunks) and total > LATEST_BYTES
                if more:
                    break
                chunks.append(self._file.chunk(row))
                if more := len(chunks) == count:
                    break
        spanned, values = self._spanned((None, before_us), link)
        event_rows = self._file.read(
            f"SELECT {EVENT} FROM event{spanned} ORDER BY id DESC LIMIT ?", (*values, count)
        ).fetchall()
        if before_us is not None and more:
            oldest = chunks[-1].utc_us  # events far before the bytes that were read would stand there without them
            event_rows = [row for row in event_rows if row[2] >= oldest]
        return list(_in_time(reversed(chunks), [self._file.event(row) for row in reversed(event_rows)]))

    def newest_ids(self) -> tuple[int, int]:
        """The ids of the newest chunk and event: whether there is anything new to read."""
        (event,) = self._file.read("SELECT coalesce(max(id), 0) FROM event").fetchone()
        return self._packs.ends()[1], int(event)

    def not_text(self) -> set[int]:
        """Links of which some bytes are other than printable ASCII, tabs and line ends."""
        return self._packs.not_text()

    def totals(self) -> tuple[int, int]:
        """Chunks and bytes of the whole record."""
        return self._packs.totals()

    def close(self) -> None:
        self._file.close()


def _in_time(some: Iterable[Chunk], events: Iterable[Event]) -> Iterator[Chunk | Event]:
    """Both in the order of time. Within each the order of writing stands: bytes must never change places."""
    chunks, rest = iter(some), iter(events)
    event = next(rest, None)
    for chunk in chunks:
        while event is not None and event.utc_us < chunk.utc_us:
            yield event
            event = next(rest, None)
        yield chunk
        if event is None:
            yield from chunks
            return
    if event is not None:
        yield event
        yield from rest


def _link(row: tuple[Any, ...]) -> LinkRecord:
    numbers = {0, 9}
    for place, value in enumerate(row):
        if not isinstance(value, int if place in numbers else str):
            raise TypeError(f"a link has {value!r} in place {place}")
    return LinkRecord(*row)
