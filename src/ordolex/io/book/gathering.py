"""What a report is made of, out of a book: links, events, tables, charts of watched values, the record's own chain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ordolex.core.record.items import Event
from ordolex.core.sheet import Sheet
from ordolex.core.text.counts import counted
from ordolex.core.visit.making import Material, When
from ordolex.core.visit.report import ChartPart
from ordolex.core.watch.round import Round, RoundError, read_round
from ordolex.io.book.reader import BookReader, Span
from ordolex.io.book.since import since_before
from ordolex.io.book.values import Item
from ordolex.io.book.verifying import verify_book

_CHART_COLUMNS = 400


def gathered(
    reader: BookReader, sheets: Mapping[str, Sheet], span: Span, when: When, bag: Sequence[str] = ()
) -> Material:
    """Of a span of time, open at either end. `when` turns microseconds into the time in words. Raises a BookFault."""
    verified = verify_book(reader.path)
    visits = reader.visits()
    first, last = span
    events = [event for event in reader.events(None, span) if event.kind not in ("lines",)]
    inside = [
        visit for visit in visits
        if (last is None or visit[1] < last) and (first is None or visit[2] is None or visit[2] >= first)
    ]  # fmt: skip
    tables = [(event, table) for event, table in reader.known.tables() if _is_in(event, span)]
    return Material(
        reader.site(), visits[-1][3] if visits else "", reader.links(), events, inside, sheets,
        reader.sizes(span), tables, _charts(reader, span, when), (verified.words, verified.last), list(bag),
        since_before(reader, sheets, when) if last is None else [], reader.known.relays(),
    )  # fmt: skip


def _is_in(event: Event, span: Span) -> bool:
    return (span[0] is None or event.utc_us >= span[0]) and (span[1] is None or event.utc_us < span[1])


def _charts(reader: BookReader, span: Span, when: When) -> list[ChartPart]:
    rounds: dict[str, Round] = {}
    for name, (text, _) in reader.values.rounds().items():
        try:
            rounds[name] = read_round(text, name)
        except RoundError:
            continue  # its values stand without limits
    out = []
    for item in reader.values.items():
        ends = reader.values.ends(item.id)
        if ends is None:
            continue
        first = max(ends[0], span[0] if span[0] is not None else ends[0])
        last = min(ends[1], span[1] if span[1] is not None else ends[1])
        if last >= first:
            out.append(_chart(reader, item, rounds.get(item.round), first, last + 1000, when))
    return out


def _chart(reader: BookReader, item: Item, round_: Round | None, first: int, last: int, when: When) -> ChartPart:
    columns = reader.values.columns(item.id, first, last, _CHART_COLUMNS)
    count, missing = sum(c.count for c in columns), sum(c.missing for c in columns)
    lows = [c.low for c in columns if c.low is not None]
    highs = [c.high for c in columns if c.high is not None]
    means = [(c.mean, c.count) for c in columns if c.mean is not None]
    texts = 0 if lows else sum(isinstance(s.value, str) for s in reader.values.between(item.id, first, last))
    words = f"{counted(texts, 'text') if texts else f'{count} values'}, {missing} missing"
    if lows and means:
        mean = sum(value * weight for value, weight in means) / max(1, sum(weight for _, weight in means))
        words += f"; lowest {min(lows):.5g}, mean {mean:.5g}, highest {max(highs):.5g} {item.unit}".rstrip()
    limits = next((one for one in round_.item if one.name == item.name), None) if round_ is not None else None
    points = [(column.utc_us, column.low, column.high) for column in columns]
    return ChartPart(
        f"{item.round}: {item.name}", item.unit, words, points,
        limits.low if limits is not None else None, limits.high if limits is not None else None,
        when(first), when(last),
    )  # fmt: skip
