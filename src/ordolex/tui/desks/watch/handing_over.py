"""Watch: values as files, the chart on paper, a jump to the bytes, publishing, and what others publish."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from datetime import datetime

from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.tables import Column, json_lines, long_csv, wide_csv
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of, write_new
from ordolex.tui.desks.watch import doing
from ordolex.tui.desks.watch.at import Plotted, WatchAt
from ordolex.tui.readings import drawing_reading, new_file_reading
from ordolex.tui.widgets.prompts import Pick


async def export(at: WatchAt) -> None:
    """Values of the chart's span: as a table by time, a row for each value, JSON lines, or drawn."""
    kinds = [
        ("wide", "CSV, a column for each item"), ("long", "CSV, a row for each value"), ("json", "JSON lines"),
        ("chart", "The chart as SVG or PDF"),
    ]  # fmt: skip
    chosen = at.chosen_ones
    which = "of what is in the chart" if at.view.charted else "of the item under the cursor"
    kind = await at.ask(Pick(f"Export {counted(len(chosen), 'item')}, {which}", kinds))
    if kind is None:
        return
    if kind == "chart":
        await _draw(at, chosen)
        return
    if len(at.plotted) > len(chosen):
        picks = [
            ("these", f"These: {', '.join(visible_text(one.name) for one in chosen)[:60]}"),
            ("all", f"The whole round and what else can be charted: {counted(len(at.plotted), 'item')}"),
        ]  # fmt: skip
        which_ones = await at.ask(Pick("Values of which items?", picks))
        if which_ones is None:
            return
        chosen = list(at.plotted.values()) if which_ones == "all" else chosen
    ending = "jsonl" if kind == "json" else "csv"
    of = "item" if len(chosen) == 1 else f"{len(chosen)} items"
    path = await at.line("File for the values", f"values.{ending}", new_file_reading, f"the {of} of the span shown")
    if path is None:
        return
    first, last = at.view.stretch()
    values = at.session.book.reader.values

    def write() -> int:
        columns = [
            Column(one.name, one.link_name, one.unit, list(values.between(one.id, first, last))) for one in chosen
        ]
        rows = {"wide": wide_csv, "long": long_csv, "json": json_lines}[kind](columns)
        write_new(path_of(path), (row.encode() for row in rows))
        return sum(len(column.samples) for column in columns)

    try:
        count = await asyncio.to_thread(write)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.say(f"{counted(count, 'value')} written: {path}", "good")


async def _draw(at: WatchAt, chosen: Sequence[Plotted]) -> None:
    path = await at.line("File for the drawing", "values.svg", drawing_reading, ".svg or .pdf")
    if path is None:
        return
    first, last = at.view.stretch()
    values = at.session.book.reader.values

    def draw() -> None:
        from ordolex.draw.sheet import drawn
        from ordolex.draw.trend import Line, trend

        lines = []
        for one in chosen:
            points = [(c.utc_us, c.low, c.high) for c in values.columns(one.id, first, last, 1200)]
            lines.append(Line(one.name, one.unit, points, one.low, one.high))
        title = f"{chosen[0].group}, {datetime.fromtimestamp(first / 1e6):%d %b %Y %H:%M:%S}"
        target = path_of(path)
        write_new(target, [drawn(trend(title, lines), target)])

    try:
        await asyncio.to_thread(draw)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.say(f"drawn: {path}", "good")


def jump(at: WatchAt) -> None:
    """The bytes that the newest value came from, or those at the chart's cursor."""
    under, state = at.under, at.state
    newest_us = at.kept.last_us if at.kept is not None else 0
    if state is not None and state.newest_s is not None:
        newest_us = utc_us(state.newest_s)
    if not under.link or not newest_us:
        at.say("No value came yet from a link of its own", "unsure")
        return
    if at.view.mark is not None:
        first, last = at.view.stretch()
        newest_us = last - (last - first) * at.view.mark // max(1, at.view.cells)
    at.session.jump_to = (under.link, newest_us)
    at.go_to("Keep")


async def publish(at: WatchAt) -> None:
    """The round starts anew, and publishes; also whenever it is started after this."""
    from ordolex.io.watch.publish import PASSWORD, USER

    round_ = at.watch.round
    hint = f"user and password come from {USER} and {PASSWORD}; empty: not published"
    typed = await at.line("Broker", round_.publish or "mqtt://127.0.0.1:1883", broker_reading, hint)
    if typed is None:
        return
    watches = at.session.watches
    try:
        watches.keep(watches[round_.name].model_copy(update={"publish": typed.strip()}))
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    await doing.start(at, round_.name)


def broker_reading(text: str) -> str:
    """Raises ValueError."""
    from ordolex.io.watch.publish import read_broker

    if not text.strip():
        return "nothing is published"
    try:
        broker = read_broker(text)
    except Fault as fault:
        raise ValueError(str(fault)) from fault
    return f"MQTT 5, {'TLS' if broker.secure else 'not encrypted'}, port {broker.port}"


async def listen(at: WatchAt) -> None:
    """Shows what others publish, below what is asked here; or no longer."""
    watches = at.session.watches
    if watches.listening is not None:
        choices = [("no", "Go on"), ("yes", "No longer")]
        if await at.ask(Pick(f"Shown is what {visible_text(watches.listening.url)} has", choices)) == "yes":
            await asyncio.to_thread(watches.listen_to, "")
            at.show()
        return
    typed = await at.line("Broker", "mqtt://127.0.0.1:1883", broker_reading, "what others publish there is shown")
    if not typed or not typed.strip():
        return
    try:
        await asyncio.to_thread(watches.listen_to, typed)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.show()
    at.say(f"{typed.strip()}: its values stand below, by site", "good")
