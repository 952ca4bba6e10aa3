"""What the desk Watch gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ordolex.core.watch.state import ItemState
from ordolex.io.watch.watch import Watch
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk

SPANS_S = (10.0, 30.0, 60.0, 300.0, 900.0, 3600.0, 6 * 3600.0, 86_400.0, 7 * 86_400.0, 31 * 86_400.0, 366 * 86_400.0)
"""Lengths of time that the chart shows, by zooming."""


@dataclass(slots=True)
class View:
    """How the desk is looked at.

    charted     the items in the chart; none for the one under the cursor
    span        the place of its length in SPANS_S; its end lies `back_s` before now
    mark        the cursor's place from the right edge, in columns of which there are `cells`; None for no cursor
    chart_only  which of the two a small screen shows
    """

    charted: list[str] = field(default_factory=list)
    span: int = 2
    back_s: float = 0.0
    mark: int | None = None
    cells: int = 100
    chart_only: bool = False

    @property
    def span_s(self) -> float:
        return SPANS_S[self.span]


class WatchAt(At):
    """state  the item under the cursor
    view   how the desk is looked at; `show` draws it anew
    """

    def __init__(self, desk: Desk, state: ItemState | None, view: View, show: Callable[[], None]) -> None:
        super().__init__(desk)
        self.state, self.view, self.show = state, view, show

    @property
    def watch(self) -> Watch:
        watch = self.session.watches.watch
        assert watch is not None, "a job that needs no running round asked for it"
        return watch

    @property
    def item(self) -> ItemState:
        assert self.state is not None, "a job that needs no item asked for it"
        return self.state


def a_running_round(at: WatchAt) -> str:
    return "" if at.session.watches.watch is not None else "No round runs: Enter starts one, n makes one"


def an_item(at: WatchAt) -> str:
    return a_running_round(at) or ("" if at.state is not None else "Put the cursor on an item")
