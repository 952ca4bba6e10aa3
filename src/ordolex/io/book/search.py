"""Rows of a book that a sieve lets through. Where it asks for bytes, only chunks that hold them are read as rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import chain

from ordolex.core.record.export import rows_of
from ordolex.core.record.items import Chunk, Event
from ordolex.core.record.near import lines_near
from ordolex.core.record.sieve import Sieve, read_time
from ordolex.core.talk.conversation import Direction, Row
from ordolex.io.book.reader import BookReader, Span

_WAY = {Direction.SENT: "tx", Direction.HEARD: "rx"}
_MOST_DAYS = 400


def rows_with(
    reader: BookReader, sieve: Sieve, span: Span = (None, None), without: frozenset[str] = frozenset()
) -> Iterator[tuple[int, Row]]:
    """(link, row), by link and kind in the order of the record; sort them by time where that matters. Events of the
    kinds `without` are left out where no text is looked for."""
    charsets = reader.charsets()
    for part in _spans(reader, sieve, span):
        if sieve.literal is not None and part == (None, None):
            yield from _with_literal(reader, sieve, charsets)
            continue
        if sieve.wanted is None or part != (None, None):
            items = reader.timeline(sieve.link, None, part)
            if without:
                items = (item for item in items if not (isinstance(item, Event) and item.kind in without))
            for link, row in rows_of(items, charsets, sieve.may_pass):
                if sieve.passes(link, row):
                    yield link, row
            continue
        wanted, fold = sieve.wanted
        way = _WAY.get(sieve.direction) if sieve.direction is not None else None
        ids = (
            reader.found.find(wanted, sieve.link, way, fold=fold) if sieve.direction is not Direction.NOTE else iter(())
        )
        groups = (
            rows_of((_near(chunk, wanted, fold=fold) for chunk in group), charsets)
            for group in reader.found.around(ids, len(wanted))
        )
        notes = rows_of(reader.found.events_with(sieve.text, sieve.link))
        for link, row in chain(chain.from_iterable(groups), notes):
            if sieve.passes(link, row):
                yield link, row


def _with_literal(reader: BookReader, sieve: Sieve, charsets: Mapping[int, str]) -> Iterator[tuple[int, Row]]:
    """By a pattern that needs some text: of links with nothing but text, only chunks that hold it are read as rows; of
    others, frames may have words that are no bytes of them. Every event is looked at."""
    assert sieve.literal is not None
    not_text = reader.not_text()
    links = [link.id for link in reader.links() if sieve.link in (None, link.id)]
    for link in links if sieve.direction is not Direction.NOTE else ():
        if link in not_text:
            rows = rows_of(reader.chunks(link), charsets, sieve.may_pass)
        else:
            way = _WAY.get(sieve.direction) if sieve.direction is not None else None
            ids = reader.found.find(sieve.literal, link, way, fold=True)
            groups = reader.found.around(ids, len(sieve.literal))
            rows = chain.from_iterable(rows_of(group, charsets) for group in groups)
        yield from ((of, row) for of, row in rows if sieve.passes(of, row))
    if sieve.direction in (None, Direction.NOTE):
        yield from ((of, row) for of, row in rows_of(reader.events(sieve.link)) if sieve.passes(of, row))


def _near(chunk: Chunk, wanted: bytes, *, fold: bool) -> Chunk:
    """What was sent is one row, however long; of what was heard only some lines are needed."""
    return chunk if chunk.direction == "tx" else replace(chunk, parts=[lines_near(chunk.data, wanted, fold=fold)])


def items_with(reader: BookReader, sieve: Sieve, span: Span = (None, None)) -> Iterator[Chunk | Event]:
    """The same as items of the record, in the order of time. Where a text is asked for they are rows, each an item."""
    if not sieve.text and sieve.direction is not Direction.NOTE:
        way = _WAY.get(sieve.direction) if sieve.direction is not None else None
        yield from reader.timeline(sieve.link, way, span)
        return
    found = sorted(rows_with(reader, sieve, span), key=lambda entry: entry[1].at_us)
    for link, row in found:
        if row.direction is Direction.NOTE:
            yield Event(link, row.at_us, 0, "note", row.text)
        else:
            yield Chunk(link, _WAY[row.direction], row.at_us, 0, [row.data], 0)


def span_of(reader: BookReader, since: str | None, before: str | None) -> Span:
    """Times as they are typed, local; without a date they are of the first day of the record. Raises ValueError."""
    ends = reader.first_and_last_us()
    day = datetime.fromtimestamp(ends[0] / 1e6) if ends is not None else datetime.now()

    def moment(text: str | None) -> int | None:
        if text is None:
            return None
        date, time = read_time(text)
        of = datetime.fromisoformat(date) if date else day.replace(hour=0, minute=0, second=0, microsecond=0)
        return round((of + time).timestamp() * 1e6)

    return moment(since), moment(before)


def _spans(reader: BookReader, sieve: Sieve, span: Span) -> list[Span]:
    """The spans of time that a sieve asks for, so that only those are read: one for each day of the record where it
    names a time of day."""
    ends = reader.first_and_last_us() if sieve.text.startswith("at:") else None
    if ends is None or span != (None, None):
        return [span]
    first, last = sieve.times
    day = datetime.fromtimestamp(ends[0] / 1e6).replace(hour=0, minute=0, second=0, microsecond=0)
    end = datetime.fromtimestamp(ends[1] / 1e6)
    if first[0] or (last is not None and last[0]):
        begin = datetime.fromisoformat(first[0]) + first[1] if first[0] else day
        until = datetime.fromisoformat(last[0]) + last[1] if last is not None and last[0] else end
        return [(_us(begin), _us(until) + 1_000_000)]
    if last is None or (end - day).days > _MOST_DAYS:
        return [span]
    out: list[Span] = []
    while day <= end:
        out.append((_us(day + first[1]), _us(day + last[1]) + 1_000_000))
        day = (day + timedelta(hours=36)).replace(hour=0)  # a day may have 23 or 25 hours
    return out


def _us(moment: datetime) -> int:
    return round(moment.timestamp() * 1e6)
