"""Watch: the table of another instrument, to compare with: its time column, how times are written, columns."""

from __future__ import annotations

import asyncio
from datetime import datetime
from pathlib import Path

from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.imported import Table, forms_of, time_columns, times_us, value_columns
from ordolex.io.book.values import IMPORTED
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of
from ordolex.io.watch.importing import Choice, forget, keep, table_of
from ordolex.tui.desks.watch.at import WatchAt
from ordolex.tui.readings import file_reading
from ordolex.tui.widgets.prompts import Pick


async def take(at: WatchAt) -> None:
    typed = await at.line("Table of another instrument", "", file_reading, "CSV, with a time and values in each line")
    if typed is None:
        return
    path = await asyncio.to_thread(lambda: path_of(typed))
    try:
        table = await asyncio.to_thread(table_of, path)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    choice = await _choice(at, path, table)
    if choice is None:
        return
    at.say(f"{visible_text(path.name)} is being taken into the book")
    try:
        kept = await asyncio.to_thread(keep, at.session.book, path, table, choice)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.look_at_book()
    odd = f"; left out: {counted(table.odd, 'line')} of another shape" if table.odd else ""
    at.say(f"{visible_text(kept.name)}: {kept.words}{odd}", "good")


async def _choice(at: WatchAt, path: Path, table: Table) -> Choice | None:
    columns = await asyncio.to_thread(time_columns, table)
    if not columns:
        at.say(
            f"{visible_text(path.name)}: no column holds times that can be read; such a time looks like"
            " 2026-03-14 06:30:00, 14.03.2026 06:30, 03/14/2026 06:30 or seconds since 1970", "bad",
        )  # fmt: skip
        return None
    column = columns[0]
    if len(columns) > 1:
        rows = [
            (str(one), f"{visible_text(table.headings[one]):24} {visible_text(table.rows[0][one])}") for one in columns
        ]
        chosen = await at.ask(Pick("Which column is the time?", rows))
        if chosen is None:
            return None
        column = int(chosen)
    forms = forms_of(table, column)
    form = forms[0]
    if len(forms) > 1:
        rows = [
            (one.name, f"{one.name:24} the first is {_local(times_us(table, column, one)[0])}") for one in forms
        ]  # fmt: skip
        picked = await at.ask(Pick(f"{visible_text(table.rows[0][column])} can be read in {len(forms)} ways", rows))
        if picked is None:
            return None
        form = next(one for one in forms if one.name == picked)
    times = [at_us for at_us in times_us(table, column, form) if at_us is not None]
    span = f"{_local(min(times))} to {_local(max(times))}"
    hint = f"it is {span} here; a clock that was 90 s ahead wants -90"
    offset = await at.line("Seconds to move its times by", "0", offset_reading, hint)
    if offset is None:
        return None
    values = value_columns(table, column)
    if not values:
        at.say(f"{visible_text(path.name)}: no column beside the time holds numbers", "bad")
        return None
    names = [table.headings[one] for one in values]
    wanted: str | None = ",".join(str(number) for number in range(1, len(values) + 1))
    if len(values) > 1:
        listed = "  ".join(f"{number} {visible_text(name)}" for number, name in enumerate(names, 1))
        wanted = await at.line("Which columns?", wanted or "", lambda text: columns_reading(text, names), listed[:200])
    if wanted is None:
        return None
    return Choice(column, form, tuple(values[number - 1] for number in _numbers(wanted)), float(offset))


def _local(at_us: int | None) -> str:
    return f"{datetime.fromtimestamp(at_us / 1e6):%d %b %Y %H:%M:%S}" if at_us is not None else "not readable"


def offset_reading(text: str) -> str:
    """Raises ValueError."""
    try:
        seconds = float(text)
    except ValueError:
        raise ValueError("a number of seconds, such as 0, -90 or 3600") from None
    if not abs(seconds) <= 50 * 366 * 86_400:
        raise ValueError("up to fifty years")
    return "as they stand" if seconds == 0 else f"{abs(seconds):g} s {'later' if seconds > 0 else 'earlier'}"


def _numbers(text: str) -> list[int]:
    return list(dict.fromkeys(int(part) for part in text.replace(",", " ").split()))


def columns_reading(text: str, names: list[str]) -> str:
    """Raises ValueError."""
    try:
        numbers = _numbers(text)
    except ValueError:
        raise ValueError(f"numbers from 1 to {len(names)}, with commas between") from None
    if not numbers or not all(1 <= number <= len(names) for number in numbers):
        raise ValueError(f"numbers from 1 to {len(names)}, with commas between")
    return visible_text(", ".join(names[number - 1] for number in numbers))


async def drop(at: WatchAt) -> None:
    """An import leaves the book with its values; the file stays where it is."""
    items = await asyncio.to_thread(at.session.book.reader.values.items)
    names = list(dict.fromkeys(item.round for item in items if item.round.startswith(IMPORTED)))
    if not names:
        at.say("Nothing of another instrument is in the book", "unsure")
        return
    chosen = await at.ask(
        Pick("Which import leaves the book?", [(n, visible_text(n)) for n in names], "Its file stays.")
    )
    if chosen is None:
        return
    try:
        await asyncio.to_thread(forget, at.session.book, chosen)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.view.charted.clear()
    at.look_at_book()
    at.say(f"{visible_text(chosen)} is out of the book", "good")
