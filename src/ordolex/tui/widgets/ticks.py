"""A list in which things are ticked, some of them or none, up to a number."""

from __future__ import annotations

from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import OptionList, Static
from textual.widgets.option_list import Option

from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import CSS, Choices
from ordolex.tui.widgets.words import Words


class _Boxes(Choices):
    """Its keys are the list's own: they come in the order in which they were pressed."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("space", "screen.tick", "ticks"),
        Binding("enter", "screen.take", "takes them"),
    ]


class Ticks(Prompt[list[str] | None]):
    """`choices` are (answer, words), `ticked` the answers that are ticked at first, `most` how many may be. Gives those
    that are ticked in the order of the list; Esc gives None."""

    DEFAULT_CSS = CSS.format(name="Ticks")
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "give_up", "back"),
    ]

    def __init__(self, title: str, choices: list[tuple[str, str]], ticked: list[str], most: int) -> None:
        super().__init__()
        self._title, self._choices, self._most = title, choices, most
        self._ticked = {answer for answer, _ in choices if answer in ticked}
        self._list = _Boxes(*(Option(self._words(answer), id=answer) for answer, _ in choices), markup=False)
        self._foot = Words(classes="dim")

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static(self._title, classes="title", markup=False)
            yield self._list
            yield self._foot

    def on_mount(self) -> None:
        self._list.focus()
        self._list.highlighted = 0
        self._say_how()

    def _words(self, answer: str) -> str:
        return f"{'✓' if answer in self._ticked else '·'} {dict(self._choices)[answer]}"

    def _say_how(self) -> None:
        count, over = len(self._ticked), len(self._ticked) > self._most
        most = f", {self._most} at the most" if self._most < len(self._choices) else ""
        how = f"{count} of {len(self._choices)} ticked{most}. Space ticks, Enter takes them, Esc goes back"
        self._foot.put(how if not over else f"✗ {count} are ticked, {self._most} at the most: Space takes one away")
        self._foot.set_class(over, "bad")

    def action_tick(self) -> None:
        if self._list.highlighted is None:
            return
        answer = self._choices[self._list.highlighted][0]
        self._ticked ^= {answer}
        self._list.replace_option_prompt(answer, self._words(answer))
        self._say_how()

    def on_option_list_option_selected(self, event: OptionList.OptionSelected) -> None:
        """By the mouse."""
        self.action_tick()

    def action_take(self) -> None:
        if len(self._ticked) <= self._most:
            self.dismiss([answer for answer, _ in self._choices if answer in self._ticked])

    def action_give_up(self) -> None:
        self.dismiss(None)
