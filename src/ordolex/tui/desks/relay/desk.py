"""Relay: a program that knows serial ports only gets a device on the network; a port is shared; two ends are joined."""

from __future__ import annotations

from typing import Any

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.events import Key

from ordolex.core.relay.path_runs import PathRun
from ordolex.core.relay.plan import RelayPlan
from ordolex.io.net.check import Step
from ordolex.io.net.survey import Host
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.relay import below, drawing, rows
from ordolex.tui.desks.relay.at import Looked, RelayAt, Shown
from ordolex.tui.desks.relay.jobs import JOBS
from ordolex.tui.job import bindings
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import Shown as HowShown
from ordolex.tui.widgets.rows import row_segments
from ordolex.tui.widgets.words import Words

_TURNS_BETWEEN = 5


class RelayDesk(Desk):
    word = "Relay"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    RelayDesk #relay-heading { height: 1; background: $surface; }
    RelayDesk #relay-below { height: 14; background: $surface; padding: 0 1; scrollbar-size: 1 1; }
    RelayDesk.tight #relay-below, RelayDesk.low #relay-below { height: 7; }
    RelayDesk #relay-detail { height: auto; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._looked = Looked()
        self._head = HeadLine()
        self._heading = Words(id="relay-heading")
        self._view: RowView[Any] = RowView(self._draw, below.EMPTY[Shown.RELAYS], with_cursor=True, id="relay-rows")
        self._detail = Words(id="relay-detail")
        self._rows: list[Any] = []
        self._chosen = ""  # the relay that jobs are for, also while something else is in front
        self._turns = 0

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._heading
        yield self._view
        with VerticalScroll(id="relay-below", can_focus=False):
            yield self._detail

    def at(self) -> RelayAt:
        return RelayAt(self, self.relay, self._under(Host), self._under(PathRun), self._looked, self.show)

    @property
    def relay(self) -> RelayPlan | None:
        """The relay under the cursor, or that was when another list came in front."""
        relays = self.session.relays
        under: RelayPlan | None = self._under(RelayPlan)
        if under is not None:
            return under
        if self._chosen in relays:
            return relays[self._chosen]
        return next(iter(relays), None)

    def _under(self, kind: type) -> Any:
        row = self._rows[self._view.cursor] if 0 <= self._view.cursor < len(self._rows) else None
        return row if isinstance(row, kind) else None

    # ---- what is in front

    def entered(self) -> None:
        self._view.focus()
        self.session.network.look_at_own()
        self.show(self._looked.shown)

    def show(self, shown: Shown, relay: str = "") -> None:
        """Puts something else in front; `relay` is the one that is spoken of then."""
        self._looked.shown = shown
        self._chosen = relay or self._chosen
        self._rows = []
        self._take_rows()
        self._view.empty_text = below.empty_words(self.session, self._looked)
        if shown is Shown.RELAYS:
            names = [row.name for row in self._rows]
            self._view.go_to(names.index(self._chosen) if self._chosen in names else 0)
        elif shown is Shown.RUNS:
            self._view.go_to(len(self._rows) - 1)
        self.draw_all()

    def turn(self) -> None:
        self._turns += 1
        if self._turns % _TURNS_BETWEEN == 0:
            self._take_rows()
            self.draw_all()

    def restyled(self) -> None:
        self.draw_all()

    def _take_rows(self) -> None:
        found = rows.rows_of(self.session, self._looked, self.relay)
        before, cursor = self._rows, self._view.cursor
        self._rows = list(found)
        if len(before) != len(self._rows):
            self._view.show_rows(self._rows)
            follows = self._looked.shown in (Shown.SAID, Shown.WAY)
            self._view.following = follows
            self._view.go_to(len(self._rows) - 1 if follows else min(cursor, max(0, len(self._rows) - 1)))
        else:
            self._view.renew(self._rows)

    # ---- drawing

    def draw_all(self) -> None:
        ink, width = self.ink, self.size.width
        under = self._under(RelayPlan)
        if under is not None:
            self._chosen = under.name
        self.set_class(self.app.size.height < 34, "low")
        self._head.text = below.headline(self.session, self._looked, ink)
        self._head.show()
        headings = {
            Shown.RELAYS: drawing.relay_heading, Shown.BOXES: drawing.box_heading, Shown.RUNS: drawing.run_heading,
        }  # fmt: skip
        heading = headings.get(self._looked.shown)
        self._heading.put(Text(heading(width) if heading else "", ink.style("dim"), no_wrap=True))
        self._view.look_again()
        self._detail.put(self._below(width - 3))

    def _draw(self, row: Any, width: int) -> list[Segment]:
        ink = self.ink
        if isinstance(row, RelayPlan):
            return drawing.relay_segments(row, self.session.relays.view(row.name), width, ink)
        if isinstance(row, Host):
            return drawing.box_segments(row, width, ink)
        if isinstance(row, PathRun):
            return drawing.run_segments(row, self._looked.before, width, ink)
        if isinstance(row, Step):
            return drawing.step_segments(row, width, ink)
        return row_segments(row, width, HowShown.BOTH, ink)

    def _below(self, width: int) -> Text:
        match self._looked.shown:
            case Shown.BOXES:
                return below.of_box(
                    self.session, self._under(Host), below.empty_words(self.session, self._looked), width, self.ink
                )
            case Shown.RUNS:
                return below.of_run(self._under(PathRun), self._looked.before, width, self.ink)
            case Shown.WAY:
                return below.of_way(self.session, self.ink)
            case _:
                return below.of_relay(self.session, self.relay, width, self.ink)

    # ---- moving

    def on_key(self, event: Key) -> None:
        step = self._view.steps_by(event.key)
        if step is not None:
            self._view.go_to(self._view.cursor + step)
        elif event.key in ("left", "right") and self._view.has_focus:
            order = list(Shown)
            here = order.index(self._looked.shown)
            self.show(order[(here + (1 if event.key == "right" else -1)) % len(order)])
        else:
            return
        self.draw_all()
        event.stop()
        event.prevent_default()
