"""Watch: values again and again, as a table by link and as a chart."""

from __future__ import annotations

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.widgets import Static

from ordolex.core.text.visible import visible_text
from ordolex.core.watch.state import ItemState
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.watch.watch import LinkWork, Watch
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.watch import below, drawing
from ordolex.tui.desks.watch.at import View, WatchAt
from ordolex.tui.desks.watch.chart import Curve, chart_text, legend, span_words
from ordolex.tui.desks.watch.jobs import JOBS
from ordolex.tui.job import bindings
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.row_view import RowView

_TURNS_BETWEEN = 4
_CHART_TURNS = 10
_LOW = 32
_EMPTY = (
    "No round runs. n makes one of what the sheets of your links offer, or of what you type; Enter starts one that the"
    " book has. d runs the demo's, over nine links of the bench."
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
        self._heading = Static("", id="watch-heading", markup=False)
        self._table: RowView[drawing.Row] = RowView(self._draw, _EMPTY, with_cursor=True, id="watch-rows")
        self._chart = Static("", id="watch-chart", markup=False)
        self._legend = Static("", id="watch-legend", markup=False)
        self._below = Static("", id="watch-below", markup=False)
        self._rows: list[drawing.Row] = []
        self._shown: Watch | None = None
        self._turns = 0

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._heading
        yield self._table
        yield self._legend
        yield self._chart
        yield self._below

    def at(self) -> WatchAt:
        return WatchAt(self, self._state, self._view, self.show_all)

    @property
    def _state(self) -> ItemState | None:
        row = self._rows[self._table.cursor] if 0 <= self._table.cursor < len(self._rows) else None
        return row if isinstance(row, ItemState) else None

    def entered(self) -> None:
        self._table.focus()
        self.show_all()

    def restyled(self) -> None:
        self.show_all()

    def turn(self) -> None:
        self._turns += 1
        if self._turns % _TURNS_BETWEEN == 0:
            self._take_rows()
            self._draw_table()
        if self._turns % _CHART_TURNS == 0 and not self._view.back_s:
            self._draw_chart()

    # ---- drawing

    def show_all(self) -> None:
        """Draws everything anew, the chart too."""
        low = self.app.size.height < _LOW
        self.set_class(low, "low")
        self.set_class(self._view.chart_only, "charted")
        self._take_rows()
        self._draw_table()
        self._draw_chart()

    def _take_rows(self) -> None:
        watch = self.session.watches.watch
        if watch is not self._shown:
            self._shown = watch
            self._rows = _rows_of(watch) if watch is not None else []
            self._table.show_rows(self._rows)
            self._table.following = False
            self._table.go_to(0)
            if len(self._rows) > 1:
                self._table.go_to(1)
            self._view.charted = []

    def _draw_table(self) -> None:
        width = self.size.width
        self._head.text = below.headline(self.session, self._view, self.ink)
        self._head.show()
        shown = self._shown is not None
        self._heading.update(drawing.heading(width - 1, self.ink) if shown else Text(""))
        self._table.refresh()
        self._below.update(below.lines(self.session, self._state, self._view, width - 2, self.ink))

    def _draw(self, row: drawing.Row, width: int) -> list[Segment]:
        if isinstance(row, LinkWork):
            running = self.session.watches.running
            return drawing.link_segments(row, width, running.closed.get(row.name, "") if running else "", self.ink)
        if isinstance(row, ItemState):
            charted = row.item.name in self._charted()
            return drawing.item_segments(row, mono_s(), width, charted, self.ink)
        return [Segment(f"  {row}", self.ink.style("ink", bold=True))]

    def _charted(self) -> list[str]:
        if self._view.charted:
            return self._view.charted
        return [self._state.item.name] if self._state is not None else []

    def _draw_chart(self) -> None:
        watch, view, ink = self._shown, self._view, self.ink
        if watch is None or not self._chart.is_attached or not self._chart.display:
            self._chart.update(Text(""))
            self._legend.update(Text(""))
            return
        width, height = self._chart.size.width - 2, self._chart.size.height
        last_us = utc_us() - round(view.back_s * 1e6)
        first_us = last_us - round(view.span_s * 1e6)
        cells = view.cells = max(20, width - 10)
        curves = [self._curve(watch, name, first_us, last_us, cells) for name in self._charted()]
        mark_us = None if view.mark is None else last_us - (last_us - first_us) * view.mark // cells
        words = span_words(view.span_s, view.back_s)
        self._legend.update(legend(curves, mark_us, words, self.size.width - 2, ink))
        self._chart.update(chart_text(curves, first_us, last_us, width, height, mark_us, ink))

    def _curve(self, watch: Watch, name: str, first_us: int, last_us: int, cells: int) -> Curve:
        state = watch.states[name]
        columns = self.session.book.reader.values.columns(state.id, first_us, last_us, cells)
        every_us = max(round(state.item.every_s * 1e6), (last_us - first_us) // cells)
        return Curve(visible_text(name), state.unit, columns, every_us, state.item.low, state.item.high)

    # ---- moving

    def on_key(self, event: object) -> None:
        key = getattr(event, "key", "")
        page = max(1, self._table.size.height - 1)
        steps = {"up": -1, "down": 1, "pageup": -page, "pagedown": page, "home": -(10**9), "end": 10**9}
        if key in steps and self._table.has_focus:
            self._table.go_to(self._table.cursor + steps[key])
            self._draw_table()
            if not self._view.charted:
                self._draw_chart()
            event.stop()  # type: ignore[attr-defined]
            event.prevent_default()  # type: ignore[attr-defined]


def _rows_of(watch: Watch) -> list[drawing.Row]:
    """Each link with its items, then what is computed."""
    rows: list[drawing.Row] = []
    for work in watch.works:
        rows.append(work)
        rows += [state for state in watch.states.values() if state.item.link == work.name]
    computed = [state for state in watch.states.values() if state.item.derive]
    return [*rows, "computed", *computed] if computed else rows
