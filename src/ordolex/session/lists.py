"""A device's lists, pulled into tables and kept in the record with what became of them since the last time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.sheet import ListPlan, Lists
from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted
from ordolex.io.link.journal import RecorderLike
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.work.lists import pull, table_event


@dataclass(frozen=True, slots=True)
class KeptList:
    """table    what came, parsed
    words    how many rows, whether it is whole, and what changed since it was pulled last
    trouble  why it ended early; empty for a whole list
    """

    table: Table
    words: str
    trouble: str

    @property
    def whole(self) -> bool:
        return not self.trouble


async def pull_list(
    runner: LinkRunner,
    recorder: RecorderLike,
    lists: Lists,
    one: ListPlan,
    before: Table | None = None,
    changed: Callable[[int], None] = lambda rows: None,
) -> KeptList:
    """Pulls one list and keeps it; `before` is what was pulled last time, `changed` is told how many lines have come.
    Raises a Fault of the port."""
    began_s = mono_s()
    pulled = await pull(runner, lists, one, changed)
    words, event = table_event(runner.link, pulled, before)
    recorder.note(event)
    if pulled.table.rows and not pulled.words:  # rows of the expected shape up to the end that the sheet names
        rows = counted(len(pulled.table.rows), "row")
        runner.shown_right(f"list {one.name}", f"{rows}, up to its end", (mono_s() - began_s) * 1000)
    return KeptList(pulled.table, words, pulled.words)
