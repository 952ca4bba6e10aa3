"""Watch: values again and again, as a table by link and as a chart."""

from __future__ import annotations

import asyncio

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.events import Key

from ordolex.core.text.visible import visible_text
from ordolex.core.watch.state import ItemState
from ordolex.io.system.clock import mono_s
from ordolex.io.watch.listening import Far
from ordolex.io.watch.watch import LinkWork, Watch
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.watch import below, drawing, rows
from ordolex.tui.desks.watch.at import KeptRow, Plotted, View, WatchAt
from ordolex.tui.desks.watch.chart import Curve, chart_text, legend, span_words
from ordolex.tui.desks.watch.jobs import JOBS
from ordolex.tui.job import bindings, fault_said
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.words import Words

_TURNS_BETWEEN = 6
_CHART_TURNS = 12
_LOW = 32
_EMPTY = (
    "No round runs. n makes one of what the sheets of your links offer, or of what you type; Enter starts one that the"
    " book has. d runs the demo's, over nine links of the bench. Values that are in the book stand here, too."
)


class WatchDesk(Desk):
    word = "Watch"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    WatchDesk #watch-heading { height: 1; background: $surface; }
    WatchDesk #watch-chart { height: 2fr; background: $surface; padding: 0 1; }
    WatchDesk #watch-legend { height: 1; background: $surface; padding: 0 1; }
    WatchDesk #watch-below { height: 2; background: $surface; padding: 0 1; }
    WatchDesk RowView { height: 3fr; }
    WatchDesk.low #watch-chart, WatchDesk.low #watch-legend { display: none; }
    WatchDesk.low.charted #watch-chart, WatchDesk.low.charted #watch-legend { display: block; }
    WatchDesk.low.charted RowView, WatchDesk.low.charted #watch-heading { display: none; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._view = View()
        self._head = HeadLine()
        self._heading = Words(id="watch-heading")
        self._table: RowView[drawing.Row] = RowView(self._draw, _EMPTY, with_cursor=True, id="watch-rows")
        self._chart = Words(id="watch-chart")
        self._chart.can_focus = True
        self._legend = Words(id="watch-legend")
        self._below = Words(id="watch-below")
        self._rows: list[drawing.Row] = []
        self._kept: list[KeptRow] = []
        self._plotted: dict[int, Plotted] = {}
        self._shown: Watch | None = None
        self._far = -1
        self._turns = 0

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._heading
        yield self._table
        yield self._legend
        yield self._chart
        yield self._below

    def at(self) -> WatchAt:
        return WatchAt(
            self,
            self._state,
            self._kept_row,
            self._view,
            self.show_all,
            self.look_at_book,
            self.turn_over,
            self._plotted,
        )

    @property
    def _row(self) -> drawing.Row | None:
        return self._rows[self._table.cursor] if 0 <= self._table.cursor < len(self._rows) else None

    @property
    def _state(self) -> ItemState | None:
        return self._row if isinstance(self._row, ItemState) else None

    @property
    def _kept_row(self) -> KeptRow | None:
        return self._row if isinstance(self._row, KeptRow) else None

    def entered(self) -> None:
        self._table.focus()
        self.show_all()
        self.look_at_book()

    def look_at_book(self) -> None:
        """Reads beside the screen what the book has of rounds that do not run, and of other instruments."""
        self.run_worker(fault_said(self._read_kept(), self.say), exclusive=True, group="kept")

    async def _read_kept(self) -> None:
        watch = self.session.watches.watch
        names = {link.id: link.name for link in self.session.links}
        self._kept = await asyncio.to_thread(
            rows.kept_rows, self.session.book.reader.values, watch.round.name if watch is not None else "",
            lambda id_: names.get(id_, ""),
        )  # fmt: skip
        self._take_rows(anew=True)
        self._draw_table()
        self._draw_chart()

    def restyled(self) -> None:
        self.show_all()

    def turn(self) -> None:
        self._turns += 1
        if self._turns % _TURNS_BETWEEN == 0:
            self._take_rows()
            self._draw_table()
        if self._turns % _CHART_TURNS == 0 and self._view.end_us is None:
            self._draw_chart()

    # ---- drawing

    def turn_over(self) -> None:
        """The other of table and chart on a small screen; what is not shown would lose the focus, and with it keys."""
        self._view.chart_only = not self._view.chart_only
        self.show_all()
        (self._chart if self._view.chart_only and self.has_class("low") else self._table).focus()

    def show_all(self) -> None:
        """Draws everything anew, the chart too."""
        low = self.app.size.height < _LOW
        self.set_class(low, "low")
        self.set_class(self._view.chart_only, "charted")
        self._take_rows()
        self._draw_table()
        self._draw_chart()

    def _take_rows(self, *, anew: bool = False) -> None:
        watches = self.session.watches
        watch, far = watches.watch, watches.listening
        changes = far.changes if far is not None else -1
        if watch is self._shown and changes == self._far and not anew:
            return
        started = watch is not self._shown
        before = self._row
        self._shown, self._far = watch, changes
        taken = rows.running_rows(watch) if watch is not None else []
        taken += rows.with_headings(self._kept, watch is not None)
        taken += rows.far_rows(far.url, far.all) if far is not None else []
        self._plotted = {row.plotted.id: row.plotted for row in self._kept}
        self._plotted |= rows.plotted_of(watch) if watch is not None else {}
        self._rows = taken
        self._table.show_rows(taken)
        self._table.following = False
        if started:
            self._view.charted, self._view.end_us, self._view.mark = [], None, None
            if watch is None:
                self.look_at_book()
        self._table.go_to(_place_of(before, taken) if not started else 0)
        if self._table.cursor == 0 and len(taken) > 1:
            self._table.go_to(1)
        kept = self._kept_row
        if kept is not None and before is None and not self._view.charted:
            self._view.whole(kept.first_us, kept.last_us)

    def _draw_table(self) -> None:
        width = self.size.width
        self._head.text = below.headline(self.session, self._view, self.ink)
        self._head.show()
        heading = drawing.heading if self._shown is not None else drawing.kept_heading
        self._heading.put(heading(width - 1, self.ink) if self._rows else Text(""))
        self._table.look_again()
        self._below.put(below.lines(self.session, self._row, width - 2, self.ink))

    def _draw(self, row: drawing.Row, width: int) -> list[Segment]:
        if isinstance(row, LinkWork):
            running = self.session.watches.running
            return drawing.link_segments(row, width, running.closed.get(row.name, "") if running else "", self.ink)
        if isinstance(row, ItemState):
            return drawing.item_segments(row, mono_s(), width, self._is_charted(row.id), self.ink)
        if isinstance(row, KeptRow):
            return drawing.kept_segments(row, width, self._is_charted(row.plotted.id), self.ink)
        if isinstance(row, Far):
            return drawing.far_segments(row, width, self.session.watches.is_there(row), self.ink)
        return [Segment(f"  {visible_text(row)}", self.ink.style("ink", bold=True))]

    def _is_charted(self, id_: int) -> bool:
        return id_ in self._view.charted if self._view.charted else any(one.id == id_ for one in self.at().chosen_ones)

    def _draw_chart(self) -> None:
        view, ink = self._view, self.ink
        chosen = self.at().chosen_ones
        if not chosen or not self._chart.is_attached or not self._chart.display:
            self._chart.put(Text(""))
            self._legend.put(Text(""))
            return
        width, height = self._chart.size.width - 2, self._chart.size.height
        first_us, last_us = view.stretch()
        cells = view.cells = max(20, width - 10)
        curves = [self._curve(one, first_us, last_us, cells) for one in chosen]
        mark_us = None if view.mark is None else last_us - (last_us - first_us) * view.mark // cells
        words = span_words(view.span_s, view.end_us)
        self._legend.put(legend(curves, mark_us, words, self.size.width - 2, ink))
        self._chart.put(chart_text(curves, first_us, last_us, width, height, mark_us, ink))

    def _curve(self, one: Plotted, first_us: int, last_us: int, cells: int) -> Curve:
        columns = self.session.book.reader.values.columns(one.id, first_us, last_us, cells)
        every_us = max(round(one.every_s * 1e6), (last_us - first_us) // cells)
        return Curve(visible_text(one.name), one.unit, columns, every_us, one.low, one.high)

    # ---- moving

    def on_key(self, event: Key) -> None:
        step = self._table.steps_by(event.key)
        if step is not None:
            self._table.go_to(self._table.cursor + step)
            kept = self._kept_row
            if not self._view.charted:
                if kept is not None:
                    self._view.whole(kept.first_us, kept.last_us)
                elif self._state is not None and self._view.end_us is not None:
                    self._view.end_us = None
                self._draw_chart()
            self._draw_table()
            event.stop()
            event.prevent_default()


def _place_of(row: drawing.Row | None, taken: list[drawing.Row]) -> int:
    """Where a row stands now."""
    for place, one in enumerate(taken):
        if (
            one is row
            or (isinstance(one, KeptRow) and isinstance(row, KeptRow) and one.plotted.id == row.plotted.id)
            or (
                isinstance(one, Far)
                and isinstance(row, Far)
                and (one.site, one.link, one.item) == (row.site, row.link, row.item)
            )
        ):
            return place
    return 0
