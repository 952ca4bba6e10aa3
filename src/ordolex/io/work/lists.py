"""Pulls a list from a device: sends its command, goes on at each page, and ends where the list ends."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Event
from ordolex.core.sheet import ListPlan, Lists
from ordolex.core.tables.complete import changes, complete
from ordolex.core.tables.table import Table, by_columns, by_pattern, lines_of
from ordolex.core.text import patterns
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s, utc_us

_STALLED_S = 5.0


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
    heard = bytearray()
    came = asyncio.Event()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(data)
        came.set()

    end = lists.end.encode()
    more = re.compile(re.escape(lists.more.encode())) if lists.more else None
    command = to_bytes(lists.command.replace("{number}", str(one.number)))
    text, pages, words = bytearray(), 0, ""
    with runner.tap.heard_by(hear):
        await runner.out.send(command)
        while True:
            came.clear()
            page = more.search(bytes(heard)) if more is not None else None
            ended = patterns.search(end, bytes(heard)) if end else None
            if ended is not None:
                text += heard[: ended.start()]
                break
            if page is not None:
                text += heard[: page.start()]
                del heard[: page.end()]
                pages += 1
                changed(text.count(b"\n"))
                await runner.out.send(to_bytes(lists.go_on))
                continue
            try:
                async with asyncio.timeout(_STALLED_S if end or more is not None else 2.0):
                    await came.wait()
            except TimeoutError:
                text += heard
                words = "" if not end and text else f"nothing came for {_STALLED_S:g} s before its end"
                break
            changed(text.count(b"\n") + heard.count(b"\n"))
    shown = bytes(text)
    if lists.echo:  # the command's own line is no row
        shown = shown.split(b"\n", 1)[-1] if b"\n" in shown else shown
    lines = lines_of(text_of(shown, runner.charset))
    heading = one.heading or r"^-- .* --$"
    table = by_pattern(one.name, lines, one.row, heading) if one.row else by_columns(one.name, lines)
    return Pulled(table, pages, words)


def table_event(link: int, pulled: Pulled, before: Table | None) -> tuple[str, Event]:
    """What is said of a pulled list, and the event that keeps it in the book; `before` is what was pulled last time."""
    table = pulled.table
    words = f"{table.name}: {counted(len(table.rows), 'row')}, {complete(table).words}"
    if before is not None:
        words += f"; {changes(before, table).words}"
    if pulled.words:
        words += f"; not whole: {pulled.words}"
    return words, Event(link, utc_us(), round(mono_s() * 1e6), "table", words, table.as_dict())
