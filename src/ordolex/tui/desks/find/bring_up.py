"""Find: a device is brought up, stage by stage, before the technician's eyes; each with its evidence, what was tried
stays, and where it stops stand the causes and the next test."""

from __future__ import annotations

from textwrap import wrap
from typing import ClassVar

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import OptionList, Static
from textual.widgets.option_list import Option

from ordolex.core.text.chance import chance
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.bring_up import STAGE, STAGES, Standing
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.session.bringing import stands
from ordolex.session.bringing.state import Bringing
from ordolex.tui.desks.find.at import FindAt
from ordolex.tui.desks.find.bring_up_stages import DOES, AskedHere, offer_bundle
from ordolex.tui.theme import BAD, GOOD, NOTE, PALETTES, UNSURE
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import CSS, LinePrompt
from ordolex.tui.widgets.wording import cut
from ordolex.tui.widgets.words import Words

_GLYPHS = {
    Standing.OPEN: (" ", "dim"), Standing.GOOD: (GOOD, "moss"), Standing.SAID: (NOTE, "ink"),
    Standing.UNSURE: (UNSURE, "straw"), Standing.BAD: (BAD, "brick"), Standing.SKIPPED: ("-", "dim"),
}  # fmt: skip
_KEYS = "Enter goes on   s skip   h by hand   Backspace back to it   b bundle   Esc leave"


async def bring_up(at: FindAt) -> None:
    """From a device on the table to a proven link, on the port under the cursor or another."""
    left = await at.ask(BringUp(at))
    if left == "Talk":
        at.go_to("Talk")
    at.show()


class BringUp(Prompt[str | None]):
    """Gives the desk to go to."""

    DEFAULT_CSS = (
        CSS.format(name="BringUp")
        + """
    BringUp > Vertical { width: 120; }
    BringUp OptionList, BringUp OptionList:focus { max-height: 12; margin: 1 0 0 0; }
    BringUp #bring-about { min-height: 6; max-height: 12; padding-top: 1; }
    """
    )
    keys = _KEYS
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("s", "skip", "skip"),
        Binding("h", "by_hand", "by hand"),
        Binding("backspace", "back", "back to it"),
        Binding("b", "bundle", "bundle"),
        Binding("escape", "leave", "leave"),
    ]

    def __init__(self, at: FindAt) -> None:
        super().__init__()
        session = at.session
        chosen = session.links.at(at.port.endpoint) if at.port is not None else None
        self._bringing = Bringing(session, chosen)
        self._asked = AskedHere(self, self._bringing, at.port, at.say)
        self._list = OptionList(*(Option("", id=stage.name) for stage in STAGES), markup=False)
        self._head = Words(id="bring-head")
        self._about = Words(id="bring-about")
        self._began_s = 0.0
        self._busy = False
        self._offered = False

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static("Bring a device up, from the table to a proven link", classes="title")
            yield self._head
            yield self._list
            yield self._about

    def on_mount(self) -> None:
        self._draw()
        self._list.highlighted = 0
        self._list.focus()
        self.set_interval(0.2, self._show_head)

    # ---- what is seen

    @property
    def _marked(self) -> str:
        at = self._list.highlighted
        return STAGES[at if at is not None else 0].name

    @property
    def _row_width(self) -> int:
        return min(114, self.app.size.width - 10)

    def _draw(self) -> None:
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        width, steps = self._row_width, self._bringing.steps
        for number, stage in enumerate(STAGES):
            standing = steps.standing(stage.name)
            glyph, colour = _GLYPHS[standing]
            row = Text(no_wrap=True)
            row.append(f"{glyph} ", ink.style(colour, bold=True))
            row.append(f"{stage.title:19}", ink.style("ink" if standing is not Standing.OPEN else "dim"))
            words = cut(visible_text(steps.words(stage.name)), width - 22)
            row.append(words, ink.style("dim" if standing in (Standing.OPEN, Standing.SKIPPED) else "ink"))
            self._list.replace_option_prompt_at_index(number, row)
        self._show_head()
        self._show_about()

    def _show_head(self) -> None:
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        if self._busy:
            gone = mono_s() - self._began_s
            doing = self._bringing.now or f"{STAGE[self._marked].title.lower()} …"
            self._head.put(Text(cut(f"{visible_text(doing)}   {gone:.0f} s, Esc stops", 110), ink.style("copper")))
            return
        steps = self._bringing.steps
        good = steps.proven
        colour = "moss" if good else "brick" if steps.stopped_at is not None else "dim"
        verdict = steps.verdict if steps.tried else "Enter begins; nothing is changed in the device"
        self._head.put(Text(cut(visible_text(verdict), 110), ink.style(colour)))

    def _show_about(self) -> None:
        """The marked stage in full; where it failed, what is likely and the test that tells."""
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        steps, width = self._bringing.steps, max(40, min(110, self.app.size.width - 14))
        marked = self._marked
        text = Text("\n".join(wrap(self._next(), width)), ink.style("straw"))
        words = visible_text(steps.words(marked))
        if len(words) > self._row_width - 22:  # else its row has all of it
            text.append("\n" + "\n".join(wrap(words, width)[:4]), ink.style("ink"))
        if steps.standing(marked) is Standing.BAD or (steps.stopped_at is not None and self._is_over):
            rung, causes = stands.stands(self._bringing)
            text.append(f"\nIt stands at {rung.word}. What is likely, and the test that tells:", ink.style("straw"))
            for cause in causes[:2]:
                line = f"{chance(cause.share)}: {cause.words}. {cause.test}"
                text.append("\n" + "\n".join(wrap(visible_text(line), width)[:2]), ink.style("ink"))
        self._about.put(text)

    @property
    def _is_over(self) -> bool:
        return self._bringing.steps.next is None

    def _next(self) -> str:
        steps, marked = self._bringing.steps, self._marked
        if self._is_over and steps.proven:
            return "Next  Enter goes to Talk with this link"
        if steps.standing(marked) is Standing.BAD:
            return "Next  Enter tries it again, s goes past it; with the cursor on an earlier one Enter begins there"
        return f"Next  Enter goes on with {STAGE[marked].title.lower()}"

    def on_option_list_option_highlighted(self, event: OptionList.OptionHighlighted) -> None:
        self._show_about()

    # ---- what is done

    def on_option_list_option_selected(self, event: OptionList.OptionSelected) -> None:
        if self._busy:
            return
        if self._is_over and self._bringing.steps.proven:
            self.dismiss("Talk")
        else:
            self._go_on(self._marked)

    @work(exclusive=True)
    async def _go_on(self, stage: str) -> None:
        """From this stage on, until one fails or is left, or all are behind."""
        self._bringing.steps.back_to(stage)
        names = [one.name for one in STAGES]
        for name in names[names.index(stage) :]:
            self._mark(name)
            try:
                if not await self._do(name):
                    break
            except Fault as fault:
                self._bringing.took(name, Standing.BAD, str(fault))
            self._draw()
            if self._bringing.steps.standing(name) is Standing.BAD:
                break
        following = self._bringing.steps.next
        if following is not None:
            self._mark(following.name)
        self._draw()

    async def _do(self, name: str) -> bool:
        """Whether it came to an outcome; not where its question was left."""
        self._began_s = mono_s()
        try:
            return await DOES[name](self._asked)
        finally:
            self._busy = False

    def busy(self, *, on: bool = True) -> None:
        """The questions are over, and now it is done; or one is asked again."""
        self._began_s, self._busy = mono_s(), on
        self._show_head()

    def _mark(self, stage: str) -> None:
        self._list.highlighted = [one.name for one in STAGES].index(stage)

    def action_skip(self) -> None:
        if not self._busy:
            self._bringing.skip(self._marked)
            self._mark_next()

    def _mark_next(self) -> None:
        following = self._bringing.steps.next
        if following is not None:
            self._mark(following.name)
        self._draw()

    @work(exclusive=True)
    async def action_by_hand(self) -> None:
        """What was done without this, in words; it is kept as said, not as seen."""
        if self._busy:
            return
        title = f"{STAGE[self._marked].title}: what was done, and what did it show?"
        hint = "kept as what somebody says; Esc goes back"
        said = await self.app.push_screen_wait(LinePrompt(title, "", _something, hint))
        if said is not None:
            self._bringing.told(self._marked, said.strip())
            self._mark_next()

    def action_back(self) -> None:
        if not self._busy:
            self._bringing.steps.back_to(self._marked)
            self._draw()

    @work(exclusive=True)
    async def action_bundle(self) -> None:
        if not self._busy:
            self._offered = True
            await offer_bundle(self._asked)

    def action_leave(self) -> None:
        if self._busy:
            self._bringing.stop()
        else:
            self._leave()

    @work(exclusive=True)
    async def _leave(self) -> None:
        """What is left without a proof is offered once to whoever is asked next."""
        steps = self._bringing.steps
        if self._bringing.link is not None and steps.tried and not steps.proven and not self._offered:
            self._offered = True
            await offer_bundle(self._asked)
        self.dismiss(None)


def _something(text: str) -> str:
    if not text.strip():
        raise ValueError("say what was done, and what it showed")
    return "kept in the book"
