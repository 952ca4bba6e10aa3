"""Questions that the program asks the technician: one line to type, a short list to pick from, yes or no."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

from textual.app import ComposeResult
from textual.await_complete import AwaitComplete
from textual.binding import Binding, BindingType
from textual.command import CommandPalette
from textual.containers import Vertical, VerticalScroll
from textual.events import Key
from textual.widgets import Input, OptionList, Static
from textual.widgets.option_list import Option

from ordolex.io.system.files import is_folder, path_of
from ordolex.tui.widgets.choosing import Chooser
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.prompt import USUAL_KEYS, Prompt
from ordolex.tui.widgets.words import Words

CSS = """
{name} {{ align: center middle; background: $background 60%; }}
{name} > Vertical {{
    width: 92; max-width: 96%; height: auto; max-height: 90%; background: $bar; padding: 1 2;
}}
{name} Static {{ height: auto; background: $bar; }}
{name} .title {{ text-style: bold; color: $foreground; }}
{name} .dim {{ color: $dim; }}
{name} .bad {{ color: $error; }}
{name} .good {{ color: $ice; }}
{name} Input, {name} Input:focus {{ margin: 1 0; border: none; height: 1; background: $background; padding: 0 1; }}
{name} OptionList, {name} OptionList:focus {{
    border: none; background: $bar; background-tint: $bar 0%; height: auto; max-height: 14; margin: 1 0; padding: 0;
}}
{name} OptionList > .option-list--option-highlighted, {name} OptionList:focus > .option-list--option-highlighted {{
    background: $background; color: $primary; text-style: bold;
}}
"""


_SHORT_LIST = 6


class Palette(CommandPalette):
    """The list of all commands; the same holds for it."""

    def dismiss(self, result: None = None) -> AwaitComplete:
        return super().dismiss(result) if self.app.screen is self else AwaitComplete()

    def _action_command_list(self, action: str) -> None:
        """A list that is not laid out yet has no pages, and the framework looks for one: such a key is for nothing."""
        with suppress(KeyError):
            super()._action_command_list(action)


class Choices(OptionList):
    """A short list; the same holds for its pages."""

    def action_page_up(self) -> None:
        with suppress(KeyError):
            super().action_page_up()  # type: ignore[no-untyped-call]

    def action_page_down(self) -> None:
        with suppress(KeyError):
            super().action_page_down()  # type: ignore[no-untyped-call]


class LinePrompt(Prompt[str | None]):
    """One line. `read` turns the text into a sentence on how it is understood, or raises ValueError with what is
    wrong; the line can be given only when it is understood. A reading that says what it `chooses`, a file or the place
    of a new one, lets it be chosen by Tab. Esc gives None."""

    keys = USUAL_KEYS
    DEFAULT_CSS = CSS.format(name="LinePrompt")
    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "give_up", "back")]

    def __init__(self, title: str, value: str, read: Callable[[str], str], hint: str, *, hidden: bool = False) -> None:
        super().__init__()
        self._title, self._value, self._read, self._hint = title, value, read, hint
        self._line = EntryLine(value, id="line")
        self._line.password = hidden
        self._shown = Words(id="reading")
        self._chooses = str(getattr(read, "chooses", ""))

    def compose(self) -> ComposeResult:
        hint = self._hint
        if self._chooses:
            hint += "\nTab chooses a file" if self._chooses == "file" else "\nTab chooses its folder"
        with Vertical():
            yield Static(self._title, classes="title", markup=False)
            yield self._line
            yield self._shown
            yield Static(hint, classes="dim", markup=False)

    def on_mount(self) -> None:
        if self._line.value != self._value:
            return  # somebody was quicker
        if self._value:
            self._reading(self._value)  # what is wrong with nothing is not said before anything is typed
        self._line.put(self._value, offered=True)  # what is typed takes its place

    def on_input_changed(self, event: Input.Changed) -> None:
        if event.value or self._shown.has_class("good") or self._shown.has_class("bad"):
            self._reading(event.value)

    def on_key(self, event: Key) -> None:
        if event.key == "tab" and self._chooses:
            event.stop()
            event.prevent_default()
            typed = path_of(self._line.value)
            start = typed.parent if is_folder(typed.parent) else Path.cwd()
            self.app.push_screen(Chooser(start.absolute(), folder=self._chooses != "file"), self._chosen)

    def _chosen(self, path: str | None) -> None:
        if path is not None:
            whole = path if self._chooses == "file" else str(Path(path) / Path(self._line.value).name)
            self._line.put(whole)

    def _reading(self, text: str) -> bool:
        try:
            reading, good = self._read(text), True
        except (ValueError, OSError) as error:
            reason = error.strerror if isinstance(error, OSError) else None
            reading, good = f"✗ {reason or error}", False
        self._shown.put(reading)
        self._shown.set_class(not good, "bad")
        self._shown.set_class(good, "good")
        return good

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if self._reading(event.value):
            self.dismiss(event.value)

    def action_give_up(self) -> None:
        self.dismiss(None)


class Pick(Prompt[str | None]):
    """A list of (answer, words). A longer one is narrowed by typing: what holds all the words that were typed stays.
    Esc takes the typing back, then gives None."""

    keys = USUAL_KEYS
    DEFAULT_CSS = CSS.format(name="Pick")
    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "give_up", "back")]

    def __init__(self, title: str, choices: list[tuple[str, str]], text: str = "") -> None:
        super().__init__()
        self._title, self._choices, self._text = title, choices, text
        self._typed = ""
        self._list = Choices(*self._options(), markup=False)
        self._foot = Words(classes="dim")

    def _options(self) -> list[Option]:
        wanted = self._typed.lower().split()
        return [
            Option(words, id=answer) for answer, words in self._choices if all(one in words.lower() for one in wanted)
        ]

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static(self._title, classes="title", markup=False)
            if self._text:
                yield Static(self._text, markup=False)
            yield self._list
            yield self._foot

    def on_mount(self) -> None:
        self._say_how()

    @property
    def _is_long(self) -> bool:
        return len(self._choices) > _SHORT_LIST

    def _say_how(self) -> None:
        how = "Enter takes it, Esc goes back"
        if self._typed:
            how = f"with {self._typed!r}: {self._list.option_count} of {len(self._choices)}. Esc shows all again"
        elif self._is_long:
            how += "; typing narrows the list"
        self._foot.put(how)

    def on_key(self, event: Key) -> None:
        typed = self._typed
        if not self._is_long:
            return
        if event.key == "backspace":
            typed = typed[:-1]
        elif event.character is not None and event.character.isprintable() and len(typed) < 40:
            typed += event.character
        if typed != self._typed:
            self._narrow(typed)
            event.stop()
            event.prevent_default()

    def _narrow(self, typed: str) -> None:
        self._typed = typed
        self._list.clear_options()
        self._list.add_options(self._options())
        if self._list.option_count:
            self._list.highlighted = 0
        self._say_how()

    def on_option_list_option_selected(self, event: OptionList.OptionSelected) -> None:
        self.dismiss(event.option.id)

    def action_give_up(self) -> None:
        if self._typed:
            self._narrow("")
        else:
            self.dismiss(None)


class Picture(Prompt[bool]):
    """Lines to look at. `x` gives True, where it can be written as a file; Esc gives False."""

    DEFAULT_CSS = (
        CSS.format(name="Picture")
        + """
    Picture > Vertical { width: 116; }
    Picture VerticalScroll { height: auto; max-height: 30; background: $bar; scrollbar-size: 1 1; overflow-x: auto; }
    Picture #lines { width: auto; }
    """
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "leave(False)", "back"),
        Binding("x", "leave(True)", "draw"),
    ]

    def __init__(self, title: str, lines: list[str], hint: str) -> None:
        super().__init__()
        self._title, self._lines, self._hint = title, lines, hint
        self._view = VerticalScroll()

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static(self._title, classes="title", markup=False)
            yield Static("")
            with self._view:
                yield Static("\n".join(self._lines), id="lines", markup=False)
            yield Static("")
            yield Static(self._hint, classes="dim", markup=False)

    def on_mount(self) -> None:
        self._view.focus()

    def action_leave(self, draw: bool) -> None:
        self.dismiss(draw)
