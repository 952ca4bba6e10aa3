"""Watch: values as files, the chart on paper, two spans compared, a jump to the bytes, publishing."""

from __future__ import annotations

import asyncio
from datetime import datetime
from pathlib import Path

from ordolex.core.text.visible import visible_text
from ordolex.core.watch.samples import Sample
from ordolex.core.watch.stats import compared, figures
from ordolex.core.watch.tables import Column, json_lines, long_csv, wide_csv
from ordolex.io.book.values import Values
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_new
from ordolex.tui.desks.watch import doing
from ordolex.tui.desks.watch.at import WatchAt
from ordolex.tui.readings import drawing_reading
from ordolex.tui.widgets.prompts import Pick, Picture


def _span(at: WatchAt) -> tuple[int, int]:
    """The stretch of time that the chart shows."""
    last_us = utc_us() - round(at.view.back_s * 1e6)
    return last_us - round(at.view.span_s * 1e6), last_us


def _chosen(at: WatchAt) -> list[str]:
    return at.view.charted or ([at.state.item.name] if at.state is not None else [])


def _values(at: WatchAt) -> Values:
    return at.session.book.reader.values


async def export(at: WatchAt) -> None:
    """Values of the chart's span: as a table by time, a row for each value, JSON lines, or drawn."""
    kinds = [
        ("wide", "CSV, a column for each item"), ("long", "CSV, a row for each value"), ("json", "JSON lines"),
        ("chart", "The chart as SVG or PDF"),
    ]  # fmt: skip
    names = _chosen(at)
    which = "of what is in the chart" if at.view.charted else "of the item under the cursor"
    kind = await at.ask(Pick(f"Export {len(names)} item{'s' * (len(names) != 1)}, {which}", kinds))
    if kind is None:
        return
    if kind == "chart":
        await _draw(at, names)
        return
    ending = "jsonl" if kind == "json" else "csv"
    path = await at.line(
        "File for the values", f"values.{ending}", _new_file, f"the {len(names)} items of the span shown"
    )
    if path is None:
        return
    first, last = _span(at)

    def write() -> int:
        columns = [
            Column(name, at.watch.states[name].item.link, at.watch.states[name].unit,
                   list(_values(at).between(at.watch.states[name].id, first, last)))
            for name in names
        ]  # fmt: skip
        rows = {"wide": wide_csv, "long": long_csv, "json": json_lines}[kind](columns)
        write_new(Path(path).expanduser(), (row.encode() for row in rows))
        return sum(len(column.samples) for column in columns)

    try:
        count = await asyncio.to_thread(write)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.say(f"{count} values written: {path}", "good")


def _new_file(text: str) -> str:
    path = Path(text).expanduser()
    if not text.strip() or not path.parent.is_dir():
        raise ValueError("give a name in a folder that is there")
    if path.exists():
        raise ValueError(f"{path.name} is there already; choose a new name")
    return f"in {path.parent.absolute()}"


async def _draw(at: WatchAt, names: list[str]) -> None:
    path = await at.line("File for the drawing", "values.svg", drawing_reading, ".svg or .pdf")
    if path is None:
        return
    first, last = _span(at)
    watch = at.watch

    def draw() -> None:
        from ordolex.draw.sheet import drawn
        from ordolex.draw.trend import Line, trend

        lines = []
        for name in names:
            state = watch.states[name]
            columns = _values(at).columns(state.id, first, last, 1200)
            points = [(c.utc_us, c.low, c.high) for c in columns]
            lines.append(Line(name, state.unit, points, state.item.low, state.item.high))
        title = f"{watch.round.name}, {datetime.fromtimestamp(first / 1e6):%d %b %Y %H:%M:%S}"
        target = Path(path).expanduser()
        write_new(target, [drawn(trend(title, lines), target)])

    try:
        await asyncio.to_thread(draw)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.say(f"drawn: {path}", "good")


async def compare(at: WatchAt) -> None:
    """The span that is shown, against the one of the same length before it."""
    first, last = _span(at)
    length = last - first
    rows = []
    for name in _chosen(at):
        state = at.watch.states[name]
        now = _numbers(list(_values(at).between(state.id, first, last)))
        before = _numbers(list(_values(at).between(state.id, first - length, first - 1)))
        found = compared(before, now)
        rows.append(visible_text(f"{name} {f'in {state.unit}' if state.unit else ''}"))
        rows += [f"  before  {figures(before).words}", f"  shown   {figures(now).words}"]
        rows.append(f"  {found.words}" if found is not None else "  too few values to compare")
        if found is not None:
            rows.append(f"  {found.after.independent:.0f} of {found.after.count} values count as independent")
        rows.append("")
    await at.ask(
        Picture("The span shown, and as long before it", rows, "the noise is twice the standard error; Esc goes back")
    )


def _numbers(samples: list[Sample]) -> list[float | None]:
    return [float(s.value) if isinstance(s.value, float | int) else None for s in samples]


def jump(at: WatchAt) -> None:
    """The bytes that the newest value came from, or those at the chart's cursor."""
    state = at.item
    if state.newest_s is None or not state.item.link:
        at.say("No value came yet from a link of its own", "unsure")
        return
    at_us = utc_us(state.newest_s)
    if at.view.mark is not None:
        first, last = _span(at)
        at_us = last - (last - first) * at.view.mark // max(1, at.view.cells)
    work = next(work for work in at.watch.works if work.name == state.item.link)
    at.session.jump_to = (work.id, at_us)
    at.go_to("Keep")


async def publish(at: WatchAt) -> None:
    """The round starts anew, and publishes."""
    from ordolex.io.watch.publish import PASSWORD, USER, read_broker

    def reading(text: str) -> str:
        try:
            broker = read_broker(text)
        except Fault as fault:
            raise ValueError(str(fault)) from fault
        return f"MQTT 5, {'TLS' if broker.secure else 'not encrypted'}, port {broker.port}"

    typed = await at.line(
        "Broker", "mqtt://127.0.0.1:1883", reading, f"user and password come from {USER} and {PASSWORD}"
    )
    if typed is not None:
        await doing.start(at, at.watch.round.name, typed)
