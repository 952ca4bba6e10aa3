"""Keep: marks, jumping to a time, and two spans side by side."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from ordolex.core.record.side_by_side import Kind, compare, words
from ordolex.core.record.sieve import read_time, since_midnight
from ordolex.core.text.visible import visible_text
from ordolex.tui.desks.keep.at import KeepAt
from ordolex.tui.desks.keep.timeline import Entry, Part
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.widgets.wording import clock_time, cut

_MARK = "mark: "
_SIGNS = {Kind.SAME: " ", Kind.MISSING: "−", Kind.ADDED: "+", Kind.CHANGED: "~"}
_SHOWN = 400
_BEFORE_US = 2_000_000


async def mark(at: KeepAt) -> None:
    typed = await at.line("Mark this moment with a word", "", _word_reading, "it stands in the record from now on")
    if typed is not None:
        at.session.keep_event(at.chosen, "mark", _MARK + typed.strip())
        at.say(f"marked: {visible_text(typed)}", "good")


async def jump(at: KeepAt) -> None:
    hint = "such as 10:40, 10:40:05 or 2026-11-23 10:40"
    typed = await at.line("Jump to the time", "", _time_reading, hint)
    timeline = at.timeline
    if typed is None or not timeline.entries:
        return
    day, time = read_time(typed)
    day = day or since_midnight(timeline.entries[-1][1].at_us)[0]
    first, last = (since_midnight(timeline.entries[end][1].at_us) for end in (0, -1))
    if timeline.whole or first <= (day, time) <= last:
        _jump_to(at, day, time)
    else:  # that time is not among what is shown: from there on the book is read
        moment = datetime.fromisoformat(day) + time
        timeline.load(Part(since_us=round(moment.timestamp() * 1e6)), lambda: _jump_to(at, day, time))


def show_at(at: KeepAt, link: int, at_us: int) -> None:
    """The bytes of a link that ended at this time, with what stands around them."""

    def go() -> None:
        rows = at.timeline.entries
        near = [n for n, (of, row) in enumerate(rows) if of == link and row.at_us <= at_us]
        if near:
            at.timeline.view.go_to(near[-1])
        at.say(
            f"the record at {clock_time(at_us)}" if near else "the record has nothing of it",
            "good" if near else "unsure",
        )

    at.timeline.load(Part(since_us=at_us - _BEFORE_US), go)


def _jump_to(at: KeepAt, day: str, time: timedelta) -> None:
    entries = at.timeline.entries
    for number, (_, row) in enumerate(entries):
        if since_midnight(row.at_us) >= (day, time):
            at.timeline.view.go_to(number)
            held = [at.names.get(link, "?") for link, _ in at.session.book.reader.known.held_at(row.at_us)]
            ports = f"ports held then: {', '.join(held)}" if held else "no port was held then"
            at.say(f"row {number + 1} of {len(entries)}, {clock_time(row.at_us)}; {visible_text(ports)}", "good")
            return
    at.say("the record has nothing that late", "unsure")


async def compare_spans(at: KeepAt) -> None:
    """The rows behind one mark, up to the next mark, beside those behind another."""
    entries = at.timeline.entries
    marks = [number for number, (_, row) in enumerate(entries) if row.text.startswith(_MARK)]
    if len(marks) < 2:
        at.say("Two marks are needed, each where a span begins: m sets one", "unsure")
        return
    choices = [(str(number), f"{clock_time(entries[number][1].at_us)}  {entries[number][1].shown}") for number in marks]
    first = await at.ask(Pick("The first span begins at", choices))
    others = [choice for choice in choices if choice[0] != first]
    second = await at.ask(Pick("The second begins at", others)) if first is not None else None
    if first is None or second is None:
        return
    how = [("masked", "values may differ: only words and shape count"), ("exact", "every character counts")]
    exact = await at.ask(Pick("What counts?", how))
    if exact is None:
        return
    spans = [_span(entries, int(begin), marks) for begin in (first, second)]
    lines = compare(spans[0], spans[1], mask_values=exact == "masked")
    shown = [
        f"{_SIGNS[line.kind]} {cut(line.first, 52):52}  {cut(line.second, 52)}".rstrip() for line in lines[:_SHOWN]
    ]
    hint = "− missing in the second   + only in the second   ~ changed   Esc goes back"
    await at.ask(Picture(f"Two spans: {words(lines)}", shown, hint))


def _span(entries: Sequence[Entry], begin: int, marks: Sequence[int]) -> list[str]:
    end = next((number for number in marks if number > begin), len(entries))
    return [row.shown for _, row in entries[begin + 1 : end] if row.data]


def _word_reading(text: str) -> str:
    if not text.strip():
        raise ValueError("give a word")
    return "the mark is found again with /"


def _time_reading(text: str) -> str:
    read_time(text)
    return "local time"
