"""How one row of a conversation is drawn: time, response time, who, text and hex side by side."""

from __future__ import annotations

from dataclasses import replace
from enum import Enum

from rich.segment import Segment

from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.text.visible import hex_pairs, visible, visible_text, without_codes
from ordolex.tui.theme import HEARD, NOTE, SENT, Palette
from ordolex.tui.widgets.wording import clock_time, cut

_LOOK = {
    Direction.SENT: (SENT, "copper"),
    Direction.HEARD: (HEARD, "ice"),
    Direction.NOTE: (NOTE, "dim"),
}
_HEX_FROM = 70  # width below which text and hex do not fit side by side


class Shown(Enum):
    TEXT = "text"
    HEX = "hex"
    BOTH = "text and hex"
    PLAIN = "text without escape codes"

    def following(self) -> Shown:
        order = list(Shown)
        return order[(order.index(self) + 1) % len(order)]


def row_segments(row: Row, width: int, shown: Shown, ink: Palette, name: str | None = None) -> list[Segment]:
    """The row in `width` cells. `name` is the link's where rows of several links stand together."""
    glyph, colour = _LOOK[row.direction]
    if width >= 56:
        when = f" {clock_time(row.at_us)} " if row.after_ms is None else f" {f'+{row.after_ms:.0f} ms':>12} "
    else:
        when = " "
    parts = [Segment(when, ink.style("dim"))]
    room = width - len(when)
    if name is not None and width >= 56:
        wide = 22 if width >= 100 else 14
        parts.append(Segment(f"{cut(visible_text(name), wide):<{wide}} ", ink.style("dim")))
        room -= wide + 1
    parts.append(Segment(f"{glyph} ", ink.style(colour, bold=True)))
    return parts + _content(row, room - 3, width, shown, ink, colour)


def _content(row: Row, room: int, width: int, shown: Shown, ink: Palette, colour: str) -> list[Segment]:
    errors = f"  {row.errors}" if row.errors else ""
    text_style, error_style = ink.style(colour), ink.style("straw")
    if row.direction is Direction.NOTE or not row.data:
        return [Segment(cut(visible_text(row.text), room), ink.style(colour))]
    if shown is Shown.HEX:
        pairs = hex_pairs(row.data[: room // 3 + 1])
        return [Segment(cut(pairs, room - len(errors)), text_style), Segment(errors, error_style)]
    if shown is Shown.PLAIN:
        row = replace(row, data=without_codes(row.data))
    if shown in (Shown.TEXT, Shown.PLAIN) or width < _HEX_FROM:
        body, end = _body_and_end(row, room - len(errors))
        return [Segment(body, text_style), Segment(end, ink.style("faint")), Segment(errors, error_style)]
    left = room * 56 // 100
    body, end = _body_and_end(row, room - len(errors))
    text = body + end
    if len(text) + len(errors) >= left:  # a long row is text alone: the text is what is read first
        return [Segment(body, text_style), Segment(end, ink.style("faint")), Segment(errors, error_style)]
    gap = " " * max(1, left - len(text) - len(errors))
    right = room - left
    pairs = hex_pairs(row.data[: right // 3 + 1])
    return [
        Segment(body, text_style),
        Segment(end, ink.style("faint")),
        Segment(errors, error_style),
        Segment(gap),
        Segment(cut(pairs, right), ink.style("dim")),
    ]


def _body_and_end(row: Row, room: int) -> tuple[str, str]:
    """The text and the marks of its line end, in no more than `room` cells."""
    if row.words and not row.is_text:
        return cut(visible_text(row.words), room), ""
    body = row.data.rstrip(b"\r\n")
    end = visible(row.data[len(body) :])
    if row.words:
        end += f"   {visible_text(row.words)}"
        end = cut(end, max(2, room - len(visible(body, row.charset))))
    return cut(visible(body, row.charset), room - len(end)), end
