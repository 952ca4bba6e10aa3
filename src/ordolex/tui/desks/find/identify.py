"""Identify by unplugging: pull the adapter, plug it in again, and it can be given a name."""

from __future__ import annotations

from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Input, Static

from ordolex.core.port.came_and_left import UnplugWatch
from ordolex.core.text.visible import visible_text
from ordolex.session.session import Session
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import CSS
from ordolex.tui.widgets.words import Words


class Identify(Prompt[tuple[str, str] | None]):
    """Gives the identity of the adapter that was pulled and its new name; None where it was given up."""

    DEFAULT_CSS = CSS.format(name="Identify")
    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "give_up", "back")]

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._watch = UnplugWatch()
        self._seen = -1
        self._step = Words(id="step")
        self._line = EntryLine(id="line")
        self._line.display = False
        self._hint = Words("Esc goes back", classes="dim", id="hint")

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static("Which adapter is it?", classes="title")
            yield self._step
            yield self._line
            yield self._hint

    def on_mount(self) -> None:
        self.set_interval(0.1, self._turn)
        self._turn()

    def _turn(self) -> None:
        session, watch = self._session, self._watch
        if session.ports.surveys == self._seen or watch.found:
            return
        self._seen = session.ports.surveys
        watch.surveyed(port.identity for port in session.ports.all if port.identity and port.state != "gone")
        words = watch.step
        if watch.pulled:
            words = f"{visible_text(session.ports.name_of(watch.pulled))} left. {words}"
        if watch.found:
            port = next(p for p in session.ports.all if p.identity == watch.found)
            words = f"{words} {visible_text(port.name)} came back at {visible_text(port.endpoint)}."
            self._line.display = True
            self._line.put(session.ports.name_of(watch.found))
            self._line.focus()
            self._hint.put("A name for it, such as: left adapter, blue tape. Enter keeps it")
        self._step.put(words)

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if self._watch.found and event.value.strip():
            self.dismiss((self._watch.found, event.value.strip()))

    def action_give_up(self) -> None:
        self.dismiss(None)
