"""Pulls a list from a device: sends its command, goes on at each page, and ends where the list ends."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.record.items import Event
from ordolex.core.sheet import ListPlan, Lists
from ordolex.core.tables.complete import changes, complete
from ordolex.core.tables.table import Table, by_columns, by_pattern, lines_of
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.io.link.pages import collect
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s, utc_us


@dataclass(frozen=True, slots=True)
class Pulled:
    """table   what came, parsed
    pages   how often the device had to be told to go on
    words   why it ended early; empty for a whole list
    """

    table: Table
    pages: int
    words: str


async def pull(
    runner: LinkRunner, lists: Lists, one: ListPlan, changed: Callable[[int], None] = lambda rows: None
) -> Pulled:
    """`changed` is told how many lines have come. Cancel it to stop. Raises a Fault of the port."""
    found = await collect(runner, lists.of(one), changed)
    lines = lines_of(text_of(found.text, runner.charset))
    heading = one.heading or r"^-- .* --$"
    table = by_pattern(one.name, lines, one.row, heading) if one.row else by_columns(one.name, lines)
    return Pulled(table, found.pages, found.words)


def table_event(link: int, pulled: Pulled, before: Table | None) -> tuple[str, Event]:
    """What is said of a pulled list, and the event that keeps it in the book; `before` is what was pulled last time."""
    table = pulled.table
    words = f"{table.name}: {counted(len(table.rows), 'row')}, {complete(table).words}"
    if before is not None:
        words += f"; {changes(before, table).words}"
    if pulled.words:
        words += f"; not whole: {pulled.words}"
    return words, Event(link, utc_us(), round(mono_s() * 1e6), "table", words, table.as_dict())
