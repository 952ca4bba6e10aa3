"""Find: which port is it? The live survey, and the opening of a port at the settings on the device's sticker."""

from __future__ import annotations

from dataclasses import replace

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.widgets import DataTable, Static

from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.link.wait import proposed_wait_ms
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.port.remedies import SIGHTS, likely_sight, remedies
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.own.sheets import all_sheets
from ordolex.io.ports import benches
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.tui.commands import FIND, bindings
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.port_words import next_step, pair_words, remedy_lines
from ordolex.tui.readings import bytes_reading, endpoint_reading, line_reading, wait_reading
from ordolex.tui.session import Session
from ordolex.tui.theme import BAD, STATES, TIED
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture
from ordolex.tui.widgets.wording import age, cut

_FAULTS = [
    ("silent {} on", "falls silent"),
    ("silent {} off", "speaks again"),
    ("late {} 600", "answers 600 ms late"),
    ("late {} 0", "answers in time"),
    ("noise {} 0.02", "noise turns over one bit in fifty"),
    ("noise {} 0", "quiet line"),
    ("inverted {} on", "has its levels swapped"),
    ("inverted {} off", "has its levels right again"),
    ("rival {} on", "has a second device talking on its wire"),
    ("rival {} off", "is alone on its wire again"),
    ("low {} on", "has its line held low"),
    ("low {} off", "has its line let go"),
    ("format {} 7E1", "is set to seven data bits and even parity"),
    ("format {} 8N1", "is set to 8N1"),
    ("clock {} 1.02", "has a clock that is 2 % fast"),
    ("garble {} doubled", "is echoed twice"),
    ("garble {} escapes", "sends screen codes"),
    ("garble {} two", "is interrupted by a second sender"),
    ("garble {} overrun", "loses bytes at this end"),
    ("garble {} off", "sends what it should"),
    ("vanish {} 5", "is pulled, and comes back after 5 s"),
    ("replug {} 2", "is pulled, and comes back under another number"),
    ("hold {} on", "is held by another process"),
    ("hold {} off", "is let go by it"),
    ("rights {} off", "may not be used: no rights"),
    ("rights {} on", "may be used again"),
    ("driver {} off", "has no driver"),
    ("driver {} on", "has its driver again"),
]
LISTED_EMPTY = "No serial port. Plug an adapter in, I am watching. Or press a to type an address."


class FindDesk(Desk):
    word = "Find"
    BINDINGS = bindings(FIND)
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
        self._asked: tuple[str, ...] = ("*IDN?\\n", "19200 8N1", "")
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
        fresh = tuple(self._is_new(port) for port in self.session.ports)
        if self._rows != self.session.ports or fresh != self._fresh or not table.row_count:
            self._rows, self._fresh = list(self.session.ports), fresh
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
        return self.session.changes.came_s_ago(port.identity or port.endpoint, mono_s()) is not None

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
        elif port.state == "gone" and identity in self.session.changes.left:
            glyph, colour, state = BAD, "brick", "just left"
        elif port.may_be_opened and self.session.changes.came_s_ago(identity, now) is not None:
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
            return Text(LISTED_EMPTY if self.session.surveyed else "Looking for ports …", ink.style("straw"))
        text = Text(visible_text(port.name), ink.style("ink", bold=True))
        text.append(f"   {visible_text(port.endpoint)}   {visible_text(port.what)}", ink.style("dim"))
        facts = (("serial number", port.serial), ("plugged at", port.place), ("driver", port.driver), ("", port.uart))
        for label, value in facts:
            if value:
                text.append(f"   {label} {visible_text(value)}".replace("    ", "   "), ink.style("dim"))
        came = self.session.changes.came_s_ago(port.identity or port.endpoint, mono_s())
        if came is not None and port.state != "gone":
            text.append(f"   came {age(came)}", ink.style("copper"))
        if port.pair:
            text.append(f"\n{visible_text(pair_words(port, self.session))}", ink.style("straw"))
        text.append("\nNext  ", ink.style("straw"))
        text.append(visible_text(next_step(port, self.session)), ink.style("ink"))
        return text

    # ---- what can be done

    def on_data_table_row_selected(self) -> None:
        self.action_open_port()

    def action_open_port(self) -> None:
        port = self.port
        if port is None:
            self.say(LISTED_EMPTY, "unsure")
        elif port.holder == "us":
            link = self.session.link_for(port.endpoint)
            if link is not None:
                self.post_message(self.OpenWanted(link))
        elif port.state in ("gone", "no-driver"):
            self.say(next_step(port, self.session), "bad")
        else:
            self._open(port.endpoint, port.name, port.sticker)

    @work
    async def _open(self, endpoint: str, name: str, sticker: str) -> None:
        known = self.session.link_for(endpoint)
        line, source = "", "typed"
        if read_endpoint(endpoint).has_line:
            sticker = "9600 8N1" if sticker == "any" else sticker
            before = known.line if known is not None and known.line else sticker
            typed = await self.app.push_screen_wait(
                LinePrompt(
                    f"Line settings of {visible_text(name)}",
                    before,
                    line_reading,
                    "as on the sticker or in the manual: 9600 8N1 · 9600,n,8,1 · 19.2 kbaud 7 even 1\n"
                    "Enter opens the port, Esc goes back",
                )
            )
            if typed is None:
                return
            line = read_line(typed).settings.text
            source = "sticker" if sticker and line == read_line(sticker).settings.text else "typed"
        try:
            link = self.session.keep_link(endpoint, line, source)
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        self.post_message(self.OpenWanted(link))

    @work
    async def action_type_address(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt(
                "Address of the port",
                "",
                endpoint_reading,
                "rfc2217://host:port has line settings and line errors, tcp://host:port is bytes alone,\n"
                "/dev/ttyUSB0 or COM3 is a serial port of this machine. Enter goes on, Esc goes back",
            )
        )
        if typed is not None:
            endpoint = read_endpoint(typed).text
            self._open(endpoint, endpoint, "")

    def action_release(self) -> None:
        port = self.port
        link = self.session.link_for(port.endpoint) if port is not None else None
        if link is None or not self.session.is_open(link):
            self.say("This port is not open, there is nothing to release", "unsure")
        else:
            self.post_message(self.ReleaseWanted(link))

    def _from_sheet(self) -> None:
        """Proposes the first harmless question of the sheet that fits the port, with its settings."""
        kind = self.port.kind if self.port is not None else ""
        fits = (sheet for sheet in all_sheets()[0].values() if sheet.harmless and sheet.bench_kind == kind != "")
        sheet = next(fits, None)
        if sheet is not None:
            self._asked = (sheet.harmless[0].send, sheet.line.settings, self._asked[2])

    @work
    async def action_ready(self) -> None:
        """The readiness list of the sheet that fits the port, or of one that is picked."""
        from ordolex.core.sheet import to_restore
        from ordolex.tui.ready import ReadyList

        sheets, faults = all_sheets()
        if faults:
            self.say(faults[0], "bad")
        port = self.port
        kind = port.kind if port is not None else ""
        sheet = next((s for s in sheets.values() if s.bench_kind and s.bench_kind == kind), None)
        if sheet is None:
            choices = [(s.name, f"{s.name:22} {s.device}") for s in sheets.values()]
            name = await self.app.push_screen_wait(Pick("Which device is it?", choices))
            if name is None:
                return
            sheet = sheets[name]
        link = self.session.link_for(port.endpoint) if port is not None else None
        if link is not None:
            self.session.change_link(replace(link, sheet=sheet.name))
        ticked = await self.app.push_screen_wait(ReadyList(sheet))
        if ticked:
            self.session.note(f"ready, {sheet.name}: {'; '.join(ticked)}")
            new = [what for what in to_restore(sheet, ticked) if what not in self.session.to_restore]
            self.session.to_restore += new
            self.say(f"{len(ticked)} steps ticked, kept in the book", "good")

    def action_last_link(self) -> None:
        """The link that was proven last, at its settings, without a question: the usual start of a second visit."""
        link = self.session.last_good()
        if link is None:
            self.say("No link of this book was proven yet", "unsure")
        elif self.session.port_of(link.endpoint) is None and link.adapter:
            self.say(f"{link.name} was the last good link; its adapter is not there. Plug it in", "bad")
        else:
            self.say(f"opening {link.name}, the last good link, at {link.line}")
            self.post_message(self.OpenWanted(link))

    @work
    async def action_trouble(self) -> None:
        """What the technician sees, then the causes for it, those that the survey speaks for first."""
        seen = self.session.seen()
        likely = likely_sight(seen)
        choices = sorted(SIGHTS.items(), key=lambda sight: sight[0] != likely)
        sight = await self.app.push_screen_wait(Pick("What do you see?", choices))
        if sight is None:
            return
        lines = remedy_lines(remedies(sight, seen), min(104, self.app.size.width - 12))
        await self.app.push_screen_wait(
            Picture(SIGHTS[sight], lines, "the likeliest first · arrows scroll, Esc goes back")
        )

    @work
    async def action_identify(self) -> None:
        from ordolex.tui.identify import Identify

        answer = await self.app.push_screen_wait(Identify(self.session))
        if answer is None:
            return
        try:
            self.session.name_adapter(*answer)
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self.say(f"it is called {answer[1]} from now on, whatever its number", "good")
            self.survey_changed()

    @work
    async def action_everywhere(self) -> None:
        """Three lines to type, each with what was typed last: the question, the settings, the wait."""
        from ordolex.tui.everywhere import AskEverywhere

        free = [port for port in self.session.ports if port.may_be_opened]
        if not free:
            self.say("No port is free to ask on", "unsure")
            return
        asked: list[str] = []
        self._from_sheet()
        measured = self.session.book.reader.answer_ms()
        if not self._asked[2]:
            self._asked = (*self._asked[:2], str(proposed_wait_ms(measured)))
        slowest = f"; the slowest of {len(measured)} answers took {max(measured):.0f}" if measured else ""
        prompts = (
            ("One harmless question on all free ports", bytes_reading, "its line end is part of it: *IDN?\\n"),
            ("Line settings for all of them", line_reading, "as on the sticker: 9600 8N1"),
            ("How long to wait on each, in ms", wait_reading, f"from 100; all ports are asked at once{slowest}"),
        )
        for number, (title, read, hint) in enumerate(prompts):
            typed = await self.app.push_screen_wait(LinePrompt(title, self._asked[number], read, hint))
            if typed is None:
                return
            asked.append(typed)
        self._asked = tuple(asked)
        question = Question(to_bytes(asked[0]), timeout_s=int(asked[2]) / 1000)
        screen = AskEverywhere(self.session, list(self.session.ports), read_line(asked[1]).settings, question)
        endpoint = await self.app.push_screen_wait(screen)
        port = self.session.port_of(endpoint) if endpoint else None
        if port is not None:
            link = self.session.keep_link(
                port.endpoint, read_line(asked[1]).settings.text, "answered when all were asked"
            )
            self.post_message(self.OpenWanted(link))

    @work
    async def action_fault(self) -> None:
        port = self.port
        if port is None or not port.bench:
            self.say("Faults can be set on bench devices only; this is a port of its own", "unsure")
            return
        name = port.name.removesuffix(", as a serial port")
        choices = [(order.format(name), words) for order, words in _FAULTS]
        order = await self.app.push_screen_wait(Pick(f"{name} …", choices))
        if order is not None:
            self._tell(order)

    @work(thread=True)
    def _tell(self, order: str) -> None:
        for notice in benches.running():
            try:
                said = benches.tell(notice, order)
            except Fault as fault:
                self.app.call_from_thread(self.say, str(fault), "bad")
                continue
            self.app.call_from_thread(self.say, said.removeprefix("ok: "), "good")
            return
