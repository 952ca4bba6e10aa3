"""What the desk Watch gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ordolex.core.watch.state import ItemState
from ordolex.io.system.clock import utc_us
from ordolex.io.watch.watch import Watch
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk

SPANS_S = (10.0, 30.0, 60.0, 300.0, 900.0, 3600.0, 6 * 3600.0, 86_400.0, 7 * 86_400.0, 31 * 86_400.0, 366 * 86_400.0)
"""Lengths of time that the chart shows, by zooming."""


@dataclass(slots=True)
class View:
    """How the desk is looked at.

    charted     the numbers of the items in the chart; none for the one under the cursor
    span        the place of its length in SPANS_S
    end_us      where it ends; None for now
    mark        the cursor's place from the right edge, in columns of which there are `cells`; None for no cursor
    chart_only  which of the two a small screen shows
    """

    charted: list[int] = field(default_factory=list)
    span: int = 2
    end_us: int | None = None
    mark: int | None = None
    cells: int = 100
    chart_only: bool = False

    @property
    def span_s(self) -> float:
        return SPANS_S[self.span]

    def stretch(self) -> tuple[int, int]:
        """The first and the last µs of the time that is shown."""
        last_us = utc_us() if self.end_us is None else self.end_us
        return last_us - round(self.span_s * 1e6), last_us

    def move(self, spans: float) -> None:
        """Shows a time so many spans later; up to now, and no further."""
        _, last_us = self.stretch()
        moved = last_us + round(spans * self.span_s * 1e6)
        self.end_us = moved if moved < utc_us() else None

    def whole(self, first_us: int, last_us: int) -> None:
        """Shows all of this time: at the shortest length that holds it, with its end at the right."""
        length_s = (last_us - first_us) / 1e6
        self.span = next((at for at, span_s in enumerate(SPANS_S) if span_s >= length_s), len(SPANS_S) - 1)
        self.end_us, self.mark = last_us + round(self.span_s * 1e4), None


@dataclass(frozen=True, slots=True)
class Plotted:
    """Something with values in the book, whether its round runs or not. `link` is the number of the link it came from,
    0 for none; `group` says what it belongs to."""

    id: int
    name: str
    unit: str
    link: int
    link_name: str
    group: str
    every_s: float
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True, slots=True)
class KeptRow:
    """Values in the book of a round that does not run, or of another instrument: from when to when, and the newest."""

    plotted: Plotted
    first_us: int
    last_us: int
    newest: float | str | None


class WatchAt(At):
    """state    the item under the cursor, of the round that runs
    kept     the values under the cursor that do not come from it
    view     how the desk is looked at; `show` draws it anew, `look_at_book` reads anew what is kept; `turn_over`
             shows the other of table and chart on a small screen
    plotted  all that can be charted, by its number in the book
    """

    def __init__(
        self, desk: Desk, state: ItemState | None, kept: KeptRow | None, view: View, show: Callable[[], None],
        look_at_book: Callable[[], None], turn_over: Callable[[], None], plotted: Mapping[int, Plotted],
    ) -> None:  # fmt: skip
        super().__init__(desk)
        self.state, self.kept, self.view, self.plotted = state, kept, view, plotted
        self.show, self.look_at_book, self.turn_over = show, look_at_book, turn_over

    @property
    def watch(self) -> Watch:
        watch = self.session.watches.watch
        assert watch is not None, "a job that needs no running round asked for it"
        return watch

    @property
    def item(self) -> ItemState:
        assert self.state is not None, "a job that needs no item asked for it"
        return self.state

    @property
    def under(self) -> Plotted:
        """What is under the cursor and has values."""
        id_ = self.state.id if self.state is not None else self.kept.plotted.id if self.kept is not None else 0
        return self.plotted[id_]

    @property
    def chosen_ones(self) -> list[Plotted]:
        """What is in the chart: what was put there, else what is under the cursor."""
        charted = [self.plotted[id_] for id_ in self.view.charted if id_ in self.plotted]
        return charted or ([self.under] if some_values(self) == "" else [])


def a_running_round(at: WatchAt) -> str:
    return "" if at.session.watches.watch is not None else "No round runs: Enter starts one, n makes one"


def an_item(at: WatchAt) -> str:
    return a_running_round(at) or ("" if at.state is not None else "Put the cursor on an item of the round that runs")


def some_values(at: WatchAt) -> str:
    if at.state is not None and at.state.id in at.plotted:
        return ""
    return "" if at.kept is not None else "Put the cursor on an item with values; n makes a round, m imports a table"
