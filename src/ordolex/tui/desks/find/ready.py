"""The readiness list of a device's sheet: what must be so before the hunt starts, ticked off; the boot counted down."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Static

from ordolex.core.sheet import Sheet, checklist, jumper_drawing
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import mono_s
from ordolex.tui.theme import PALETTES
from ordolex.tui.widgets.prompt import Prompt
from ordolex.tui.widgets.prompts import CSS
from ordolex.tui.widgets.words import Words


class ReadyList(Prompt[list[str]]):
    """Gives the steps that were ticked. What must be put back at the end stands in the sheet; see `to_restore`."""

    DEFAULT_CSS = CSS.format(name="ReadyList")
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "move(-1)", "up"),
        Binding("down", "move(1)", "down"),
        Binding("space,enter", "tick", "tick"),
        Binding("c", "count", "count down"),
        Binding("escape", "leave", "back"),
    ]

    def __init__(self, sheet: Sheet) -> None:
        super().__init__()
        self._sheet = sheet
        self._steps = checklist(sheet)
        self._ticked: set[int] = set()
        self._at = 0
        self._booted_s: float | None = None
        self._drawn = Words(id="steps")

    def compose(self) -> ComposeResult:
        with Vertical():
            yield Static(f"Ready? {visible_text(self._sheet.device)}", classes="title", markup=False)
            yield self._drawn
            yield Static("Space ticks, c counts the boot down, Esc goes back", classes="dim")

    def on_mount(self) -> None:
        self.set_interval(0.2, self._show)
        self._show()

    def _show(self) -> None:
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        text = Text("\n")
        for number, step in enumerate(self._steps):
            here, done = number == self._at, number in self._ticked
            text.append("▌ " if here else "  ", ink.style("copper"))
            text.append("☑ " if done else "☐ ", ink.style("moss" if done else "ink"))
            text.append(f"{visible_text(step)}\n", ink.style("dim" if done else "ink", bold=here))
        for jumper in self._sheet.ready.jumper if self._sheet.ready is not None else ():
            drawn = jumper_drawing(jumper)
            if drawn:
                text.append(f"\n  {visible_text(jumper.what)}\n", ink.style("dim"))
            for row in drawn:
                text.append(f"  {visible_text(row)}\n", ink.style("straw" if row.startswith("for") else "ink"))
        if not self._steps:
            text.append("  This sheet has no readiness list.\n", ink.style("dim"))
        if self._booted_s is not None:
            left = self._booted_s - mono_s()
            words = f"booting, {left:.0f} s left" if left > 0 else "it should be up now"
            text.append(f"\n  {words}\n", ink.style("straw" if left > 0 else "moss"))
        self._drawn.put(text)

    def action_move(self, by: int) -> None:
        self._at = max(0, min(self._at + by, len(self._steps) - 1))
        self._show()

    def action_tick(self) -> None:
        if self._steps:
            self._ticked ^= {self._at}
            self.action_move(1)

    def action_count(self) -> None:
        boot_s = self._sheet.ready.boot_s if self._sheet.ready is not None else 0.0
        self._booted_s = mono_s() + boot_s
        self._show()

    def action_leave(self) -> None:
        self.dismiss([self._steps[number] for number in sorted(self._ticked)])
