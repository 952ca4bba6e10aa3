"""Rows of a conversation or of the record: only those on the screen are drawn, however many there are.

It follows the newest row until the technician scrolls back, and again when he is back at the end.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Generic, TypeVar

from rich.segment import Segment
from rich.style import Style
from textual.geometry import Region, Size
from textual.scroll_view import ScrollView
from textual.strip import Strip
from textual.widget import Widget

T = TypeVar("T")
Draw = Callable[[T, int], list[Segment]]


class RowView(ScrollView, Generic[T], can_focus=True):
    """`rows` is owned by somebody else; call `rows_changed` when it grew, with the number added and the number that
    fell off its beginning."""

    DEFAULT_CSS = """
    RowView { background: $background; scrollbar-size: 1 1; overflow-x: hidden; overflow-y: scroll; height: 1fr; }
    """

    def __init__(self, draw: Draw[T], empty: str = "", *, with_cursor: bool = False, id: str | None = None) -> None:
        super().__init__(id=id)
        self._draw_row = draw
        self._empty = empty
        self._with_cursor = with_cursor
        self._rows: Sequence[T] = ()
        self.following = True
        self.cursor = 0
        self._length = 0
        self._ground: Style | None = None
        self._drawn: dict[int, list[Segment]] = {}
        """The lines on the screen, as they were drawn last."""

    def show_rows(self, rows: Sequence[T]) -> None:
        """Another list of rows, from its end."""
        self._rows = rows
        self.following = True
        self.cursor = max(0, len(rows) - 1)
        self.rows_changed()

    def show_rows_here(self, rows: Sequence[T]) -> None:
        """Rows that came to be more or fewer; the cursor stays where it is."""
        self._rows = rows
        self.following = False
        self.cursor = max(0, min(self.cursor, len(rows) - 1))
        self._take_length()
        self.refresh()

    def renew(self, rows: Sequence[T]) -> None:
        """The same rows with other contents; the cursor stays."""
        self._rows = rows
        self.look_again()

    def look_again(self) -> None:
        """Draws anew the lines that have become others: to draw all of them costs a screen that stands still most of
        what it costs at all."""
        top, width = round(self.scroll_y), self.size.width
        for y in range(min(self.size.height, len(self._rows) - top)):
            if self._draw_row(self._rows[top + y], width) != self._drawn.get(y):
                self.refresh(Region(0, y, width, 1))

    @property
    def empty_text(self) -> str:
        return self._empty

    @empty_text.setter
    def empty_text(self, text: str) -> None:
        self._empty = text
        self.refresh()

    def rows_changed(self, fell_off: int = 0) -> None:
        self._take_length()
        if self.following:
            self.cursor = max(0, len(self._rows) - 1)
            self.scroll_to(y=self.max_scroll_y, animate=False, immediate=True)
        elif fell_off:
            self.cursor = max(0, self.cursor - fell_off)
            self.scroll_to(y=max(0, self.scroll_y - fell_off), animate=False, immediate=True)
            self.following = not self._with_cursor and self.scroll_y >= self.max_scroll_y - 0.5
        self.refresh()

    def rows_added(self, fell_off: int = 0) -> None:
        """As `rows_changed`, where rows only came at the end and went at the beginning: what stays where it is is not
        drawn again."""
        before, top = self._length, round(self.scroll_y)
        if fell_off or self._with_cursor or before == 0 or before > len(self._rows):
            self.rows_changed(fell_off)
            return
        self._take_length()
        if self.following and self.max_scroll_y != top:
            self.scroll_to(y=self.max_scroll_y, animate=False, immediate=True)  # it draws all lines
        elif before - 1 - top < self.size.height:  # the last one may have grown
            self.refresh(Region(0, max(0, before - 1 - top), self.size.width, len(self._rows) - before + 1))

    def _take_length(self) -> None:
        """The scroll bar's share, without laying the whole screen out anew: this view keeps its size, and its bar."""
        self._length = len(self._rows)
        size = Size(self.size.width, self._length)
        if size != self.virtual_size:
            self.set_reactive(Widget.virtual_size, size)
            self._scroll_update(size)

    def on_resize(self) -> None:
        self.rows_changed()

    def watch_scroll_y(self, old: float, new: float) -> None:
        super().watch_scroll_y(old, new)
        if not self._with_cursor:
            self.following = new >= self.max_scroll_y - 0.5

    def page(self, pages: int) -> None:
        self.scroll_relative(y=pages * max(1, self.size.height - 1), animate=False, immediate=True)

    def steps_by(self, key: str) -> int | None:
        """How far a key moves the cursor; None for a key that does not, or where the view has not the keys."""
        page = max(1, self.size.height - 1)
        steps = {"up": -1, "down": 1, "pageup": -page, "pagedown": page, "home": -(10**9), "end": 10**9}
        return steps.get(key) if self.has_focus else None

    def go_to(self, row: int) -> None:
        """Puts the cursor there and brings it into sight."""
        self.cursor = max(0, min(row, len(self._rows) - 1))
        self.following = self.cursor >= len(self._rows) - 1
        top, height = round(self.scroll_y), self.size.height
        if self.cursor < top:
            self.scroll_to(y=self.cursor, animate=False, immediate=True)
        elif self.cursor >= top + height:
            self.scroll_to(y=self.cursor - height + 1, animate=False, immediate=True)
        self.refresh()

    def show_at(self, row: int) -> None:
        """Stops following, with this row at the top; for a view without a cursor it is remembered there."""
        self.following = False
        self.cursor = row
        self.scroll_to(y=row, animate=False, immediate=True)
        self.refresh()

    def render_lines(self, crop: Region) -> list[Strip]:
        self._ground = self.rich_style  # it is worked out from all that stands behind the view: once, not for each line
        return super().render_lines(crop)

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        ground = self._ground or self.rich_style
        row = y + round(self.scroll_y)
        if not self._rows:
            return Strip(_words(self._empty, y, width, ground)).adjust_cell_length(width, ground)
        if row >= len(self._rows):
            return Strip.blank(width, ground)
        segments = self._drawn[y] = self._draw_row(self._rows[row], width)
        if self._with_cursor and row == self.cursor:
            here = self.app.current_theme.panel if self.has_focus else self.app.current_theme.surface
            ground = ground + Style(bgcolor=here)
        return Strip(segments).crop(0, width).adjust_cell_length(width, ground).apply_style(ground)


def _words(text: str, y: int, width: int, ground: Style) -> list[Segment]:
    """A sentence for an empty view, wrapped."""
    lines, line = [], ""
    for word in text.split():
        if line and len(line) + 1 + len(word) > width - 4:
            lines.append(line)
            line = word
        else:
            line = f"{line} {word}".strip()
    lines.append(line)
    return [Segment("  " + lines[y - 1], ground)] if 1 <= y <= len(lines) else []
