"""The form of a procedure: every value with who supplies it; nothing goes out while one of them is wrong."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import ClassVar

from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Static

from ordolex.core.device.form import applies, field_fault, plan_faults
from ordolex.core.device.led import same_value
from ordolex.core.sheet.procedures import PlanField, Procedure
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.tui.theme import PALETTES
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import CSS, LinePrompt, Pick
from ordolex.tui.widgets.wording import cut
from ordolex.tui.widgets.words import Words

_WIDE = 108  # columns from which labels and values have all their room


class PlanForm(Prompt[tuple[str, dict[str, str]] | None]):
    """Gives (type, rehearse or look, values), or None. `own` are this computer's addresses, `first` what was found
    before anything was changed, `there` what was read last; either may be empty."""

    DEFAULT_CSS = CSS.format(name="PlanForm") + "PlanForm > Vertical { width: 108; }"
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "move(-1)", "up"),
        Binding("down", "move(1)", "down"),
        Binding("enter", "edit", "edit"),
        Binding("t", "go('type')", "type"),
        Binding("h", "go('rehearse')", "rehearse"),
        Binding("r", "go('look')", "read"),
        Binding("u", "undo", "as found"),
        Binding("escape", "leave", "back"),
    ]

    def __init__(
        self, procedure: Procedure, values: dict[str, str], own: list[str], there: Mapping[str, str],
        first: Callable[[Mapping[str, str]], Mapping[str, str]], *, can_rehearse: bool,
    ) -> None:  # fmt: skip
        super().__init__()
        self._procedure, self._own, self._can_rehearse = procedure, own, can_rehearse
        self._there, self._first = there, first
        self._values = {f.name: values.get(f.name, f.default) for f in procedure.field}
        self._at = 0
        self._form = Words(id="form")

    def compose(self) -> ComposeResult:
        with Vertical():
            title = f"Procedure {self._procedure.name}: {self._procedure.means}"
            yield Static(visible_text(title), classes="title", markup=False)
            yield self._form
            rehearse = ", h rehearses it on a stand-in" if self._can_rehearse else ""
            yield Static(f"Enter changes a value, t types all of it into the device{rehearse}", classes="dim")
            look = "r reads what is there and changes nothing, u takes the values as found, " if self._looks else ""
            yield Static(f"{look}Esc goes back", classes="dim")

    def on_mount(self) -> None:
        self._show()

    def on_resize(self) -> None:
        self._show()

    @property
    def _looks(self) -> bool:
        return bool(self._procedure.before)

    @property
    def _used(self) -> list[PlanField]:
        return [field for field in self._procedure.field if applies(field.only_if, self._values)]

    def _show(self) -> None:
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        faults = plan_faults(self._procedure, self._values, self._own)
        label, value_room = (19, 31) if self.size.width >= _WIDE else (13, 18)
        room = min(104, self.size.width * 96 // 100 - 4) - label - value_room - 4
        text = Text("\n")
        for number, field in enumerate(self._used):
            here, fault, value = number == self._at, faults.get(field.name, ""), self._values.get(field.name, "")
            text.append("▌ " if here else "  ", ink.style("copper"))
            text.append("✗ " if fault else "✓ ", ink.style("brick" if fault else "moss"))
            text.append(f"{cut(visible_text(field.label), label - 1):{label}}", ink.style("ink", bold=here))
            text.append(f"{cut(visible_text(value), value_room - 1):{value_room}}", ink.style("copper"))
            words = fault or self._source(field, value)
            text.append(cut(visible_text(words), room) + "\n", ink.style("brick" if fault else "dim"))
        count = len(faults)
        words = f"{counted(count, 'value')} must be put right first" if count else "all values fit together"
        words += "; r reads what is there" if self._looks and not self._there else ""
        text.append(f"\n  {words}\n", ink.style("brick" if count else "moss"))
        self._form.put(text)

    def _source(self, field: PlanField, value: str) -> str:
        there = self._there.get(field.name)
        if there is not None:
            return "as it is there" if same_value(field, there, value) else f"there now: {there}"
        default = "as proposed" if value and value == field.default else ""
        owner = f"{field.owner} supplies it" if field.owner else ""
        return ", ".join(part for part in (owner, default) if part)

    def action_move(self, by: int) -> None:
        self._at = max(0, min(self._at + by, len(self._used) - 1))
        self._show()

    @work
    async def action_edit(self) -> None:
        if not self._used:
            return
        field = self._used[self._at]
        if field.kind == "choice":
            choices = [(choice, choice) for choice in field.choices]
            typed = await self.app.push_screen_wait(Pick(field.label, choices))
        else:

            def reading(text: str) -> str:
                fault = field_fault(field, text)
                if fault:
                    raise ValueError(fault)
                return "can be"

            hint = f"{field.owner} supplies it" if field.owner else "Enter takes it"
            typed = await self.app.push_screen_wait(LinePrompt(field.label, self._values[field.name], reading, hint))
        if typed is not None and field.which and typed.strip() != self._values[field.name]:
            others = {f.name: f.default for f in self._procedure.field if not f.which}
            self._values |= others  # what was typed for one channel is not typed into another
            self._there = {}
        if typed is not None:
            self._values[field.name] = typed.strip()
            self._at = min(self._at + 1, len(self._used) - 1)
        self._show()

    def action_undo(self) -> None:
        """The values as they were before anything was changed; t types them."""
        self._values |= self._first(self._values)
        self._show()

    def action_go(self, how: str) -> None:
        if how == "look" and self._looks:
            which = [field for field in self._procedure.field if field.which]
            if not any(field_fault(field, self._values[field.name]) for field in which):
                self.dismiss((how, dict(self._values)))
            return
        can_be = how == "type" or (how == "rehearse" and self._can_rehearse)
        if can_be and not plan_faults(self._procedure, self._values, self._own):
            used = {field.name for field in self._used}
            self.dismiss((how, {name: value for name, value in self._values.items() if name in used}))

    def action_leave(self) -> None:
        """What was typed is kept for the next time."""
        self.dismiss(("leave", dict(self._values)))
