"""Wire: will the cable work? Two ends and the bag, the chain that joins them, and every signal followed through it."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll

from ordolex.core.text.visible import visible_text
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.wire.at import WireAt
from ordolex.tui.desks.wire.jobs import JOBS
from ordolex.tui.desks.wire.view import wiring_text
from ordolex.tui.desks.wire.wiring import Wiring
from ordolex.tui.job import bindings
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.words import Words


class WireDesk(Desk):
    word = "Wire"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    WireDesk VerticalScroll { background: $background; scrollbar-size: 1 1; }
    WireDesk Static { background: $background; height: auto; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._wiring = Wiring()
        self._head = HeadLine()
        self._text = Words(id="wire-text")
        self._body = VerticalScroll(self._text, id="wire-body")

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._body

    def on_mount(self) -> None:
        self._work_out()

    def at(self) -> WireAt:
        return WireAt(self, self._wiring, self._work_out)

    def entered(self) -> None:
        self._body.focus()
        self._wiring.use_bag(self._wiring.bag_name)
        if self._wiring.bag_fault:
            self.say(f"the usual bag is taken: {self._wiring.bag_fault}", "bad")
        self.link_changed()

    def link_changed(self) -> None:
        self._wiring.take_ends(self.session)
        self._work_out()

    def restyled(self) -> None:
        self._show()

    def on_resize(self) -> None:
        self._show()

    def _work_out(self) -> None:
        self.run_worker(self._worked_out(), exclusive=True, group="wire")

    async def _worked_out(self) -> None:
        await self._wiring.work_out()
        self._show()

    def _show(self) -> None:
        ink, wiring, link = self.ink, self._wiring, self.session.links.chosen
        self._head.text = Text("Will the cable work?", ink.style("ink", bold=True))
        if link is not None:
            self._head.text.append(f"   {visible_text(link.name)}", ink.style("ink"))
        self._head.text.append(f"   flow control {wiring.flow.value}", ink.style("dim"))
        which = "the chain in hand" if wiring.in_hand else "the best from the bag"
        self._head.text.append(f"   {which}", ink.style("dim"))
        self._head.show()
        self._text.put(wiring_text(wiring, ink, self._body.size.width - 2))
