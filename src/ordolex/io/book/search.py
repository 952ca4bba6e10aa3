"""Rows of a book that a sieve lets through. Where it asks for bytes, only chunks that hold them are read as rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import datetime, timedelta

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
        if part == (None, None) and (sieve.wanted is not None or sieve.literal is not None):
            yield from _holding(reader, sieve, charsets)
            continue
        items = reader.timeline(sieve.link, None, part)
        if without:
            items = (item for item in items if not (isinstance(item, Event) and item.kind in without))
        for link, row in rows_of(items, charsets, sieve.may_pass):
            if sieve.passes(link, row):
                yield link, row


def _holding(reader: BookReader, sieve: Sieve, charsets: Mapping[int, str]) -> Iterator[tuple[int, Row]]:
    """Of links with nothing but text only chunks that hold what every row must hold are read as rows. Of others all are
    where a text or a pattern is looked for: frames have words, and codes are shown as signs, that are no bytes."""
    if sieve.direction is not Direction.NOTE:
        for link, row in _passed(reader, sieve, charsets):
            if sieve.passes(link, row):
                yield link, row
    if sieve.direction in (None, Direction.NOTE):
        events = reader.found.events_with(sieve.text, sieve.link) if sieve.wanted else reader.events(sieve.link)
        yield from ((link, row) for link, row in rows_of(events) if sieve.passes(link, row))


def _passed(reader: BookReader, sieve: Sieve, charsets: Mapping[int, str]) -> Iterator[tuple[int, Row]]:
    """Rows of what passed, none left out that the sieve lets through."""
    wanted, fold = sieve.wanted or (sieve.literal or b"", True)
    way = _WAY.get(sieve.direction) if sieve.direction is not None else None
    not_text = reader.not_text() if fold else set()
    links: list[int | None] = [sieve.link]
    if not_text and sieve.link is None:
        links = [link.id for link in reader.links()]
    for link in links:
        if link in not_text:
            yield from rows_of(reader.chunks(link), charsets, sieve.may_pass)
            continue
        for group in reader.found.around(reader.found.find(wanted, link, way, fold=fold), len(wanted)):
            near = (_near(chunk, wanted, fold=fold) for chunk in group) if sieve.wanted else group
            yield from rows_of(near, charsets)


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
