"""Reads a book: links, and the timeline of chunks and events. Any number of readers may look on while it is written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from ordolex.core.record.items import Chunk, Event, LinkRecord
from ordolex.core.record.visits import visit_starts
from ordolex.io.book.finding import Finding
from ordolex.io.book.known import Known
from ordolex.io.book.rows import CHUNK, EVENT, BookFile, chunk_of, damaged, guarded, where
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
        self.found = Finding(self._file)
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
        spanned, values = self._spanned("chunk", span)
        sql = f"SELECT link, direction, sum(length(data)) FROM chunk{spanned} GROUP BY link, direction"
        out: dict[int, tuple[int, int]] = {}
        for link, direction, size in self._file.read(sql, values):
            if not isinstance(link, int) or not isinstance(size, int):
                raise damaged(self._file.path, f"bytes of a link {link!r}")
            heard, sent = out.get(link, (0, 0))
            out[link] = (heard + size, sent) if direction == "rx" else (heard, sent + size)
        return out

    def chunks(
        self, link: int | None = None, direction: str | None = None, span: Span = (None, None)
    ) -> Iterator[Chunk]:
        spanned, values = self._spanned("chunk", span, link=link, direction=direction)
        try:
            for row in self._file.read(f"SELECT {CHUNK} FROM chunk{spanned} ORDER BY id", values):
                yield chunk_of(row)
        except (ValueError, TypeError) as error:
            raise damaged(self._file.path, error) from error

    def events(self, link: int | None = None, span: Span = (None, None)) -> Iterator[Event]:
        spanned, values = self._spanned("event", span, link=link)
        for row in self._file.read(f"SELECT {EVENT} FROM event{spanned} ORDER BY id", values):
            yield self._file.event(row)

    def _spanned(self, table: str, span: Span, **wanted: object) -> tuple[str, tuple[object, ...]]:
        """The same as `where`, for a span of time too. Rows were written in the order of time, so the ends of the span
        are found by halving, however large the book is."""
        condition, values = where(**wanted)
        for sign, bound in ((">=", span[0]), ("<", span[1])):
            if bound is not None:
                condition += (" AND" if condition else " WHERE") + f" id {sign} ?"
                values = (*values, self._first_id(table, bound))
        return condition, values

    def _first_id(self, table: str, utc_us: int) -> int:
        """The id of the first row that is not before this time; one beyond the last where all are."""
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
            for table in ("chunk", "event")
            for way in ("", " DESC")
            if (row := self._file.read(f"SELECT utc_us FROM {table} ORDER BY id{way} LIMIT 1").fetchone())
        ]
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
        spanned, values = self._spanned("chunk", (None, before_us), link=link)
        sizes = self._file.read(
            f"SELECT id, length(data) FROM chunk{spanned} ORDER BY id DESC LIMIT ?", (*values, count)
        ).fetchall()
        wanted = _within(sizes, LATEST_BYTES)
        chunk_rows = self._file.read(
            f"SELECT {CHUNK} FROM chunk{spanned} ORDER BY id DESC LIMIT ?", (*values, wanted)
        ).fetchall()
        spanned, values = self._spanned("event", (None, before_us), link=link)
        event_rows = self._file.read(
            f"SELECT {EVENT} FROM event{spanned} ORDER BY id DESC LIMIT ?", (*values, count)
        ).fetchall()
        if before_us is not None and len(chunk_rows) >= wanted and chunk_rows:
            oldest = chunk_rows[-1][3]  # events far before the bytes that were read would stand there without them
            event_rows = [row for row in event_rows if row[2] >= oldest]
        return list(
            _in_time(
                [self._file.chunk(row) for row in reversed(chunk_rows)],
                [self._file.event(row) for row in reversed(event_rows)],
            )
        )

    def newest_ids(self) -> tuple[int, int]:
        """The ids of the newest chunk and event: whether there is anything new to read."""
        chunk, event = self._file.read(
            "SELECT (SELECT coalesce(max(id), 0) FROM chunk), (SELECT coalesce(max(id), 0) FROM event)"
        ).fetchone()
        return int(chunk), int(event)

    def totals(self) -> tuple[int, int]:
        """Chunks and bytes of the whole record."""
        count, total = self._file.read("SELECT count(*), coalesce(sum(length(data)), 0) FROM chunk").fetchone()
        return int(count), int(total)

    def close(self) -> None:
        self._file.close()


def _within(sizes: list[tuple[int, int]], limit: int) -> int:
    """How many of the sizes, from the first on, hold `limit` bytes together; one at least."""
    total = 0
    for number, (_, size) in enumerate(sizes):
        total += size
        if total > limit:
            return max(1, number)
    return len(sizes)


def _in_time(chunks: Iterable[Chunk], events: Iterable[Event]) -> Iterator[Chunk | Event]:
    """Both in the order of time. Within each the order of writing stands: bytes must never change places."""
    rest = iter(events)
    event = next(rest, None)
    for chunk in chunks:
        while event is not None and event.utc_us < chunk.utc_us:
            yield event
            event = next(rest, None)
        yield chunk
    if event is not None:
        yield event
        yield from rest


def _link(row: tuple[Any, ...]) -> LinkRecord:
    numbers = {0, 9}
    for place, value in enumerate(row):
        if not isinstance(value, int if place in numbers else str):
            raise TypeError(f"a link has {value!r} in place {place}")
    return LinkRecord(*row)
