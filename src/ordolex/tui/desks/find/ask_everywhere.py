"""Ask everywhere: one question on all free ports at once. Rows come as ports answer; Esc stops."""

from __future__ import annotations

from concurrent.futures import Future
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical, VerticalScroll

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.question import Question
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.link.everywhere import Try, longest_s, words
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.clock import mono_s
from ordolex.session.session import Session
from ordolex.tui.theme import BAD, GOOD, NOTE, PALETTES, UNSURE
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.wording import cut
from ordolex.tui.widgets.words import Words


class AskEverywhere(Prompt[str | None]):
    """Gives the endpoint of the one that answered, if it is exactly one and Enter was pressed."""

    DEFAULT_CSS = """
    AskEverywhere { align: center middle; background: $background 60%; }
    AskEverywhere > Vertical { width: 110; max-width: 96%; height: 80%; background: $bar; padding: 1 2; }
    AskEverywhere Static { height: auto; background: $bar; }
    AskEverywhere VerticalScroll { background: $bar; margin: 1 0; scrollbar-size: 1 1; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "stop", "stop"), Binding("enter", "take", "take")]

    def __init__(
        self, session: Session, ports: list[PortFacts], line: LineSettings, question: Question, units: list[str]
    ) -> None:
        super().__init__()
        self._units = units
        self._session, self._ports, self._line, self._question = session, ports, line, question
        self._tries: list[Try] = []
        self._arrived: list[Try] = []
        self._work: Future[list[Try]] | None = None
        self._began = mono_s()
        self._stopped = False
        self._head, self._rows, self._foot = (Words(id=f"ask-{part}") for part in ("head", "rows", "foot"))

    def compose(self) -> ComposeResult:
        with Vertical():
            yield self._head
            with VerticalScroll():
                yield self._rows
            yield self._foot

    def on_mount(self) -> None:
        self._work = self._session.ask_everywhere(
            self._ports, self._line, self._question, self._arrived.append, self._units
        )
        self.set_interval(0.05, self._turn)
        self._turn()

    @property
    def over(self) -> bool:
        return self._work is None or self._work.done()

    def _turn(self) -> None:
        new = self._arrived[: len(self._arrived)]
        del self._arrived[: len(new)]
        self._tries += new
        for done in new:
            self._session.ports.was_asked(
                done.port.endpoint, self._question.text, self._line.text, _said(done), answered=done.answered,
                skipped=done.why if done.answer is None else "",
            )  # fmt: skip
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        asked = visible_text(self._question.text)
        wait = f"{self._question.timeout_s * 1000:.0f} ms"
        head = Text(f"Asking {asked} at {self._line.text}, {wait} for each answer\n", ink.style("ink", bold=True))
        left = max(0.0, longest_s(self._ports, self._line, self._question, self._units) - (mono_s() - self._began))
        state = "stopped" if self._stopped else "done" if self.over else f"at most {left:.1f} s left"
        ports = len({done.port.endpoint for done in self._tries})
        units = f", {counted(len(self._units), 'unit')} on each" if self._units else ""
        head.append(f"{ports} of {counted(len(self._ports), 'port')}{units}, {state}", ink.style("dim"))
        self._head.put(head)
        rows = Text(no_wrap=True)
        for done in sorted(self._tries, key=lambda t: (not t.answered, not t.heard)):
            glyph, colour = (GOOD, "moss") if done.answered else (UNSURE, "straw") if done.heard else (NOTE, "dim")
            glyph, colour = (BAD, "brick") if done.answer is None else (glyph, colour)
            name = cut(visible_text(done.port.name), 26 - (len(done.unit) + 6 if done.unit else 0))
            name += f" unit {done.unit}" if done.unit else ""
            rows.append(f"{glyph} {name:<27}", ink.style(colour))
            rows.append(f"{visible_text(words(done))}\n", ink.style("ice" if done.heard else "dim"))
        self._rows.put(rows)
        self._foot.put(Text(self._next(), ink.style("straw")))

    def _next(self) -> str:
        if not self.over:
            return "Esc stops"
        answered = list({done.port.endpoint: done for done in self._tries if done.answered}.values())
        if len(answered) == 1:
            name = visible_text(answered[0].port.name)
            return f"Next  Enter opens {name}, Esc goes back. All tries are kept in the book"
        if answered:
            return f"Next  {len(answered)} answered: Esc goes back to choose one. All tries are kept in the book"
        heard = any(done.heard for done in self._tries)
        hint = "something spoke at other settings: try another rate" if heard else "try another rate or line end"
        return f"None answered; {hint}. Esc goes back. All tries are kept in the book"

    def action_stop(self) -> None:
        if self.over:
            self.dismiss(None)
        elif self._work is not None:
            self._stopped = True
            self._work.cancel()

    def action_take(self) -> None:
        answered = list({done.port.endpoint: done for done in self._tries if done.answered}.values())
        if self.over and len(answered) == 1:
            self.dismiss(answered[0].port.endpoint)


def _said(done: Try) -> str:
    """What is remembered of a port; empty where nothing was heard."""
    return f"{f'unit {done.unit}: ' if done.unit else ''}{words(done)}" if done.heard else ""
