"""Find: which port is it? The live survey, and the opening of a port at the settings on the device's sticker."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.widgets import DataTable, Static

from ordolex.core.text.visible import visible_text
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.find.at import Asked, FindAt
from ordolex.tui.desks.find.jobs import JOBS
from ordolex.tui.desks.find.port_words import LISTED_EMPTY, next_step, pair_words
from ordolex.tui.job import bindings
from ordolex.tui.theme import BAD, STATES, TIED
from ordolex.tui.widgets.wording import age, cut


class FindDesk(Desk):
    word = "Find"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    FindDesk DataTable { height: 1fr; background: $background; scrollbar-size: 1 1; overflow-x: hidden; }
    FindDesk DataTable > .datatable--even-row { background: $background; }
    FindDesk DataTable > .datatable--odd-row { background: $background; }
    FindDesk DataTable:focus { background-tint: $background 0%; }
    FindDesk DataTable > .datatable--header { background: $background; color: $dim; text-style: none; }
    FindDesk DataTable > .datatable--cursor { background: $bar; color: $foreground; text-style: bold; }
    FindDesk DataTable > .datatable--hover { background: $surface; }
    FindDesk #purpose { color: $dim; height: auto; margin-bottom: 1; }
    FindDesk #detail { height: auto; min-height: 3; background: $surface; padding: 0 1; }
    FindDesk.tight #purpose { display: none; }
    FindDesk.tight #detail { min-height: 1; max-height: 2; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        # kept, not asked for by name: a survey can end while the program leaves and the desk is taken down
        self._list: DataTable[Text] = DataTable(id="ports", cursor_type="row", zebra_stripes=False, cell_padding=1)
        self._below = Static("", id="detail", markup=False)

    def compose(self) -> ComposeResult:
        yield Static("Choose a port. Enter asks for the line settings on its sticker and opens it.", id="purpose")
        yield self._list
        yield self._below

    def on_mount(self) -> None:
        self._rows: list[PortFacts] = []
        self._fresh: tuple[bool, ...] = ()
        self._asked = Asked()
        self._columns: tuple[str, ...] = ()
        self.survey_changed()

    def on_resize(self) -> None:
        self._columns = ()
        self.survey_changed()

    def restyled(self) -> None:
        self._columns = ()
        self.survey_changed()

    def entered(self) -> None:
        self._table.focus()

    @property
    def _table(self) -> DataTable[Text]:
        return self._list

    @property
    def port(self) -> PortFacts | None:
        """The row under the cursor."""
        row = self._table.cursor_row
        return self._rows[row] if 0 <= row < len(self._rows) else None

    # ---- the list

    def survey_changed(self, *, said: bool = False) -> None:
        """Draws the session's survey; the cursor stays on its port. `said`: something weightier was said of this survey
        already, and must be left to be read."""
        if not self._list.is_attached:
            return  # not built yet, or taken down already
        table, before = self._table, self.port
        names = self._names()
        if names != self._columns:
            self._columns = names
            table.clear(columns=True)
            for name in names:
                table.add_column(name, key=name)
            self._rows = []
        fresh = tuple(self._is_new(port) for port in self.session.ports.all)
        if self._rows != self.session.ports.all or fresh != self._fresh or not table.row_count:
            self._rows, self._fresh = list(self.session.ports.all), fresh
            table.clear()
            for port in self._rows:
                table.add_row(*self._cells(port), key=port.endpoint)
            if before is None:
                self._choose_the_only_one(table, said)
            else:
                at = next((i for i, p in enumerate(self._rows) if p.endpoint == before.endpoint), 0)
                table.move_cursor(row=at)
        self._show_detail()

    def _choose_the_only_one(self, table: DataTable[Text], said: bool) -> None:
        free = [at for at, port in enumerate(self._rows) if port.may_be_opened]
        if len(free) == 1:
            table.move_cursor(row=free[0])
        if len(free) == 1 and not said:
            self.say(f"{self._rows[free[0]].name} is chosen already: it is the only port that is not taken")

    def _is_new(self, port: PortFacts) -> bool:
        return self.session.ports.changes.came_s_ago(port.identity or port.endpoint, mono_s()) is not None

    def _names(self) -> tuple[str, ...]:
        if self.size.width >= 96:
            return ("state", "name", "endpoint", "sticker", "what it is")
        if self.size.width >= 64:
            return ("state", "name", "endpoint")
        return ("state", "name")

    def _cells(self, port: PortFacts) -> list[Text]:
        ink = self.ink
        glyph, colour = STATES.get(port.state, (BAD, "brick"))
        state = port.state.replace("-", " ")
        now, identity = mono_s(), port.identity or port.endpoint
        if port.holder == "us":
            glyph, colour, state = TIED, "moss", "held by us"
        elif port.state == "gone" and identity in self.session.ports.changes.left:
            glyph, colour, state = BAD, "brick", "just left"
        elif port.may_be_opened and self.session.ports.changes.came_s_ago(identity, now) is not None:
            glyph, colour, state = "▸", "copper", "just came"
        room = 22 if self.size.width < 96 else 26
        cells = {
            "state": Text(f"{glyph} {state}", ink.style(colour)),
            "name": Text(cut(visible_text(port.name), room), ink.style("ink")),
            "endpoint": Text(cut(visible_text(port.endpoint), 28), ink.style("dim")),
            "sticker": Text(port.sticker, ink.style("ink")),
            "what it is": Text(cut(visible_text(port.what), self.size.width - 82), ink.style("dim")),
        }
        return [cells[column] for column in self._columns]

    def on_data_table_row_highlighted(self) -> None:
        self._show_detail()

    def _show_detail(self) -> None:
        self._below.update(self._detail())

    def _detail(self) -> Text:
        ink, port = self.ink, self.port
        if port is None:
            return Text(LISTED_EMPTY if self.session.ports.surveyed else "Looking for ports …", ink.style("straw"))
        text = Text(visible_text(port.name), ink.style("ink", bold=True))
        text.append(f"   {visible_text(port.endpoint)}   {visible_text(port.what)}", ink.style("dim"))
        facts = (("serial number", port.serial), ("plugged at", port.place), ("driver", port.driver), ("", port.uart))
        for label, value in facts:
            if value:
                text.append(f"   {label} {visible_text(value)}".replace("    ", "   "), ink.style("dim"))
        came = self.session.ports.changes.came_s_ago(port.identity or port.endpoint, mono_s())
        if came is not None and port.state != "gone":
            text.append(f"   came {age(came)}", ink.style("copper"))
        if port.pair:
            text.append(f"\n{visible_text(pair_words(port, self.session))}", ink.style("straw"))
        text.append("\nNext  ", ink.style("straw"))
        text.append(visible_text(next_step(port, self.session)), ink.style("ink"))
        return text

    # ---- what can be done

    def at(self) -> FindAt:
        return FindAt(self, self.port, self._asked, self.survey_changed)

    def on_data_table_row_selected(self) -> None:
        self.start("find.open_port")
