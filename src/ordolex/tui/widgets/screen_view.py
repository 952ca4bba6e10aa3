"""The device's own screen, cell by cell; panned where the window is narrower than it."""

from __future__ import annotations

from rich.segment import Segment
from rich.style import Style
from textual.geometry import Region
from textual.strip import Strip
from textual.widget import Widget

from ordolex.core.talk.screen import DeviceScreen, Run
from ordolex.tui.theme import PALETTES, Palette

_COLOURS = {
    "black": "#3a4449", "red": "#dd7563", "green": "#86b98a", "brown": "#dcc56f", "blue": "#6f9bd1",
    "magenta": "#b98ac0", "cyan": "#9fcbd8", "white": "#d7dfe1",
    "brightblack": "#8da0a7", "brightred": "#f0978a", "brightgreen": "#a8d6ac", "brightbrown": "#f0dc92",
    "brightblue": "#97bbe6", "brightmagenta": "#d3addb", "brightcyan": "#bfe2ec", "brightwhite": "#ffffff",
}  # fmt: skip

_DARKER = {
    "black": "#22292c", "red": "#a8382a", "green": "#2f6b37", "brown": "#7a6410", "blue": "#2b5797",
    "magenta": "#7a3f86", "cyan": "#1d6478", "white": "#56646a",
    "brightblack": "#56646a", "brightred": "#c0392b", "brightgreen": "#2f7d3a", "brightbrown": "#8a6d00",
    "brightblue": "#1f5fb4", "brightmagenta": "#8e44ad", "brightcyan": "#14768f", "brightwhite": "#22292c",
}  # fmt: skip
"""The same on a light ground."""


class ScreenView(Widget):
    """Shows `screen`; call `fed` when it was fed."""

    DEFAULT_CSS = "ScreenView { height: 1fr; background: $background; }"

    def __init__(self, id: str | None = None) -> None:
        super().__init__(id=id)
        self.screen_shown: DeviceScreen | None = None
        self._pan = 0
        self._looked_at: list[Strip] = []
        self._ground: Style | None = None
        self.wrap = False
        """Lines wider than the window are broken at its edge, instead of panned."""

    @property
    def cut_off(self) -> int:
        """Columns of the screen that do not fit."""
        shown = self.screen_shown
        return max(0, shown.size[0] - self.size.width) if shown is not None and not self.wrap else 0

    def fits(self, rows: int) -> bool:
        """Whether all its lines are seen in so many rows."""
        return self.screen_shown is None or self.screen_shown.size[1] <= rows

    def pan(self, by: int) -> None:
        self._pan = max(0, min(self._pan + by, self.cut_off))
        self.refresh()

    def fed(self) -> None:
        """Draws those lines anew that are other than at the last look."""
        self._ground = self.rich_style
        lines = [self.render_line(y) for y in range(self.size.height)]
        if len(lines) != len(self._looked_at):
            self.refresh()
        else:
            changed = [y for y, (now, before) in enumerate(zip(lines, self._looked_at, strict=True)) if now != before]
            if changed:
                self.refresh(*(Region(0, y, self.size.width, 1) for y in changed))
        self._looked_at = lines

    def render_lines(self, crop: Region) -> list[Strip]:
        self._ground = self.rich_style
        return super().render_lines(crop)

    def render_line(self, y: int) -> Strip:
        width, ground, shown = self.size.width, self._ground or self.rich_style, self.screen_shown
        if shown is None or self.size.height == 0:
            return Strip.blank(width, ground)
        parts = -(-shown.size[0] // width) if self.wrap else 1  # rows that one line of the screen takes
        lines = shown.size[1] * parts
        top = 0
        cursor = shown.cursor
        if self.size.height < lines:  # the part that holds the cursor
            at = cursor[1] * parts + cursor[0] // width * self.wrap if cursor is not None else lines - 1
            top = max(0, min(at - self.size.height + 1, lines - self.size.height))
        if y + top >= lines:
            return Strip.blank(width, ground)
        line, part = divmod(y + top, parts)
        pan = part * width if self.wrap else min(self._pan, self.cut_off)
        ink = PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])
        strip = Strip([Segment(run.text, _style(run, ink)) for run in shown.line(line)])
        strip = strip.crop(pan, pan + width)
        if cursor is not None and cursor[1] == line and pan <= cursor[0] < pan + width:
            at = cursor[0] - pan
            strip = Strip.join(
                [strip.crop(0, at), strip.crop(at, at + 1).apply_style(Style(reverse=True)), strip.crop(at + 1)]
            )
        return strip.adjust_cell_length(width, ground).apply_style(ground)


def _style(run: Run, ink: Palette) -> Style:
    names = _COLOURS if ink is PALETTES["ordolex-dark"] else _DARKER
    fore, back = _colour(run.ink, ink.ice, names), _colour(run.ground, None, names)
    return Style(color=fore, bgcolor=back, bold=run.bold, underline=run.underline, reverse=run.reverse or None)


def _colour(name: str, default: str | None, names: dict[str, str]) -> str | None:
    if name in names:
        return names[name]
    if len(name) == 6 and all(digit in "0123456789abcdefABCDEF" for digit in name):
        return f"#{name}"
    return default
