"""Match: what are the line settings? A map of rates and formats by how likely each is, and how that is known."""

from __future__ import annotations

import asyncio
import textwrap
from concurrent.futures import Future
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.widgets import Static

from ordolex.core.endpoint import read_endpoint
from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture
from ordolex.core.match.explain import Misreading, misread, rows
from ordolex.core.match.formats import Format, formats, usual
from ordolex.core.match.infer import Characters, Inference, infer, read_out
from ordolex.core.match.plan import GENERIC
from ordolex.core.match.rates import STANDARD
from ordolex.core.match.verdict import Verdict, inverted_advice, judge
from ordolex.core.record import LinkRecord
from ordolex.core.text.escapes import EscapeError, named, to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.faults import Fault
from ordolex.io.matcher import Match, Trial
from ordolex.tui.commands import MATCH, bindings
from ordolex.tui.desks.base import Desk
from ordolex.tui.readings import bytes_reading, drawing_reading
from ordolex.tui.session import Session
from ordolex.tui.theme import GOOD, UNSURE
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.widgets.wording import cut

_FORMATS = sorted(formats(), key=lambda format_: -usual(format_))
_RATES = tuple(baud for baud in STANDARD if baud not in (7200, 76800, 128000, 153600, 250000, 256000, 500000, 576000))
_CELL, _MAP_ROWS = 5, 11
_READ_BYTES = 48
_EMPTY = "m listens to the device and asks harmless questions, until its settings are known. s works on the record."
_NO_LINK = "No link is chosen. F2 shows the ports; Enter there opens one, at any settings, then F4."


@dataclass(slots=True)
class _Seen:
    """What the desk shows: of a running match, or of a span of the record."""

    captures: list[Capture]
    inference: Inference
    verdict: Verdict | None
    trials: list[Trial]
    now: str = ""


class MatchDesk(Desk):
    word = "Match"
    BINDINGS = bindings(MATCH)
    DEFAULT_CSS = """
    MatchDesk #match-body { background: $background; height: 1fr; width: 1fr; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._seen: dict[int, _Seen] = {}
        self._at_work: tuple[LinkRecord, Future[Match]] | None = None
        self._latest: Match | None = None
        self._opened = False
        self._cell = [0, _RATES.index(9600)]
        self._inverted = False
        self._moved = False
        self._bits_at = 0
        self._asks: list[bytes] | None = None
        self._read: tuple[object, Characters, Misreading] | None = None

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
        if self._at_work is None:
            return
        link, future = self._at_work
        match = self._latest
        if match is not None:
            self._latest = None
            self._take_over(link, match)
            self._show()
        if future.done():
            self._at_work = None
            self._ended(link, future)

    def _take_over(self, link: LinkRecord, match: Match) -> None:
        self._seen[link.id] = _Seen(
            list(match.captures), match.inference, match.verdict, list(match.trials), match.now
        )  # fmt: skip
        if not self._moved and match.inference.best is not None:
            self._go_to(match.inference.best.best.settings, match.inference.best.best.inverted)

    def _go_to(self, settings: LineSettings, inverted: bool) -> None:
        texts = [format_.text for format_ in _FORMATS]
        if settings.format in texts:
            self._cell[0] = texts.index(settings.format)
        self._cell[1] = min(range(len(_RATES)), key=lambda at: abs(_RATES[at] - settings.baud))
        self._inverted = inverted

    # ---- doing it

    def action_begin(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(_NO_LINK, "unsure")
        elif not read_endpoint(link.endpoint).has_line:
            self.say("Raw TCP has no line settings; the box at the far end holds them", "unsure")
        elif self._at_work is not None:
            self.say("A match is running; Esc stops it", "unsure")
        else:
            self._begin(link)

    @work
    async def _begin(self, link: LinkRecord) -> None:
        self._opened = not self.session.is_open(link)
        if self._opened:
            try:
                await asyncio.wrap_future(self.session.open(link))
            except Fault as fault:
                self.say(str(fault), "bad")
                return
        self._moved = False
        self._seen.pop(link.id, None)

        def changed(match: Match) -> None:
            self._latest = match

        future = self.session.match(link, self._questions(link), changed)
        if future is not None:
            self._at_work = (link, future)
            self.say("listening first, then asking; Esc stops")
            self._show()

    def _questions(self, link: LinkRecord) -> list[bytes]:
        if self._asks is not None:
            return self._asks
        sheet = self.session.sheet_of(link)
        if sheet is not None and sheet.harmless:
            return [to_bytes(text) for text in (*(q.send for q in sheet.harmless), *sheet.wake)]
        return list(GENERIC)

    def action_stop(self) -> None:
        if self._at_work is None:
            self.say("No match is running", "plain")
            return
        link, future = self._at_work
        self._at_work = None
        future.cancel()
        self.say("stopped; the port goes back to the link's settings", "plain")
        if self._opened:
            self.post_message(self.ReleaseWanted(link))
        if link.id in self._seen:
            self._seen[link.id].now = "stopped"
        self._show()

    def _ended(self, link: LinkRecord, future: Future[Match]) -> None:
        if future.cancelled():
            return
        try:
            match = future.result()
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        self._take_over(link, match)
        self._seen[link.id].now = ""
        if match.found is None:
            self.say(f"not found: {match.verdict.words if match.verdict is not None else match.now}", "unsure")
            if self._opened:
                self.post_message(self.ReleaseWanted(link))
        elif match.inverted:
            self.say(f"{match.found.text}, and the line is inverted: a port cannot mend that", "bad")
        else:
            self._keep(link, match.found, f"matched, {datetime.now():%d %b}, {match.evidence}")
        self._show()

    def _keep(self, link: LinkRecord, settings: LineSettings, source: str) -> None:
        try:
            self.session.change_link(replace(link, line=settings.text, source=source))
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        self.say(f"{settings.text} is taken into the link ({source}). F5 talks", "good")

    @work
    async def action_take(self) -> None:
        link = self.session.chosen
        if link is None or self._at_work is not None:
            self.say(_NO_LINK if link is None else "A match is running; Esc stops it", "unsure")
            return
        if self._inverted:
            self.say(inverted_advice(), "bad")
            return
        settings = self._settings()
        chance = self._chance(settings)
        self._keep(link, settings, f"chosen on the map, {chance:.0%}")
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
        heard = self.session.heard_in_book(link)[-3:]
        if not heard:
            self.app.call_from_thread(self.say, "The record has nothing heard on this link yet", "unsure")
            return
        inference = infer(heard)
        self.app.call_from_thread(self._worked_out, link, heard, inference)

    def _worked_out(self, link: LinkRecord, heard: list[Capture], inference: Inference) -> None:
        verdict = judge(heard, inference)
        self._seen[link.id] = _Seen(heard, inference, verdict, [])
        if inference.best is not None:
            self._go_to(inference.best.best.settings, inference.best.best.inverted)
        count = sum(len(capture.data) for capture in heard)
        self.say(f"from {count} bytes of the record: {verdict.words}", "plain")
        self._show()

    @work
    async def action_questions(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(_NO_LINK, "unsure")
            return
        before = " ; ".join(named(question) for question in self._questions(link))
        hint = "several with ; between them. Only what is harmless to every device: it goes out at many settings"

        def reading(text: str) -> str:
            return f"{len([bytes_reading(part.strip()) for part in text.split(';') if part.strip()])} questions"

        typed = await self.app.push_screen_wait(LinePrompt("What may be asked", before, reading, hint))
        if typed is not None:
            try:
                self._asks = [to_bytes(part.strip()) for part in typed.split(";") if part.strip()]
            except EscapeError as error:
                self.say(str(error), "bad")
            else:
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
        self._cell[0] = max(0, min(self._cell[0] + across, len(_FORMATS) - 1))
        self._cell[1] = max(0, min(self._cell[1] + down, len(_RATES) - 1))
        self._show()

    def action_polarity(self) -> None:
        self._moved = True
        self._inverted = not self._inverted
        self._show()

    def action_earlier_bits(self) -> None:
        self._bits_at = max(0, self._bits_at - 8)
        self._show()

    def action_later_bits(self) -> None:
        self._bits_at += 8
        self._show()

    def _settings(self) -> LineSettings:
        format_: Format = _FORMATS[self._cell[0]]
        return LineSettings(_RATES[self._cell[1]], format_.data_bits, format_.parity, float(format_.stop_bits))

    def _cells(self, inverted: bool) -> dict[tuple[int, str], float]:
        link = self.session.chosen
        seen = self._seen.get(link.id) if link is not None else None
        out: dict[tuple[int, str], float] = {}
        for entry in seen.inference.ranked if seen is not None else ():
            if entry.inverted == inverted:
                key = (entry.settings.baud, entry.settings.format)
                out[key] = out.get(key, 0.0) + entry.probability
        return out

    def _chance(self, settings: LineSettings) -> float:
        return self._cells(self._inverted).get((settings.baud, settings.format), 0.0)

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
            self._draw(what, path, visible_text(link.name))

    @work(thread=True)
    def _draw(self, what: str, file: str, name: str) -> None:
        from ordolex.draw.bits import draw_bits, draw_map
        from ordolex.draw.sheet import DrawingError, write

        path = Path(file).expanduser()
        if what == "map":
            cells = self._cells(self._inverted)
            bauds = sorted({baud for baud, _ in cells} | {self._settings().baud})
            side = "inverted" if self._inverted else "normal"
            figure = draw_map(bauds, [f.text for f in _FORMATS], cells, f"{name}: line settings, {side} polarity")
        elif self._read is not None:
            heard_at = self._heard_at()
            figure = draw_bits(self._read[2], self._settings(), heard_at or self._settings())
        else:
            return
        try:
            write(figure, path)
        except (DrawingError, OSError) as error:
            self.app.call_from_thread(self.say, f"{path} cannot be written: {error}", "bad")
        else:
            self.app.call_from_thread(self.say, f"drew it into {path}", "good")

    # ---- showing it

    def _heard_at(self) -> LineSettings | None:
        capture = self._capture()
        return capture.heard_at if capture is not None else None

    def _capture(self) -> Capture | None:
        """The capture that says most about the chosen rate: the one heard nearest above it."""
        link = self.session.chosen
        seen = self._seen.get(link.id) if link is not None else None
        heard = [capture for capture in seen.captures if capture.data] if seen is not None else []
        baud = self._settings().baud
        fit = [capture for capture in heard if 0.34 * capture.heard_at.baud <= baud <= 1.05 * capture.heard_at.baud]
        return max(fit or heard, key=lambda capture: min(len(capture.data), _READ_BYTES)) if heard else None

    def _show(self) -> None:
        if not self.query("#match-body"):
            return
        ink, link = self.ink, self.session.chosen
        head = self.query_one(HeadLine)
        seen = self._seen.get(link.id) if link is not None else None
        head.text = Text("What are the line settings?", ink.style("ink", bold=True))
        head.text.append(f"   {'inverted' if self._inverted else 'normal'} polarity", ink.style("dim"))
        if self._at_work is not None and seen is not None and seen.now:
            head.text.append(f"   {seen.now}", ink.style("straw"))
        head.show()
        body = self.query_one("#match-body", Static)
        body.update(self._body(seen, max(20, body.size.width), max(8, body.size.height)))

    def _body(self, seen: _Seen | None, width: int, height: int) -> Text:
        ink, text = self.ink, Text(no_wrap=True)
        if self.session.chosen is None:
            return Text(_NO_LINK, ink.style("straw"))
        text.append_text(self._sentence(seen, width))
        more = text.plain.count("\n") - 2
        airy = "\n" if height >= 22 else ""
        text.append(airy)
        text.append_text(self._map(width, max(3, min(_MAP_ROWS, height - 9 - more - 2 * len(airy)))))
        text.append(airy)
        text.append_text(self._reading(width))
        left = height - text.plain.count("\n") - 2 - len(airy)
        if seen is not None and seen.trials and left > 1:
            text.append(f"{airy}tried, the latest last\n", ink.style("faint"))
            for trial in seen.trials[-left:]:
                sent = f"sent {named(trial.sent)}   " if trial.sent else ""
                line = f"{trial.seconds:5.1f} s  {trial.line.text:13} {sent}{trial.words}"
                text.append(cut(visible_text(line), width) + "\n", ink.style("dim"))
        return text

    def _sentence(self, seen: _Seen | None, width: int) -> Text:
        """The verdict, and what to do next, in two lines."""
        ink = self.ink
        if seen is None or seen.verdict is None:
            return Text(cut(_EMPTY, width) + "\n\n", ink.style("straw"))
        verdict = seen.verdict
        best = seen.inference.best
        sure = best is not None and best.probability >= 0.9
        text = Text(f"{GOOD if sure else UNSURE} ", ink.style("moss" if sure else "straw"))
        text.append(cut(verdict.words, width - 2) + "\n", ink.style("moss" if sure else "straw", bold=True))
        text.append("Next  ", ink.style("straw"))
        lines = textwrap.wrap(self._next(verdict, best.best.inverted if best else False), width - 6)[:4]
        text.append("\n      ".join(lines) + "\n", ink.style("ink"))
        return text

    def _next(self, verdict: Verdict, inverted: bool) -> str:
        if self._at_work is not None:
            return "it goes on by itself; Esc stops"
        link = self.session.chosen
        if inverted:
            return inverted_advice()
        if link is not None and link.source.startswith("matched"):
            return f"{link.line} is in the link; F5 talks"
        if verdict.listen_at is not None:
            return f"m goes on: listen at {verdict.listen_at.text}"
        return "Enter takes the chosen settings, m matches anew"

    def _map(self, width: int, lines: int) -> Text:
        ink, text = self.ink, Text(no_wrap=True)
        cells = self._cells(self._inverted)
        columns = min(len(_FORMATS), (width - 8) // _CELL)
        first = max(0, min(self._cell[0] - columns + 1, len(_FORMATS) - columns))
        top = max(0, min(self._cell[1] - lines // 2, len(_RATES) - lines))
        text.append("  baud  ", ink.style("dim"))
        for column in range(first, first + columns):
            chosen = column == self._cell[0]
            text.append(f"{_FORMATS[column].text:^{_CELL}}", ink.style("copper" if chosen else "dim", bold=chosen))
        text.append("\n")
        for row in range(top, top + lines):
            chosen_row = row == self._cell[1]
            text.append(f"{_RATES[row]:>6}  ", ink.style("copper" if chosen_row else "dim", bold=chosen_row))
            for column in range(first, first + columns):
                value = cells.get((_RATES[row], _FORMATS[column].text), 0.0)
                figure = f"{value * 100:.0f}" if value >= 0.005 else "·"
                chosen = chosen_row and column == self._cell[0]
                shown = f"[{figure:^3}]" if chosen else f"{figure:^{_CELL}}"
                text.append(shown, ink.style("copper", bold=True) if chosen else ink.shade(value))
            text.append("\n")
        return text

    def _reading(self, width: int) -> Text:
        """What was heard, how it reads at the chosen cell, and the bits with where they were sampled."""
        ink, text = self.ink, Text(no_wrap=True)
        capture = self._capture()
        if capture is None:
            return text
        settings = self._settings()
        key = (id(capture), settings, self._inverted)
        if self._read is None or self._read[0] != key:
            part = capture.first(_READ_BYTES)
            ratio = settings.baud / capture.heard_at.baud
            characters = read_out(part, settings, self._inverted, ratio)
            picture = misread(characters.data[:24], settings, capture.heard_at, inverted=self._inverted)
            self._read = (key, characters, picture)
        _, characters, picture = self._read
        heard = visible_text(capture.data.decode("latin-1"))
        errors = f", {capture.errors} errors" if capture.flags is not None else ""
        label = f"heard at {capture.heard_at.text}{errors}"
        reads = f"reads at {settings.text}" + (f", {characters.gaps} not whole" if characters.gaps else "")
        side = max(len(label), len(reads)) + 2
        text.append(f"{label:{side}}", ink.style("dim"))
        text.append(cut(heard, width - side) + "\n", ink.style("faint"))
        text.append(f"{reads:{side}}", ink.style("dim"))
        text.append(cut(visible_text(characters.data.decode("latin-1")), width - side) + "\n", ink.style("ice"))
        bits = len(picture.frames) * 12
        self._bits_at = min(self._bits_at, max(0, bits - 12))
        colours = ("copper", "ink", "dim", "ice")
        for name, row, colour in zip(
            ("sent", "line", "seen", "read"), rows(picture, settings, width - 6, self._bits_at), colours, strict=True
        ):
            text.append(f"{name}  ", ink.style("faint"))
            text.append(row.rstrip() + "\n", ink.style(colour))
        return text
