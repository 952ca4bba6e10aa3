"""Why is it as it is? The causes for what a link shows, weighed before the technician's eyes."""

from __future__ import annotations

from textwrap import wrap
from typing import ClassVar

from textual import work
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import OptionList, Static
from textual.widgets.option_list import Option

from ordolex.core.advice.by_hand import HAND_TESTS
from ordolex.core.advice.causes import Cause, causes
from ordolex.core.advice.next_step import odd_when_clear
from ordolex.core.link.ladder import Rung
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.chance import chance
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.session.session import Session
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import CSS, Pick
from ordolex.tui.widgets.wording import cut
from ordolex.tui.widgets.words import Words

_BAR = 12


class Why(Prompt[None]):
    """A list of causes with their shares; beneath it what speaks for and against the marked one, and its test. An
    outcome that is told changes the order at once."""

    DEFAULT_CSS = (
        CSS.format(name="Why")
        + """
    Why > Vertical { width: 112; }
    Why OptionList, Why OptionList:focus { max-height: 35vh; }
    Why #about { min-height: 6; }
    """
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "leave", "back"),
        Binding("delete", "forget", "forget what was told"),
    ]

    def __init__(self, session: Session, link: LinkRecord) -> None:
        super().__init__()
        self._session, self._link = session, link
        self._found: list[Cause] = []
        self._head = Words(classes="dim")
        self._list = OptionList(markup=False)
        self._about = Words(id="about")

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static(f"Why is it so?  {visible_text(self._link.name)}", classes="title", markup=False)
            yield self._head
            yield self._list
            yield self._about
            yield Static("Enter: how the test came out. Delete: forget what was told. Esc: back", classes="dim")

    def on_mount(self) -> None:
        self._weigh()
        self._list.focus()

    def _weigh(self, marked: str = "") -> None:
        view = self._session.view(self._link)
        evidence = view.evidence
        told = self._session.told_of(self._link)
        # a link that reads clear has nothing wrong but what shows on a clear one
        self._found = odd_when_clear(evidence, told) if evidence.rung >= Rung.CLEAR else causes(evidence.signs, told)
        self._list.clear_options()
        width = min(108, self.app.size.width - 8)
        self._list.add_options([Option(cut(_row(cause), width), id=cause.name) for cause in self._found])
        if evidence.rung < Rung.HELD:
            head = "The port is not open: nothing can be weighed. Esc, then Enter in Find (F2) opens it."
            self._found = []
            self._list.clear_options()
        elif evidence.rung is Rung.PROVEN:
            head = "The link is proven. What still looks odd:" if self._found else "The link is proven, nothing is odd."
        elif not evidence.heard and not evidence.asked:
            head = "Nothing was heard, and nothing asked. By how usual each is, and by what you tell:"
        elif not evidence.heard:
            head = f"Nothing was heard; {evidence.unanswered} of {counted(evidence.asked, 'question')} brought nothing:"
        elif evidence.rung is Rung.CLEAR:
            head = "It reads clear. What still looks odd:" if self._found else "It reads clear, nothing is odd."
        elif self._found:
            head = f"By the last {counted(len(evidence.signs.data), 'byte')}, at {evidence.settings}:"
        else:
            head = f"Nothing in the last {counted(len(evidence.signs.data), 'byte')} speaks for anything wrong."
        self._head.put(head)
        if self._found:
            names = [cause.name for cause in self._found]
            self._list.highlighted = names.index(marked) if marked in names else 0
        self._show_about()

    def on_resize(self) -> None:
        self._show_about()

    def on_option_list_option_highlighted(self, event: OptionList.OptionHighlighted) -> None:
        self._show_about()

    def _show_about(self) -> None:
        at = self._list.highlighted
        if at is None or at >= len(self._found):
            self._about.put("")
            return
        cause = self._found[at]
        width = max(30, self._list.size.width or 100) - 2
        lines: list[str] = []
        for head, texts in (("for", cause.speaks_for), ("against", cause.against), ("test", (cause.test,))):
            text = visible_text("; ".join(texts)) or "nothing seen so far"
            lines += wrap(text, width, initial_indent=f"{head:9}", subsequent_indent=" " * 9)
        self._about.put("\n".join(lines))

    @work
    async def on_option_list_option_selected(self, event: OptionList.OptionSelected) -> None:
        cause = next((one for one in self._found if one.name == event.option.id), None)
        if cause is None:
            return
        test = HAND_TESTS[cause.by_hand]
        choices = [(str(number), outcome.words) for number, outcome in enumerate(test.outcomes)]
        chosen = await self.app.push_screen_wait(Pick(f"{test.words}. How did it come out?", choices))
        if chosen is None:
            return
        self._session.told.came_out(self._link.id, test.name, int(chosen))
        self._session.note(f"test by hand, {test.short}: {test.outcomes[int(chosen)].words}", self._link)
        self._weigh(cause.name)

    def action_forget(self) -> None:
        self._session.told.forget(self._link.id)
        self._weigh()

    def action_leave(self) -> None:
        self.dismiss(None)


def _row(cause: Cause) -> str:
    filled = round(cause.share * _BAR)
    bar = "█" * filled + "·" * (_BAR - filled)
    return f"{bar} {chance(cause.share):>10}  {cause.words}"
