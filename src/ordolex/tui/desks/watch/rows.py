"""Watch: what stands in the table. The round that runs by link; what is in the book of rounds that do not, and of other
instruments; what others publish."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ordolex.io.book.values import IMPORTED, Item, Values
from ordolex.io.watch.listening import Far
from ordolex.io.watch.watch import Watch
from ordolex.tui.desks.watch.at import KeptRow, Plotted
from ordolex.tui.desks.watch.drawing import Row

_MOST_KEPT = 2000


def running_rows(watch: Watch) -> list[Row]:
    """Each link with its items, then what is computed."""
    rows: list[Row] = []
    for work in watch.works:
        rows.append(work)
        rows += [state for state in watch.states.values() if state.item.link == work.name]
    computed = [state for state in watch.states.values() if state.item.derive]
    return [*rows, "computed", *computed] if computed else rows


def plotted_of(watch: Watch) -> dict[int, Plotted]:
    ids = {work.name: work.id for work in watch.works}
    return {
        state.id: Plotted(
            state.id, state.item.name, state.unit, ids.get(state.item.link, 0), state.item.link, watch.round.name,
            state.item.every_s, state.item.low, state.item.high,
        )
        for state in watch.states.values()
    }  # fmt: skip


def kept_rows(values: Values, running: str, link_name: Callable[[int], str]) -> list[KeptRow]:
    """Of the book: all but the round that runs, and items without a value. Not for the screen's loop."""
    out = []
    for item in values.items()[:_MOST_KEPT]:
        ends = values.ends(item.id) if item.round != running else None
        if ends is not None:
            newest = values.latest(item.id, 1)
            out.append(KeptRow(_plotted(item, link_name(item.link)), *ends, newest[0].value if newest else None))
    return sorted(out, key=lambda row: (row.plotted.group.startswith(IMPORTED), row.plotted.group, row.plotted.id))


def _plotted(item: Item, link: str) -> Plotted:
    return Plotted(item.id, item.name, item.unit, item.link, link, item.round, item.every_s)


def with_headings(kept: Sequence[KeptRow], running: bool) -> list[Row]:
    """Kept rows under the name of their round or file; beside a round that runs, only those of other instruments."""
    rows: list[Row] = []
    group = ""
    for row in kept:
        if running and not row.plotted.group.startswith(IMPORTED):
            continue
        if row.plotted.group != group:
            group = row.plotted.group
            rows.append(group if group.startswith(IMPORTED) else f"{group}   does not run; what is in the book")
        rows.append(row)
    return rows


def far_rows(url: str, far: Sequence[Far]) -> list[Row]:
    """What others publish, site by site."""
    rows: list[Row] = []
    site = None
    for one in far:
        if one.site != site:
            site = one.site
            rows.append(f"{one.site}   published at {url}")
        rows.append(one)
    return rows
