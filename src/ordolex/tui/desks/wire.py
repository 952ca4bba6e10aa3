"""Wire: will the cable work? Two ends and the bag, the chain that joins them, and every signal followed through it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import Flow, LineSettings
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import hex_pairs, visible_text
from ordolex.core.uart.shape import MAX_CHARACTERS
from ordolex.core.wiring.bus import Node, Verdict, check_bus, read_bus
from ordolex.core.wiring.check import Finding, Weight, best_laid
from ordolex.core.wiring.connectors import ENDS, End
from ordolex.core.wiring.drawn import Tone, drawing
from ordolex.core.wiring.idle import idle
from ordolex.core.wiring.parts import CATALOGUE, USUAL_BAG, Part, PartError
from ordolex.core.wiring.pictures import bus_lines, face_lines, wave_lines
from ordolex.core.wiring.solve import Bag, Mend, Solution, bag_of, mend, solve
from ordolex.core.wiring.words import chain_line, end_words, signal_lines
from ordolex.io.own.bag import bag_file, keep_count, load_bag, named_bags
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_new
from ordolex.tui.commands import WIRE, bindings
from ordolex.tui.desks.base import Desk
from ordolex.tui.readings import drawing_reading
from ordolex.tui.session import Session
from ordolex.tui.theme import BAD, GOOD, UNSURE
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture

_TONES = {Tone.PLAIN: "ink", Tone.DIM: "faint", Tone.PART: "copper", Tone.GOOD: "moss", Tone.BAD: "brick"}
_FLOWS = (Flow.NONE, Flow.RTS_CTS, Flow.DTR_DSR)


class WireDesk(Desk):
    word = "Wire"
    BINDINGS = bindings(WIRE)
    DEFAULT_CSS = """
    WireDesk VerticalScroll { background: $background; scrollbar-size: 1 1; }
    WireDesk Static { background: $background; height: auto; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._near, self._far = ENDS["usb"], ENDS["dte-de9"]
        self._flow = Flow.NONE
        self._picked: dict[int, tuple[str, str]] = {}
        """Near and far end as the technician picked them for a link."""
        self._in_hand: list[Part] = []
        self._solution = Solution(None)
        self._finding: Finding | None = None
        self._found_for = self._near, self._far
        """The ends of the finding; others may have been chosen since, and are being worked out."""
        self._mend: Mend | None = None
        self._bag_name = "bag"
        self._bag, self._bag_fault = _bag(self._bag_name)

    def compose(self) -> ComposeResult:
        yield HeadLine()
        with VerticalScroll(id="wire-body"):
            yield Static("", id="wire-text")

    def on_mount(self) -> None:
        self._work_out()

    def entered(self) -> None:
        self.query_one("#wire-body").focus()
        self._bag, self._bag_fault = _bag(self._bag_name)
        if self._bag_fault:
            self.say(f"the usual bag is taken: {self._bag_fault}", "bad")
        self._take_ends()
        self._work_out()

    def link_changed(self) -> None:
        self._take_ends()
        self._work_out()

    def _take_ends(self) -> None:
        """The ends of the chosen link: as they were picked for it here, else what its port and its sheet say."""
        link = self.session.chosen
        if link is None:
            return
        near, far = self._picked.get(link.id, ("", ""))
        port = self.session.port_of(link.endpoint)
        native = read_endpoint(link.endpoint).kind == "serial" and port is not None and not port.identity
        sheet = self.session.sheet_of(link)
        self._near = ENDS[near or ("dte-de9" if native else "usb")]
        if far or (sheet is not None and sheet.wiring_end):
            self._far = ENDS[far or (sheet.wiring_end if sheet is not None else "")]

    def restyled(self) -> None:
        self._show()

    def on_resize(self) -> None:
        self._show()

    # ---- working it out

    def _work_out(self) -> None:
        """Solving takes milliseconds, a hopeless search up to a second: it is done in a thread."""
        self._solve(self._near.name, self._far.name, self._flow, tuple(self._in_hand))

    @work(thread=True, exclusive=True, group="wire")
    def _solve(self, near: str, far: str, flow: Flow, parts: tuple[Part, ...]) -> None:
        change: Mend | None = None
        solution = Solution(None)
        if parts:
            finding: Finding | None = best_laid(ENDS[near], ENDS[far], parts, flow)
            if finding is not None and not finding.works:
                change = mend(ENDS[near], ENDS[far], parts, self._bag, flow)
        else:
            solution = solve(ENDS[near], ENDS[far], self._bag, flow)
            finding = solution.finding
        if self.app.is_running:
            self.app.call_from_thread(self._solved, (near, far, flow, parts), finding, solution, change)

    def _solved(
        self,
        asked: tuple[str, str, Flow, tuple[Part, ...]],
        finding: Finding | None,
        solution: Solution,
        change: Mend | None,
    ) -> None:
        if asked == (self._near.name, self._far.name, self._flow, tuple(self._in_hand)):
            self._finding, self._solution, self._mend = finding, solution, change
            self._found_for = self._near, self._far
            self._show()

    # ---- showing it

    def _show(self) -> None:
        ink = self.ink
        head = self.query_one(HeadLine)
        head.text = Text("Will the cable work?", ink.style("ink", bold=True))
        if self.session.chosen is not None:
            head.text.append(f"   {visible_text(self.session.chosen.name)}", ink.style("ink"))
        head.text.append(f"   flow control {self._flow.value}", ink.style("dim"))
        head.text.append("   the chain in hand" if self._in_hand else "   the best from the bag", ink.style("dim"))
        head.show()
        self.query_one("#wire-text", Static).update(self._body())

    def _body(self) -> Text:
        ink, text, finding = self.ink, Text(), self._finding
        for label, end, key in (("at the PC", self._near, "n"), ("at the device", self._far, "d")):
            text.append(f"{label:15}", ink.style("dim"))
            text.append(f"{end.name:16}", ink.style("ink", bold=True))
            text.append(f"{end.face.text}, {end.level.value}   ", ink.style("dim"))
            text.append(f"{key} changes it\n", ink.style("faint"))
        text.append("\n")
        if self._found_for != (self._near, self._far):
            text.append("working it out …", ink.style("dim"))
            return text
        if finding is None:
            self._say_none(text)
            return text
        glyph, colour, word = (GOOD, "moss", "works") if finding.works else (BAD, "brick", "does not work")
        text.append(f"{glyph} {word}   ", ink.style(colour, bold=True))
        text.append(chain_line(self._near, self._far, finding) + "\n\n", ink.style("copper"))
        for row in drawing(self._near, self._far, finding, self.query_one("#wire-body").size.width - 2):
            for piece, tone in row:
                text.append(piece, ink.style(_TONES[tone]))
            text.append("\n")
        text.append("\n")
        for ok, line in signal_lines(self._near, self._far, finding):
            text.append(f"{GOOD if ok else BAD} ", ink.style("moss" if ok else "brick"))
            text.append(line + "\n", ink.style("ink" if ok else "straw"))
        for problem in finding.problems:
            glyph, colour = (UNSURE, "straw") if problem.weight is Weight.NOTE else (BAD, "brick")
            text.append(f"\n{glyph} {problem.weight.name.lower()}: {problem.text}", ink.style(colour))
        if self._mend is None and not finding.works:
            text.append("\n\nNext  ", ink.style("straw"))
            text.append("no single change mends it; s solves from the bag, Backspace takes the last part out",
                        ink.style("ink"))  # fmt: skip
        if self._mend is not None:
            text.append("\n\nNext  ", ink.style("straw"))
            text.append(f"{self._mend.text}: {chain_line(self._near, self._far, self._mend.finding)}", ink.style("ink"))
        if not finding.chain and finding.works:
            text.append("\nThey go together as they are; no part is needed.", ink.style("ink"))
        return text

    def _say_none(self, text: Text) -> None:
        ink = self.ink
        text.append(f"{BAD} {self._solution.why or 'no chain from the bag works'}\n", ink.style("brick"))
        if self._solution.buy is not None:
            part, made = self._solution.buy
            text.append("\nNext  ", ink.style("straw"))
            text.append(f"buy {part.name}: {chain_line(self._near, self._far, made)}", ink.style("ink"))

    # ---- what can be done

    @work
    async def action_near(self) -> None:
        name = await self.app.push_screen_wait(Pick("The end at the PC", [(n, end_words(n)) for n in ENDS]))
        if name is not None:
            self._near = ENDS[name]
            self._remember()
            self._work_out()

    def _remember(self) -> None:
        if self.session.chosen is not None:
            self._picked[self.session.chosen.id] = self._near.name, self._far.name

    @work
    async def action_device(self) -> None:
        known = [(end, f"{device}: {end_words(end)}") for device, end in self._ends_of_sheets()]
        choices = [(f"{number} {end}", words) for number, (end, words) in enumerate(known)]
        choices += [(n, end_words(n)) for n in ENDS]
        name = await self.app.push_screen_wait(Pick("The end at the device", choices))
        if name is not None:
            self._far = ENDS[name.rpartition(" ")[2]]
            self._remember()
            self._work_out()

    def _ends_of_sheets(self) -> list[tuple[str, str]]:
        """(device or model, end) as the sheets say; the chosen link's own sheet first."""
        link = self.session.chosen
        sheets = sorted(all_sheets()[0].values(), key=lambda s: link is None or s.name != link.sheet)
        ends = [(sheet.model or sheet.name, sheet.wiring_end) for sheet in sheets if sheet.wiring_end]
        ends += [(entry.model, entry.wiring_end) for sheet in sheets for entry in sheet.revision]
        return ends

    def action_flow(self) -> None:
        self._flow = _FLOWS[(_FLOWS.index(self._flow) + 1) % len(_FLOWS)]
        self._work_out()

    @work
    async def action_put(self) -> None:
        known = {name: part for name, (part, _) in self._bag.items()} | dict(CATALOGUE)
        choices = [(part.name, part.text) for part in known.values()]
        name = await self.app.push_screen_wait(Pick("Put a part behind the others; the bag's come first", choices))
        if name is not None:
            self._in_hand.append(known[name])
            self._work_out()

    def action_take(self) -> None:
        if not self._in_hand:
            self.say("There is no chain in hand; p puts a part in", "unsure")
            return
        part = self._in_hand.pop()
        self.say(f"took out {part.name}")
        self._work_out()

    def action_best(self) -> None:
        self._in_hand.clear()
        self._work_out()

    @work
    async def action_bag(self) -> None:
        """Which bag is at hand, and how many of each part are in it."""
        choices = [("=", f"how many of a part are in “{self._bag_name}” …"), ("+", "another bag …")]
        choices += [(f"use {name}", f"use “{name}”") for name in named_bags() if name != self._bag_name]
        answer = await self.app.push_screen_wait(Pick(f"The bag at hand: {self._bag_name}", choices))
        if answer == "=":
            await self._count_parts()
        elif answer == "+":
            hint = "the car, the bench; it begins with the usual parts. Enter makes it"
            typed = await self.app.push_screen_wait(LinePrompt("Name of the bag", "", _bag_words, hint))
            if typed is not None:
                self._use_bag(typed.strip())
        elif answer is not None:
            self._use_bag(answer.removeprefix("use "))

    def _use_bag(self, name: str) -> None:
        self._bag_name = name
        self._bag, self._bag_fault = _bag(name)
        self.say(self._bag_fault or f"“{name}” is the bag at hand", "bad" if self._bag_fault else "good")
        self._work_out()

    async def _count_parts(self) -> None:
        """A part, then its number, until Esc."""
        while True:
            known = {name: part for name, (part, _) in self._bag.items()} | dict(CATALOGUE)
            counts = {name: count for name, (_, count) in self._bag.items()}
            choices = [(name, f"{counts.get(name, 0)} ×  {part.text}") for name, part in known.items()]
            name = await self.app.push_screen_wait(Pick(f"In “{self._bag_name}”; Esc when it is right", choices))
            if name is None:
                return
            typed = await self.app.push_screen_wait(
                LinePrompt(f"How many: {name}", str(counts.get(name, 0)), _count_words, "0 to 99; Enter keeps it")
            )
            if typed is None:
                continue
            try:
                keep_count(bag_file(self._bag_name), name, int(typed))
            except (Fault, PartError) as fault:
                self.say(str(fault), "bad")
                return
            self._use_bag(self._bag_name)

    @work
    async def action_idle(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt("Idle voltage on a pin, against ground", "", idle_words,
                       "one reading, or several with spaces: -8.4 or 0 3.3\nEnter or Esc goes back")
        )  # fmt: skip
        if typed:
            self.say(idle_words(typed), "good")

    @work
    async def action_draw(self) -> None:
        if self._finding is None:
            self.say("There is no chain to draw", "unsure")
            return
        near, far, finding = self._near, self._far, self._finding
        await self._ask_and_draw("chain.svg", lambda: _chain_figure(near, far, finding))

    @work
    async def action_wave(self) -> None:
        link = self.session.chosen
        settings = self.session.line_of(link) if link is not None else read_line("9600 8N1").settings
        typed = await self.app.push_screen_wait(
            LinePrompt(f"Characters on the wire at {settings.text}", "OK\\r", _wave_words, "1 to 8; Enter goes on")
        )
        if typed is not None:
            data = to_bytes(typed)
            title = f"{typed} at {settings.text}"
            await self._look(title, wave_lines(data, settings), "waveform.svg", lambda: _wave_figure(data, settings))

    @work
    async def action_faces(self) -> None:
        end = self._far
        title = f"{end.name}: {end.face.text}"
        await self._look(title, face_lines(end), f"{end.name}.svg", lambda: _face_figure(end))

    @work
    async def action_bus(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt(
                "RS-485 bus from the file", "", _bus_words, "TOML: baud, and a [[node]] each; see docs/wiring.md"
            )
        )
        if typed is not None:
            nodes, baud = _bus_of(typed)
            verdicts = check_bus(nodes, baud)
            lines = bus_lines(nodes, baud, verdicts)
            await self._look("RS-485 bus", lines, "bus.svg", lambda: _bus_figure(nodes, baud, verdicts))

    async def _look(self, title: str, lines: list[str], file: str, figure: Callable[[], Any]) -> None:
        """Shows a picture in text, and writes it as a drawing where that is wanted."""
        if await self.app.push_screen_wait(Picture(title, lines, "x draws it into a file, Esc goes back")):
            await self._ask_and_draw(file, figure)

    async def _ask_and_draw(self, file: str, figure: Callable[[], Any]) -> None:
        proposal = str(self.session.book.path.with_name(file))
        typed = await self.app.push_screen_wait(
            LinePrompt("Draw it into", proposal, drawing_reading, "an .svg or a .pdf; Enter writes it")
        )
        if typed is not None:
            self._write(figure, typed)

    @work(thread=True, group="draw")
    def _write(self, figure: Callable[[], Any], typed: str) -> None:
        from ordolex.draw.sheet import drawn  # matplotlib takes a second to import

        path = Path(typed).expanduser()
        try:
            write_new(path, [drawn(figure(), path)])
        except Fault as fault:
            self.app.call_from_thread(self.say, str(fault), "bad")
        else:
            self.app.call_from_thread(self.say, f"drew it into {path}", "good")


def _bag(name: str) -> tuple[Bag, str]:
    """The technician's bag of this name, and what is wrong with its file."""
    try:
        file = bag_file(name)
        return (load_bag(file) if file.is_file() else bag_of([*USUAL_BAG, *USUAL_BAG])), ""
    except (PartError, Fault) as error:
        return bag_of([*USUAL_BAG, *USUAL_BAG]), str(error)


def _wave_figure(data: bytes, settings: LineSettings) -> Any:
    from ordolex.draw.waveform import draw_waveform

    return draw_waveform(data, settings)


def _face_figure(end: End) -> Any:
    from ordolex.draw.faces import draw_faces

    return draw_faces(end)


def _bus_figure(nodes: list[Node], baud: int, verdicts: list[Verdict]) -> Any:
    from ordolex.draw.bus import draw_bus

    return draw_bus(nodes, baud, verdicts)


def _chain_figure(near: End, far: End, finding: Finding) -> Any:
    from ordolex.draw.chain import draw_chain

    return draw_chain(near, far, finding)


def _bus_of(text: str) -> tuple[list[Node], int]:
    """Raises ValueError for a file that is no bus."""
    try:
        return read_bus(Path(text).expanduser().read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise ValueError(f"cannot be read: {getattr(error, 'strerror', None) or error}") from error


def _bus_words(text: str) -> str:
    nodes, baud = _bus_of(text)
    check_bus(nodes, baud)
    return f"{len(nodes)} nodes at {baud} baud"


def idle_words(text: str) -> str:
    """The verdict on typed readings. Raises ValueError for what is no reading or cannot be."""
    words = text.replace(",", " ").split()
    try:
        readings = [float(word) for word in words]
    except ValueError:
        raise ValueError("give readings in volts, such as -8.4") from None
    verdict = idle(readings)
    return f"{verdict.level}: {verdict.means}"


def _bag_words(text: str) -> str:
    """Raises ValueError for what is no name."""
    try:
        bag_file(text.strip())
    except Fault as fault:
        raise ValueError(str(fault)) from fault
    return "a bag that is there" if text.strip() in named_bags() else "a new bag"


def _count_words(text: str) -> str:
    if not text.isdigit() or int(text) > 99:
        raise ValueError("give a number, 0 to 99")
    return f"{int(text)} of it"


def _wave_words(text: str) -> str:
    data = to_bytes(text)
    if not 1 <= len(data) <= MAX_CHARACTERS:
        raise ValueError(f"give 1 to {MAX_CHARACTERS} characters; these are {len(data)}")
    return f"{len(data)} characters: {hex_pairs(data)}"
