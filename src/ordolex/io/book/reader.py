"""Reads a book: links, and the timeline of chunks and events. Any number of readers may look on while it is written."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from heapq import heappop, heappush
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, cast

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Chunk, Event, LinkRecord
from ordolex.io.book import schema
from ordolex.io.system.faults import BookFault

if TYPE_CHECKING:
    from ordolex.core.tables.table import Table

_CHUNK = "id, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"
LATEST_BYTES = 2 << 20
"""Bytes of the record that are read to begin with: thousands of lines, and a few milliseconds."""
_MOST_NEIGHBOURS = 200  # chunks on each side that one line may be made of
T = TypeVar("T")
_EVENT = "id, link, utc_us, mono_us, kind, text, detail"


Span = tuple[int | None, int | None]
"""From a time on, and before another, in microseconds UTC; None for an end that is open."""
LAST_US = 1 << 52
STOPPED = "stopped after "
"""How the end of a match that was stopped by hand is noted."""


def damaged(path: Path, why: object) -> BookFault:
    return BookFault(
        f"{path} is damaged: {why}", f"`ordolex book rescue '{path}' NEW` saves what can be read; it was left as it is"
    )


def guarded(path: Path, make: Callable[..., T], *given: Any) -> T:
    """What `make` makes of a row. Raises BookFault for a row that no recorder wrote."""
    try:
        return make(*given)
    except (ValueError, TypeError, KeyError, RecursionError, OverflowError, sqlite3.Error) as error:
        raise damaged(path, error) from error


class _Rows:
    """The rows of a query, read one by one; what SQLite says of a damaged file becomes a BookFault."""

    def __init__(self, connection: sqlite3.Connection, path: Path, sql: str, values: tuple[object, ...]) -> None:
        self._path = path
        try:
            self._cursor = connection.execute(sql, values)
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise damaged(path, error) from error

    def __iter__(self) -> Iterator[Any]:
        try:
            yield from self._cursor
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise damaged(self._path, error) from error

    def fetchone(self) -> Any:
        return next(iter(self), None)

    def fetchall(self) -> list[Any]:
        return list(self)


class BookReader:
    def __init__(self, path: Path) -> None:
        if not path.is_file():
            raise BookFault(f"there is no book {path}", "check the path; `ordolex --book FILE` makes a new one")
        self.path = path
        try:
            self._connection = sqlite3.connect(
                f"{path.resolve().as_uri()}?mode=ro", uri=True, timeout=2.0, check_same_thread=False
            )
            schema.check(self._connection, path)
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise BookFault(f"{path} cannot be read: {error}", "check rights and disk") from error

    def _read(self, sql: str, values: tuple[object, ...] = ()) -> _Rows:
        return _Rows(self._connection, self.path, sql, values)

    def examine(self, *, thorough: bool) -> None:
        """Raises BookFault where the file is damaged, as far as is seen: with `thorough` all of it is looked at."""
        if thorough:
            (said,) = self._read("PRAGMA quick_check(1)").fetchone()
            if said != "ok":
                raise damaged(self.path, said)
        self.links()
        self.latest(50)

    def site(self) -> str:
        row = self._read("SELECT name FROM site").fetchone()
        return str(row[0]) if row else self.path.stem

    def links(self) -> list[LinkRecord]:
        columns = guarded(self.path, schema.link_columns, self._connection)
        rows = self._read(f"SELECT {columns} FROM link ORDER BY id")
        return [guarded(self.path, _link, row) for row in rows]

    def last_proven_link(self) -> int | None:
        """The link whose rise to Proven is the latest."""
        row = self._read(
            "SELECT link FROM event WHERE kind = 'rung' AND text LIKE '%→ Proven' ORDER BY id DESC LIMIT 1"
        ).fetchone()
        return None if row is None else int(row[0])

    def answer_ms(self, count: int = 50) -> list[float]:
        """How long the latest answered questions took until their last byte, newest first, in ms."""
        rows = self._read(
            "SELECT json_extract(detail, '$.last_ms') FROM event"
            " WHERE kind = 'answer' AND json_extract(detail, '$.last_ms') IS NOT NULL ORDER BY id DESC LIMIT ?",
            (count,),
        )
        return [float(ms) for (ms,) in rows]

    def stopped_match(self, link: int) -> set[tuple[str, bytes]]:
        """(line settings, bytes sent) that brought nothing in the last match on this link, where that was stopped
        before its end, in this visit or an earlier one; empty where it was not."""
        ends = self._read(
            "SELECT id, text FROM event WHERE kind = 'match' AND link = ? ORDER BY id DESC LIMIT 50", (link,)
        ).fetchall()
        whole = next((id_ for id_, text in ends if not text.startswith(STOPPED)), 0)
        if not ends or ends[0][0] == whole:
            return set()
        rows = self._read(
            "SELECT json_extract(detail, '$.line'), json_extract(detail, '$.sent_hex') FROM event"
            " WHERE kind = 'trial' AND link = ? AND id > ? AND json_extract(detail, '$.heard_hex') = ''"
            " AND json_extract(detail, '$.sent_hex') <> ''",
            (link, whole),
        )
        return {(line, bytes.fromhex(sent)) for line, sent in rows}

    def table(self, link: int, name: str) -> Table | None:
        """The latest table of this name that was pulled on a link."""
        from ordolex.core.tables.table import Table

        row = self._read(
            "SELECT detail FROM event WHERE kind = 'table' AND link = ? AND json_extract(detail, '$.name') = ?"
            " ORDER BY id DESC LIMIT 1",
            (link, name),
        ).fetchone()
        return None if row is None else Table.of(json.loads(row[0]))

    def tables(self) -> list[tuple[Event, Table]]:
        """All tables of the book, the latest first."""
        from ordolex.core.tables.table import Table

        rows = self._read(f"SELECT {_EVENT} FROM event WHERE kind = 'table' ORDER BY id DESC")
        return [(event, Table.of(event.detail)) for event in map(self._event, rows)]

    def held_at(self, utc_us: int) -> list[tuple[int, str]]:
        """(link, endpoint) of the ports that were held at a moment, in the order in which they were opened."""
        rows = self._read(
            "SELECT link, kind, detail, visit FROM event WHERE utc_us <= ?"
            " AND kind IN ('opened', 'back', 'released', 'lost') ORDER BY utc_us, id",
            (utc_us,),
        )
        held: dict[int, str] = {}
        known: dict[int, str] = {}
        now = None
        for link, kind, detail, visit in rows:
            if visit != now:
                now, held = visit, {}  # what an earlier visit held ended with it
            if kind == "opened":
                known[link] = str(json.loads(detail).get("endpoint", ""))
            if kind in ("opened", "back"):
                held[link] = known.get(link, "")
            else:
                held.pop(link, None)
        return list(held.items())

    def table_before(self, event: Event) -> Table | None:
        """The table of the same list that was pulled before this one."""
        from ordolex.core.tables.table import Table

        row = self._read(
            "SELECT detail FROM event WHERE kind = 'table' AND link = ? AND id < ?"
            " AND json_extract(detail, '$.name') = ? ORDER BY id DESC LIMIT 1",
            (event.link, event.id, event.detail.get("name")),
        ).fetchone()
        return None if row is None else Table.of(json.loads(row[0]))

    def adapters(self) -> dict[str, str]:
        """Identity → the name that the technician gave it."""
        return dict(self._read("SELECT identity, name FROM adapter").fetchall())

    def chunks(
        self, link: int | None = None, direction: str | None = None, span: Span = (None, None)
    ) -> Iterator[Chunk]:
        where, values = self._spanned("chunk", span, link=link, direction=direction)
        try:
            for row in self._read(f"SELECT {_CHUNK} FROM chunk{where} ORDER BY id", values):
                yield _chunk(row)
        except (ValueError, TypeError) as error:
            raise damaged(self.path, error) from error

    def events(self, link: int | None = None, span: Span = (None, None)) -> Iterator[Event]:
        where, values = self._spanned("event", span, link=link)
        for row in self._read(f"SELECT {_EVENT} FROM event{where} ORDER BY id", values):
            yield self._event(row)

    def _spanned(self, table: str, span: Span, **wanted: object) -> tuple[str, tuple[object, ...]]:
        """The same as `_where`, for a span of time too. Rows were written in the order of time, so the ends of the span
        are found by halving, however large the book is."""
        where, values = _where(**wanted)
        for sign, bound in ((">=", span[0]), ("<", span[1])):
            if bound is not None:
                where += (" AND" if where else " WHERE") + f" id {sign} ?"
                values = (*values, self._first_id(table, bound))
        return where, values

    def _first_id(self, table: str, utc_us: int) -> int:
        """The id of the first row that is not before this time; one beyond the last where all are."""
        ends = f"SELECT (SELECT coalesce(min(id), 0) FROM {table}), (SELECT coalesce(max(id), 0) + 1 FROM {table})"
        low, high = self._read(ends).fetchone()  # asked for together, they would make SQLite read the whole table
        while low < high:
            middle = (low + high) // 2
            row = self._read(f"SELECT utc_us FROM {table} WHERE id >= ? ORDER BY id LIMIT 1", (middle,)).fetchone()
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
            if (row := self._read(f"SELECT utc_us FROM {table} ORDER BY id{way} LIMIT 1").fetchone())
        ]
        return (min(times), max(times)) if times else None

    def _chunk(self, row: Any) -> Chunk:
        return guarded(self.path, _chunk, row)

    def _event(self, row: Any) -> Event:
        return guarded(self.path, _event, row)

    def events_of(self, *kinds: str, link: int | None = None) -> list[Event]:
        """The events of some kinds, in order: for what is looked for while somebody waits."""
        marks = ", ".join("?" * len(kinds))
        where = f" WHERE kind IN ({marks})" + (" AND link = ?" if link is not None else "")
        values = (*kinds, link) if link is not None else kinds
        return [self._event(row) for row in self._read(f"SELECT {_EVENT} FROM event{where} ORDER BY id", values)]

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
        where, values = self._spanned("chunk", (None, before_us), link=link)
        sizes = self._read(
            f"SELECT id, length(data) FROM chunk{where} ORDER BY id DESC LIMIT ?", (*values, count)
        ).fetchall()
        wanted = _within(sizes, LATEST_BYTES)
        chunk_rows = self._read(
            f"SELECT {_CHUNK} FROM chunk{where} ORDER BY id DESC LIMIT ?", (*values, wanted)
        ).fetchall()
        where, values = self._spanned("event", (None, before_us), link=link)
        event_rows = self._read(
            f"SELECT {_EVENT} FROM event{where} ORDER BY id DESC LIMIT ?", (*values, count)
        ).fetchall()
        if before_us is not None and len(chunk_rows) >= wanted and chunk_rows:
            oldest = chunk_rows[-1][3]  # events far before the bytes that were read would stand there without them
            event_rows = [row for row in event_rows if row[2] >= oldest]
        return list(
            _in_time(
                [self._chunk(row) for row in reversed(chunk_rows)], [self._event(row) for row in reversed(event_rows)]
            )
        )

    def find(
        self, wanted: bytes, link: int | None = None, direction: str | None = None, *, fold: bool = False
    ) -> Iterator[int]:
        """Ids of the chunks in which these bytes end, in the order of the record, also where they began in the chunk
        before. With `fold` capital and small ASCII letters are the same."""
        where, narrowed = _where(link=link, direction=direction)
        where = f"{where} AND" if where else " WHERE"
        head = wanted[:-1]  # what a chunk may end in, for the bytes to go on in the next
        held, look, ends = "instr(data, ?)", cast("str | bytes", wanted), head
        if fold:
            wanted = wanted.lower()
            held, look, ends = "instr(lower(data), ?)", wanted.decode("ascii"), head.lower() + head.upper()
        sql = (
            f"SELECT id, link, direction, {held}, substr(data, ?) FROM chunk{where}"
            f" ({held} OR instr(?, substr(data, -1))) ORDER BY id"
        )
        later: list[int] = []
        last = -1
        for id_, of, way, holds, tail in self._read(sql, (look, -max(1, len(head)), *narrowed, look, ends)):
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
        rows = self._read(
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
            hit = self._chunk(self._read(f"SELECT {_CHUNK} FROM chunk WHERE id = ?", (id_,)).fetchone())
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
        rows = self._read(
            f"SELECT {_CHUNK} FROM chunk WHERE link = ? AND {order} LIMIT {_MOST_NEIGHBOURS}", (hit.link, hit.id)
        )
        for row in rows:
            out.append(self._chunk(row))
            reach -= len(out[-1].data)
            if reach <= 0 and (b"\n" in out[-1].data or b"\r" in out[-1].data):
                break
        return out

    def events_with(self, text: str, link: int | None = None) -> Iterator[Event]:
        """Events whose words hold this text, in any case."""
        where, values = _where(link=link)
        joined = f"{where} AND" if where else " WHERE"
        pattern = "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        for row in self._read(
            f"SELECT {_EVENT} FROM event{joined} text LIKE ? ESCAPE '\\' ORDER BY id", (*values, pattern)
        ):
            yield self._event(row)

    def newest_ids(self) -> tuple[int, int]:
        """The ids of the newest chunk and event: whether there is anything new to read."""
        chunk, event = self._read(
            "SELECT (SELECT coalesce(max(id), 0) FROM chunk), (SELECT coalesce(max(id), 0) FROM event)"
        ).fetchone()
        return int(chunk), int(event)

    def totals(self) -> tuple[int, int]:
        """Chunks and bytes of the whole record."""
        count, total = self._read("SELECT count(*), coalesce(sum(length(data)), 0) FROM chunk").fetchone()
        return int(count), int(total)

    def close(self) -> None:
        self._connection.close()


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


def _where(**wanted: object) -> tuple[str, tuple[object, ...]]:
    given = {name: value for name, value in wanted.items() if value is not None}
    return (" WHERE " + " AND ".join(f"{name} = ?" for name in given) if given else ""), tuple(given.values())


def _link(row: tuple[Any, ...]) -> LinkRecord:
    numbers = {0, 9}
    for place, value in enumerate(row):
        if not isinstance(value, int if place in numbers else str):
            raise TypeError(f"a link has {value!r} in place {place}")
    return LinkRecord(*row)


def _chunk(row: tuple[int, int, str, int, int, int, int, int, int, int, bytes]) -> Chunk:
    id_, link, direction, utc, mono, last, framing, parity, breaks, overruns, data = row
    errors = LineErrors(framing, parity, breaks, overruns) if framing or parity or breaks or overruns else None
    if not isinstance(data, bytes) or direction not in ("rx", "tx") or not 0 <= utc < LAST_US:
        raise TypeError(f"row {id_} of the bytes is none")
    return Chunk(link, direction, utc, mono, [data], last, errors, id_)


def _event(row: tuple[int, int, int, int, str, str, str]) -> Event:
    id_, link, utc, mono, kind, text, detail = row
    known = json.loads(detail)
    if not (isinstance(kind, str) and isinstance(text, str) and isinstance(known, dict) and 0 <= utc < LAST_US):
        raise TypeError(f"row {id_} of the events is none")
    return Event(link, utc, mono, kind, text, known, id_)
