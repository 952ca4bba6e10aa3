"""Relay: a program that knows serial ports only gets a device on the network; a port is lent; two ends are joined."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from ordolex.core.record.items import LinkRecord
from ordolex.core.relay.path_runs import PathRun, beside_words, difference
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.text.visible import visible_text
from ordolex.io.net.check import Step
from ordolex.io.net.survey import Host
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.relay import drawing
from ordolex.tui.desks.relay.at import Looked, RelayAt, Shown
from ordolex.tui.desks.relay.jobs import JOBS
from ordolex.tui.job import bindings
from ordolex.tui.theme import GOOD
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import Shown as HowShown
from ordolex.tui.widgets.rows import row_segments

_TURNS_BETWEEN = 5
_SAID_ROWS = 400
_EMPTY = {
    Shown.RELAYS: "No relay in this book. n joins two ends: a virtual port for a program that knows serial ports only,"
    " a port that is lent to the network, or what you type. s looks for serial servers on a network first.",
    Shown.SAID: "Nothing passed yet, or the relay under the cursor does not run.",
    Shown.BOXES: "No box was found yet. s surveys a network for serial servers.",
    Shown.RUNS: "No measured run yet. m measures the path of the relay; do so before and after a change.",
    Shown.WAY: "i checks how far a device is reached: own address, network, ping, TCP port, page.",
}


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
        self._heading = Static("", id="relay-heading", markup=False)
        self._view: RowView[Any] = RowView(self._draw, _EMPTY[Shown.RELAYS], with_cursor=True, id="relay-rows")
        self._detail = Static("", id="relay-detail", markup=False)
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

    def show(self, shown: Shown) -> None:
        """Puts something else in front."""
        self._looked.shown = shown
        self._rows = []
        self._take_rows()
        self._view.empty_text = _EMPTY[shown]
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
        rows = self._rows_of(self._looked.shown)
        before, cursor = self._rows, self._view.cursor
        self._rows = list(rows)
        if len(before) != len(self._rows) or not before:
            self._view.show_rows(self._rows)
            follows = self._looked.shown in (Shown.SAID, Shown.WAY)
            self._view.following = follows
            self._view.go_to(len(self._rows) - 1 if follows else min(cursor, max(0, len(self._rows) - 1)))
        else:
            self._view.renew(self._rows)

    def _rows_of(self, shown: Shown) -> Sequence[Any]:
        match shown:
            case Shown.RELAYS:
                return list(self.session.relays)
            case Shown.BOXES:
                return self.session.network.listed
            case Shown.RUNS:
                return self.session.relays.path_runs
            case Shown.WAY:
                return self.session.network.steps
            case _:
                return self._said()

    def _said(self) -> list[Row]:
        """What both ends said, by time: the program's side as sent, the device's as heard."""
        plan = self.relay
        if plan is None:
            return []
        rows: list[Row] = []
        for link, direction in zip(self._links(plan), (Direction.SENT, Direction.HEARD), strict=False):
            self.session.talks.drain(link)
            heard = [row for row in self.session.talks.of(link).rows if row.direction is Direction.HEARD]
            rows += [replace(row, direction=direction, after_ms=None) for row in heard[-_SAID_ROWS:]]
        return sorted(rows, key=lambda row: row.at_us)[-_SAID_ROWS:]

    def _links(self, plan: RelayPlan) -> list[LinkRecord]:
        found = [self.session.links.at(end.text) for end in plan.ends]
        return [link for link in found if link is not None]

    # ---- drawing

    def draw_all(self) -> None:
        ink, width = self.ink, self.size.width
        under = self._under(RelayPlan)
        if under is not None:
            self._chosen = under.name
        self.set_class(self.app.size.height < 34, "low")
        self._head.text = self._headline()
        self._head.show()
        headings = {
            Shown.RELAYS: drawing.relay_heading, Shown.BOXES: drawing.box_heading, Shown.RUNS: drawing.run_heading,
        }  # fmt: skip
        heading = headings.get(self._looked.shown)
        self._heading.update(Text(heading(width) if heading else "", ink.style("dim"), no_wrap=True))
        self._view.refresh()
        self._detail.update(self._below(width - 3))

    def _headline(self) -> Text:
        ink, session = self.ink, self.session
        head = Text(no_wrap=True)
        counts = {
            Shown.RELAYS: len(list(session.relays)), Shown.BOXES: len(session.network.hosts),
        }  # fmt: skip
        for shown in Shown:
            here = shown is self._looked.shown
            count = f" {counts[shown]}" if counts.get(shown) else ""
            head.append(f"{shown.value}{count}", ink.style("copper" if here else "dim", bold=here))
            head.append("   ")
        head.append("← →", ink.style("dim"))
        progress = session.network.progress
        if progress is not None:
            head.append(
                f"   surveying {session.network.surveyed}: {progress.done} of {progress.hosts} hosts, {progress.tries}"
                f" tries, {progress.left_s:.0f} s left, Esc stops",
                ink.style("copper"),
            )
        elif self._looked.doing:
            head.append(f"   {self._looked.doing}", ink.style("copper"))
        for change in session.network.added:
            head.append(f"   {change.address} was added: u takes it back", ink.style("straw"))
        return head

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
                return self._below_box(width)
            case Shown.RUNS:
                return self._below_run(width)
            case Shown.WAY:
                return self._below_way(width)
            case _:
                return self._below_relay(width)

    def _below_relay(self, width: int) -> Text:
        ink, plan = self.ink, self.relay
        if plan is None:
            return Text("n joins two ends   s surveys a network   i checks the way to a device", ink.style("dim"))
        view = self.session.relays.view(plan.name)
        if view is not None:
            return drawing.layers_text(view, mono_s(), width, ink)
        text = Text(visible_text(f"{plan.name}   {plan.a} ↔ {plan.b}   does not run\n"), ink.style("dim"))
        text.append("Next    ", ink.style("straw"))
        text.append("Enter starts it", ink.style("ink"))
        return text

    def _below_box(self, width: int) -> Text:
        ink, host = self.ink, self._under(Host)
        if host is None:
            return Text(drawing.wrapped(_EMPTY[Shown.BOXES], width), ink.style("dim"))
        text = Text()
        for service in host.services:
            text.append(f"{GOOD if service.proven else '◦'} ", ink.style("moss" if service.proven else "straw"))
            text.append(f"{visible_text(service.words)[: width - 2]}\n", ink.style("ink"))
        for kind, name, port in host.announced:
            text.append(f"· announces {kind} {visible_text(name)} at port {port}\n", ink.style("dim"))
        for channel in self.session.network.channels.get(host.address, []):
            held = f", held by {channel.holder}" if channel.holder else ""
            mode = channel.mode or channel.gives
            words = f"channel {channel.number}   port {channel.port}   {mode}   {channel.line}{held}"
            text.append(f"  {visible_text(words)}\n", ink.style("ice"))
        text.append("Next    ", ink.style("straw"))
        text.append(
            "Enter maps a channel, t all of them; o opens its console; f looks whether it moved", ink.style("ink")
        )
        return text

    def _below_run(self, width: int) -> Text:
        ink, run, before = self.ink, self._under(PathRun), self._looked.before
        if run is None:
            return Text(drawing.wrapped(_EMPTY[Shown.RUNS], width), ink.style("dim"))
        shown = [before, run] if before is not None and before != run else [run]
        text = drawing.bars(shown, width, ink)
        if len(shown) == 2:
            found = difference(shown[0], shown[1])
            text.append(f"\n{shown[0].name} → {run.name}   ", ink.style("ink", bold=True))
            text.append(found.words() if found is not None else "no round trip to compare", ink.style("ink"))
        else:
            words = "the others are compared with this one" if run == before else "c takes it to compare others with"
            text.append(f"\n{words}", ink.style("dim"))
        rates = [("out", run.out_bytes_s), ("back", run.back_bytes_s)]
        said = [f"{name} {value / 1000:.1f} kB/s" for name, value in rates if value is not None]
        text.append(f"\n{run.how}   {'   '.join(said)}", ink.style("dim"))
        text.append(f"\n{beside_words(run)}" if run.beside else "", ink.style("dim"))
        return text

    def _below_way(self, width: int) -> Text:
        ink, network = self.ink, self.session.network
        text = Text()
        for own in network.own:
            text.append(f"own   {own.text}   {own.hardware}\n", ink.style("dim"))
        if network.proposal is not None:
            change = network.proposal.change
            text.append(f"add        {change.do_text}\n", ink.style("copper"))
            text.append(f"take back  {change.undo_text}\n", ink.style("copper"))
        text.append("Next    ", ink.style("straw"))
        text.append("i checks the way to a device; b proposes an address beside the present one", ink.style("ink"))
        return text

    # ---- moving

    def on_key(self, event: Any) -> None:
        page = max(1, self._view.size.height - 1)
        steps = {"up": -1, "down": 1, "pageup": -page, "pagedown": page, "home": -(10**9), "end": 10**9}
        if event.key in steps and self._view.has_focus:
            self._view.go_to(self._view.cursor + steps[event.key])
        elif event.key in ("left", "right") and self._view.has_focus:
            order = list(Shown)
            here = order.index(self._looked.shown)
            self.show(order[(here + (1 if event.key == "right" else -1)) % len(order)])
        else:
            return
        self.draw_all()
        event.stop()
        event.prevent_default()
