"""Find: which port is it? The live survey, and the opening of a port at the settings on the device's sticker."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.widgets import Static

from ordolex.core.text.visible import visible_text
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.find.at import Asked, FindAt
from ordolex.tui.desks.find.jobs import JOBS
from ordolex.tui.desks.find.port_list import PortList
from ordolex.tui.desks.find.port_words import LISTED_EMPTY, next_step, pair_words
from ordolex.tui.job import bindings
from ordolex.tui.widgets.wording import age
from ordolex.tui.widgets.words import Words


class FindDesk(Desk):
    word = "Find"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    FindDesk #purpose { color: $dim; height: auto; margin-bottom: 1; }
    FindDesk #detail { height: auto; min-height: 3; background: $surface; padding: 0 1; }
    FindDesk.tight #purpose { display: none; }
    FindDesk.tight #detail { min-height: 1; max-height: 2; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        # kept, not asked for by name: a survey can end while the program leaves and the desk is taken down
        self._list = PortList(session.ports)
        self._below = Words(id="detail")
        self._asked = Asked()

    def compose(self) -> ComposeResult:
        yield Static("Choose a port. Enter asks for the line settings on its sticker and opens it.", id="purpose")
        yield self._list
        yield self._below

    def on_mount(self) -> None:
        self.survey_changed()

    def on_resize(self) -> None:
        self.restyled()

    def restyled(self) -> None:
        self._list.draw_anew()
        self.survey_changed()

    def entered(self) -> None:
        self._list.focus()
        self.session.look_elsewhere()
        self.survey_changed()

    @property
    def port(self) -> PortFacts | None:
        """The row under the cursor."""
        return self._list.port

    def at(self) -> FindAt:
        return FindAt(self, self.port, self._asked, self.survey_changed)

    def survey_changed(self, *, said: bool = False) -> None:
        """Draws the session's survey. `said`: something weightier was said of this survey already, and must be left to
        be read."""
        if not self._list.is_attached:
            return  # not built yet, or taken down already
        chosen = self._list.look(self.size.width, self.ink)
        if chosen is not None and not said:
            self.say(f"{chosen.name} is chosen already: it is the only port that is not taken")
        self._below.put(self._detail())

    def on_data_table_row_highlighted(self) -> None:
        self._below.put(self._detail())

    def on_data_table_row_selected(self) -> None:
        self.start("find.open_port")

    def _detail(self) -> Text:
        ink, port, ports = self.ink, self.port, self.session.ports
        if port is None:
            return Text(LISTED_EMPTY if ports.surveyed else "Looking for ports …", ink.style("straw"))
        text = Text(visible_text(port.name), ink.style("ink", bold=True))
        text.append(f"   {visible_text(port.endpoint)}   {visible_text(port.what)}", ink.style("dim"))
        facts = (("serial number", port.serial), ("plugged at", port.place), ("driver", port.driver), ("", port.uart))
        for label, value in facts:
            if value:
                text.append(f"   {label} {visible_text(value)}".replace("    ", "   "), ink.style("dim"))
        came = ports.changes.came_s_ago(port.identity or port.endpoint, mono_s())
        if came is not None and port.state != "gone":
            text.append(f"   came {age(came)}", ink.style("copper"))
        if port.pair:
            text.append(f"\n{visible_text(pair_words(port, self.session))}", ink.style("straw"))
        asked = ports.asked(port.endpoint)
        if asked is not None:
            words, heard, at_s = asked
            text.append(f"\n{visible_text(words)}, {age(mono_s() - at_s)}", ink.style("moss" if heard else "dim"))
        text.append("\nNext  ", ink.style("straw"))
        text.append(visible_text(next_step(port, self.session)), ink.style("ink"))
        return text
