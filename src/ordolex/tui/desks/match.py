"""Match: what are the line settings? A map of rates and formats by how likely each is, and how that is known."""

from __future__ import annotations

import asyncio
from collections.abc import Collection
from concurrent.futures import Future
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.widgets import Static

from ordolex.core.advice.causes import Inferred
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question
from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Inference, infer
from ordolex.core.match.verdict import Kind, Verdict, inverted_advice, judge
from ordolex.core.match.wishes import read_data_bits, read_units
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.chance import chance
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.match import asks
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_new
from ordolex.tui.commands import MATCH, bindings
from ordolex.tui.desks.base import Desk
from ordolex.tui.match_board import Board, Seen
from ordolex.tui.matching import begin_match, heard_in_book
from ordolex.tui.readings import bytes_reading, data_bits_reading, drawing_reading, units_reading, wait_reading
from ordolex.tui.session import Session
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.match_view import match_view
from ordolex.tui.widgets.prompts import LinePrompt, Pick

_EMPTY = "m listens to the device and asks harmless questions, until its settings are known. s works on the record."
_NO_LINK = "No link is chosen. F2 shows the ports; Enter there opens one, at any settings, then F4."


@dataclass(slots=True)
class _AtWork:
    """A match under way; `opened` if the port was opened for it. `latest` is set in the links' thread."""

    link: LinkRecord
    opened: bool
    future: Future[Match] | None = None
    latest: Match | None = None


_FAMILIES = ("modbus-rtu", "modbus-ascii", "at", "meter")
_HINTS = {
    "": "nothing",
    "7": "it has 7 data bits",
    "8": "it has 8 data bits",
    "modbus-rtu": "it speaks Modbus RTU",
    "modbus-ascii": "it speaks Modbus ASCII",
    "at": "it takes AT commands",
    "meter": "it is a meter with sign-on (IEC 62056-21)",
}
"""What a technician can know beforehand, as the list shows it."""


class MatchDesk(Desk):
    word = "Match"
    BINDINGS = bindings(MATCH)
    DEFAULT_CSS = """
    MatchDesk #match-body { background: $background; height: 1fr; width: 1fr; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._board = Board()
        self._seen: dict[int, Seen] = {}
        self._at_work: dict[int, _AtWork] = {}
        self._moved = False
        self._asks: list[bytes] | None = None
        self._units: list[int] = [1]
        self._hint = ""
        self._wanted = Options()

    def compose(self) -> ComposeResult:
        yield HeadLine()
        body = Static("", id="match-body", markup=False)
        body.can_focus = True
        yield body

    def entered(self) -> None:
        self.query_one("#match-body").focus()
        self._show()

    def link_changed(self) -> None:
        self._moved = False
        self._show()

    def restyled(self) -> None:
        self._show()

    def on_resize(self) -> None:
        self._show()

    def turn(self) -> None:
        for running in list(self._at_work.values()):
            match, running.latest = running.latest, None
            if match is not None:
                self._take_over(running.link, match)
                self._show()
            if running.future is not None and running.future.done():
                del self._at_work[running.link.id]
                self._ended(running, running.future)

    def _take_over(self, link: LinkRecord, match: Match) -> None:
        self._seen[link.id] = Seen.of(match)
        if not self._is_chosen(link) or self._moved:
            return
        best = match.inference.best
        if match.found is not None:
            self._board.go_to(match.found, match.inverted)
        elif best is not None:
            self._board.go_to(best.best.settings, best.best.inverted)

    def _is_chosen(self, link: LinkRecord) -> bool:
        return self.session.chosen is not None and self.session.chosen.id == link.id

    # ---- doing it

    def action_begin(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(_NO_LINK, "unsure")
        elif not read_endpoint(link.endpoint).has_line:
            self.say("Raw TCP has no line settings; the box at the far end holds them", "unsure")
        elif link.id in self._at_work:
            self.say("A match is running on this link; Esc stops it", "unsure")
        else:
            self._moved = False
            self._begin_or_go_on(link)

    @work
    async def _begin_or_go_on(self, link: LinkRecord) -> None:
        """A match that was stopped, also in an earlier visit, can go on where it was."""
        tried = self.session.book.reader.stopped_match(link.id)
        if tried:
            choices = [
                ("on", f"Go on: {len(tried)} questions that brought nothing are not asked again"),
                ("anew", "Begin anew: the device was off, or something was changed since"),
            ]
            answer = await self.app.push_screen_wait(Pick("The last match here was stopped", choices))
            if answer is None:
                return
            tried = tried if answer == "on" else set()
        self._begin(link, tried)
        self.say("listening first, then asking; Esc stops, and m goes on later")

    @work
    async def action_begin_all(self) -> None:
        """On every link of the site that has line settings and is not proven, and on free ports too, all at once."""
        links = [link for link in self.session.links if self._is_open_question(link)]
        ports = [p.endpoint for p in self.session.ports if p.may_be_opened and not self.session.link_for(p.endpoint)]
        ports = [endpoint for endpoint in ports if read_endpoint(endpoint).has_line]
        running = [("stop", f"stop all {len(self._at_work)} that run")] if self._at_work else []
        if not links and not ports and not running:
            self.say("Every link with line settings is proven or being matched, and no port is free", "plain")
            return
        choices = [
            ("links", f"{len(links)} links that are not proven"),
            ("all", f"these, and {len(ports)} free ports, each as a new link"),
        ]
        choices = [*running, *(choices[not links :] if links or ports else [])]
        what = await self.app.push_screen_wait(Pick("Match all at once", choices))
        if what == "stop":
            for work_ in list(self._at_work.values()):
                self._stop(work_)
            self.say("all stopped; each port goes back to its link's settings", "plain")
            return
        if what == "all":
            links += [self.session.keep_link(endpoint, "9600 8N1", "not known yet") for endpoint in ports]
        for link in links if what is not None else ():
            self._begin(link)
        if what is not None:
            if self.session.chosen is None:
                self.session.choose(links[0])
                self.link_changed()
            self.say(f"matching {len(links)} links at once; Ctrl+Down goes to the next, Esc stops the one shown")

    def _is_open_question(self, link: LinkRecord) -> bool:
        proven = self.session.view(link).evidence.rung is Rung.PROVEN
        return read_endpoint(link.endpoint).has_line and link.id not in self._at_work and not proven

    @work
    async def _begin(self, link: LinkRecord, tried: Collection[tuple[str, bytes]] = ()) -> None:
        running = _AtWork(link, opened=not self.session.is_open(link))
        self._at_work[link.id] = running
        if running.opened:
            try:
                await asyncio.wrap_future(self.session.open(link))
            except Fault as fault:
                del self._at_work[link.id]
                self.say(f"{visible_text(link.name)}: {fault}", "bad")
                return
        self._seen.pop(link.id, None)

        def changed(match: Match) -> None:
            running.latest = match

        options = replace(self._wanted, questions=self._questions(link))
        running.future = begin_match(self.session, link, options, changed, tried)
        if running.future is None:
            del self._at_work[link.id]
            return
        self._show()

    def _questions(self, link: LinkRecord) -> list[Question]:
        sheet = self.session.sheet_of(link)
        units = self._units if self._units != [1] else []  # else the sheet's own
        if self._asks is None and self._hint in _FAMILIES:
            return asks.of_family(self._hint)
        return asks.chosen(sheet, units, self._asks)

    def action_stop(self) -> None:
        link = self.session.chosen
        running = self._at_work.get(link.id) if link is not None else None
        if running is None:
            self.say("No match is running on this link", "plain")
            return
        self._stop(running)
        self.say("stopped; the port goes back to the link's settings. m goes on where it was", "plain")

    def _stop(self, running: _AtWork) -> None:
        del self._at_work[running.link.id]
        if running.future is not None:
            running.future.cancel()
        if running.opened:
            self.post_message(self.ReleaseWanted(running.link))
        if running.link.id in self._seen:
            self._seen[running.link.id].now = "stopped"
        self._show()

    def _ended(self, running: _AtWork, future: Future[Match]) -> None:
        link = running.link
        name = "" if self._is_chosen(link) else f"{visible_text(link.name)}: "
        if future.cancelled():
            return
        try:
            match = future.result()
        except Fault as fault:
            self.say(f"{name}{fault}", "bad")
            return
        self._take_over(link, match)
        self._seen[link.id].now = ""
        self._tell_session(link, match)
        if match.found is None:
            self.say(f"{name}not found: {match.verdict.words if match.verdict is not None else match.now}", "unsure")
            if running.opened:
                self.post_message(self.ReleaseWanted(link))
            elif match.left:
                self.say(f"{name}not found, and {match.left}", "bad")
        elif match.inverted:
            self.say(f"{name}{match.found.text}, and the line is inverted: a port cannot mend that", "bad")
        else:
            sure = _probability(match)
            self._keep(link, match.found, f"matched, {datetime.now():%d %b}, {match.evidence}{sure}", name, match)
        self._show()

    def _tell_session(self, link: LinkRecord, match: Match) -> None:
        """What is no matter of settings is for the whole program to know."""
        words = ""
        if match.inverted and match.found is not None:
            words = f"the line is inverted ({match.found.text}). A level shifter, or A and B swapped; F4 says more"
        elif match.found is None and match.verdict is not None and match.verdict.kind in (Kind.SPOILT, Kind.HELD):
            words = match.verdict.words
        self.session.matched[link.id] = self.session.line_of(link), words
        self._tell_inferred(link, match.inference)

    def _tell_inferred(self, link: LinkRecord, inference: Inference) -> None:
        """For the causes: they and the map rest on the same reasoning."""
        if inference.best is not None:
            best, line = inference.best.best, self.session.line_of(link)
            self.session.told.infer(link.id, Inferred(best.settings, best.inverted, inference.best.probability, line))

    def _keep(
        self, link: LinkRecord, settings: LineSettings, source: str, name: str = "", match: Match | None = None
    ) -> None:
        try:
            self.session.change_link(replace(link, line=settings.text, source=source))
        except Fault as fault:
            self.say(f"{name}{fault}", "bad")
            return
        if match is not None and match.verdict is not None and settings.text == link.line:
            self.say(f"{name}{settings.text} was right already. F5 talks", "good")
        else:
            self.say(f"{name}{settings.text} is taken into the link ({source}). F5 talks", "good")

    @work
    async def action_take(self) -> None:
        link = self.session.chosen
        if link is None or link.id in self._at_work:
            self.say(_NO_LINK if link is None else "A match is running; Esc stops it", "unsure")
            return
        if self._board.inverted:
            self.say(inverted_advice(), "bad")
            return
        settings = self._board.settings
        self._keep(link, settings, f"chosen on the map, {chance(self._board.chance(self._seen.get(link.id)))}")
        runner = self.session.runner(link)
        if runner is not None and runner.is_open:
            try:
                await asyncio.wrap_future(self.session.hub.call(runner.retune(settings)))
            except Fault as fault:
                self.say(str(fault), "bad")
        self._show()

    @work(thread=True, exclusive=True, group="match-stored")
    def action_stored(self) -> None:
        link = self.session.chosen
        if link is None:
            self.app.call_from_thread(self.say, _NO_LINK, "unsure")
            return
        heard = heard_in_book(self.session, link)[-3:]
        if not heard:
            self.app.call_from_thread(self.say, "The record has nothing heard on this link yet", "unsure")
            return
        inference = infer(heard, data_bits=self._wanted.data_bits)
        self.app.call_from_thread(self._worked_out, link, heard, inference)

    def _worked_out(self, link: LinkRecord, heard: list[Capture], inference: Inference) -> None:
        verdict = judge(heard, inference)
        self._seen[link.id] = Seen(heard, inference, verdict, [])
        if inference.best is not None:
            self._board.go_to(inference.best.best.settings, inference.best.best.inverted)
        if heard[-1].heard_at == self.session.line_of(link):
            self._tell_inferred(link, inference)
        count = sum(len(capture.data) for capture in heard)
        self.say(f"from {count} bytes of the record: {verdict.words}", "plain")
        self._show()

    # ---- how it is done

    @work
    async def action_wishes(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(_NO_LINK, "unsure")
            return
        bits = " ".join(str(bits) for bits in self._wanted.data_bits)
        units = " ".join(str(unit) for unit in self._units)
        choices = [
            ("questions", f"Questions: {' ; '.join(named(question.data) for question in self._questions(link))}"),
            ("wait", f"Wait for each answer: {self._wanted.wait_s * 1000:.0f} ms"),
            ("units", f"Unit IDs, for questions with {{unit}}: {units}"),
            ("bits", f"Data bits to weigh: {bits}"),
            ("hint", f"What is known of the device: {_HINTS[self._hint]}"),
        ]
        what = await self.app.push_screen_wait(Pick("How to match", choices))
        if what == "questions":
            await self._ask_questions(link)
        elif what == "wait":
            hint = "slow devices and long ways need more. Enter takes it"
            ms = f"{self._wanted.wait_s * 1000:.0f}"
            typed = await self.app.push_screen_wait(LinePrompt("Wait for each answer, ms", ms, wait_reading, hint))
            if typed is not None:
                self._wanted = replace(self._wanted, wait_s=int(typed) / 1000)
        elif what == "units":
            hint = "write {unit} in a question where its number belongs, such as {unit}?\\r"
            typed = await self.app.push_screen_wait(LinePrompt("Unit IDs", units, units_reading, hint))
            if typed is not None:
                self._units = read_units(typed)
        elif what == "hint":
            hinted = await self.app.push_screen_wait(Pick("What is known of the device?", list(_HINTS.items())))
            if hinted is not None:
                self._take_hint(hinted)
        elif what == "bits":
            hint = "5 and 6 are rare, and cost time and certainty"
            typed = await self.app.push_screen_wait(LinePrompt("Data bits", bits, data_bits_reading, hint))
            if typed is not None:
                self._wanted = replace(self._wanted, data_bits=read_data_bits(typed))
                self._board.weigh(read_data_bits(typed))
                self._show()

    def _take_hint(self, hint: str) -> None:
        """What the technician knows: only formats, or only questions, that fit it."""
        self._hint = hint
        bits = (7,) if hint == "7" else (8,) if hint in ("8", "modbus-rtu") else (7, 8)
        self._wanted = replace(self._wanted, data_bits=bits)
        self._board.weigh(bits)
        self.say(f"the next match takes it that {_HINTS[hint]}" if hint else "the next match takes nothing as known")
        self._show()

    async def _ask_questions(self, link: LinkRecord) -> None:
        before = " ; ".join(named(question.data) for question in self._questions(link))
        hint = "several with ; between them. Only what is harmless to every device: it goes out at many settings"

        def reading(text: str) -> str:
            return f"{len([bytes_reading(part.strip()) for part in text.split(';') if part.strip()])} questions"

        typed = await self.app.push_screen_wait(LinePrompt("What may be asked", before, reading, hint))
        if typed is not None:
            self._asks = [to_bytes(part.strip()) for part in typed.split(";") if part.strip()]
            self.say(f"{len(self._asks)} questions may be asked")

    # ---- moving over the map

    def action_left(self) -> None:
        self._move(-1, 0)

    def action_right(self) -> None:
        self._move(1, 0)

    def action_up(self) -> None:
        self._move(0, -1)

    def action_down(self) -> None:
        self._move(0, 1)

    def _move(self, across: int, down: int) -> None:
        self._moved = True
        self._board.move(across, down)
        self._show()

    def action_polarity(self) -> None:
        self._moved = True
        self._board.inverted = not self._board.inverted
        self._show()

    def action_earlier_bits(self) -> None:
        self._board.bits_at = max(0, self._board.bits_at - 8)
        self._show()

    def action_later_bits(self) -> None:
        self._board.bits_at += 8
        self._show()

    # ---- drawing to a file

    @work
    async def action_draw(self) -> None:
        link = self.session.chosen
        if link is None or link.id not in self._seen:
            self.say("Nothing to draw yet: m matches", "unsure")
            return
        choices = [("map", "The map of settings"), ("bits", "The bits and where they were sampled")]
        what = await self.app.push_screen_wait(Pick("Draw what?", choices))
        if what is None:
            return
        path = await self.app.push_screen_wait(
            LinePrompt("Write the drawing into", f"match-{what}.svg", drawing_reading, "Enter writes it, Esc goes back")
        )
        if path is not None:
            self._draw(what, path, visible_text(link.name), self._seen[link.id])

    @work(thread=True)
    def _draw(self, what: str, file: str, name: str, seen: Seen) -> None:
        from ordolex.draw.bits import draw_bits, draw_map
        from ordolex.draw.sheet import DrawingError, drawn

        path, board, capture = Path(file).expanduser(), self._board, self._board.capture(seen)
        if what == "map":
            cells = board.cells(seen)
            bauds = sorted({baud for baud, _ in cells} | {board.settings.baud})
            side = "inverted" if board.inverted else "normal"
            figure = draw_map(bauds, [f.text for f in board.formats], cells, f"{name}: line settings, {side} polarity")
        elif capture is not None:
            figure = draw_bits(board.reading(capture)[1], board.settings, capture.heard_at)
        else:
            self.app.call_from_thread(self.say, "Nothing was heard, so there are no bits to draw", "unsure")
            return
        try:
            write_new(path, [drawn(figure, path)])
        except (DrawingError, Fault) as error:
            self.app.call_from_thread(self.say, str(error), "bad")
        else:
            self.app.call_from_thread(self.say, f"drew it into {path}", "good")

    # ---- showing it

    def _show(self) -> None:
        if not self.query("#match-body"):
            return
        ink, link = self.ink, self.session.chosen
        head = self.query_one(HeadLine)
        seen = self._seen.get(link.id) if link is not None else None
        head.text = Text("What are the line settings?", ink.style("ink", bold=True))
        if self._hint:
            head.text.append(f"   known: {_HINTS[self._hint]}", ink.style("straw"))
        head.text.append(f"   {'inverted' if self._board.inverted else 'normal'} polarity", ink.style("dim"))
        if link is not None and link.id in self._at_work and seen is not None and seen.now:
            head.text.append(f"   {seen.now}", ink.style("straw"))
        others = len(self._at_work) - (link is not None and link.id in self._at_work)
        if others:
            head.text.append(f"   {others} more being matched", ink.style("dim"))
        head.show()
        body = self.query_one("#match-body", Static)
        if link is None:
            body.update(Text(_NO_LINK, ink.style("straw")))
            return
        width, height = max(20, body.size.width), max(8, body.size.height)
        body.update(match_view(ink, self._board, seen, self._next(link, seen), width, height))

    def _next(self, link: LinkRecord, seen: Seen | None) -> str:
        if seen is None or seen.verdict is None:
            return _EMPTY
        verdict: Verdict = seen.verdict
        if link.id in self._at_work:
            return "it goes on by itself; Esc stops"
        if seen.inverted:
            return inverted_advice()
        if link.source.startswith("matched"):
            return f"{link.line} is in the link; F5 talks"
        if verdict.listen_at is not None:
            return f"m goes on: listen at {verdict.listen_at.text}"
        return "Enter takes the chosen settings, m matches anew"


def _probability(match: Match) -> str:
    """How probable the settings found are among all in reach, where that was worked out."""
    best = match.inference.best
    if best is None or match.found not in [member.settings for member in best.members]:
        return ""
    return f", {chance(best.probability)} among all in reach"
