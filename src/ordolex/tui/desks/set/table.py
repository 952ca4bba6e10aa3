"""Set: how a setting's row is drawn, and what stands below the table for the one under the cursor."""

from __future__ import annotations

from rich.segment import Segment
from rich.text import Text

from ordolex.core.device.settings_table import SettingRow
from ordolex.core.text.visible import hex_pairs, visible_text
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.wording import age, cut, day

_NARROW, _WIDE = 12, 16


def widths(width: int) -> tuple[int, int]:
    """Cells of the name and of each value column."""
    return (18, _WIDE) if width >= 110 else (15, 13) if width >= 96 else (14, _NARROW)


def heading(width: int, ink: Palette) -> Text:
    name, value = widths(width)
    words = f"  {'':{name}} {'as found':{value}}{'now':{value}}{'wanted':{value}}{'as left':{value}}verdict"
    return Text(cut(words, width), ink.style("dim"), no_wrap=True)


def row_segments(row: SettingRow, width: int, ink: Palette) -> list[Segment]:
    name, value = widths(width)
    parameter = row.parameter
    glyph, colour = "  ", "ink"
    if not row.good:
        glyph, colour = "✗ ", "brick"
    elif row.state:
        glyph, colour = "▸ ", "copper"
    elif row.left is not None:
        glyph, colour = "✓ ", "moss"
    elif row.found_otherwise:
        glyph, colour = "≠ ", "straw"
    out = [
        Segment(glyph, ink.style(colour, bold=True)),
        Segment(f"{cut(parameter.name, name):{name}} ", ink.style("ink")),
    ]

    def cell(text: str, style: str) -> None:
        shown = f"{text} {parameter.unit}".strip() if text else ""
        if len(shown) >= value:  # rather without its unit than cut off; the unit stands below
            shown = text
        out.append(Segment(f"{cut(visible_text(shown), value - 1):{value}}", ink.style(style)))

    cell(row.text(row.found), "dim")
    cell(row.text(row.now), "ice")
    cell(row.text(row.wanted), "copper")
    cell(row.text(row.left), "moss" if row.good else "straw")
    room = width - 3 - name - 4 * value
    words = ", ".join(part for part in (row.verdict, row.state) if part)
    left = row.was_left
    if not words and row.found_otherwise and left is not None:
        words = f"left at {row.text(left.end)} {parameter.unit}".rstrip() + f" on {day(left.utc_us)}"
    if not words:
        words = "" if parameter.can_be_written else "only read"
    style = "brick" if not row.good else "straw" if row.state or row.found_otherwise else "dim"
    out.append(Segment(cut(visible_text(words), room), ink.style(style)))
    return out


def detail(row: SettingRow, preview: bytes | str, now_s: float, ink: Palette, width: int) -> Text:
    """Three lines: what it is and may be; where it lies and how old the reading is; what would be sent."""
    parameter = row.parameter
    text = Text(no_wrap=True)
    text.append(visible_text(parameter.name), ink.style("ink", bold=True))
    limits = f"   {parameter.limits}" if parameter.limits else ""
    text.append(cut(visible_text(f"   {parameter.means}{limits}"), width - len(parameter.name) - 1), ink.style("dim"))
    places = []
    if parameter.modbus is not None:
        places.append(parameter.modbus.place.text)
        places.append(
            f"{parameter.modbus.type} {parameter.modbus.order}" if parameter.modbus.count > 1 else parameter.modbus.type
        )
    elif parameter.code:
        places.append(f"code {parameter.code}")
    if row.raw:
        places.append(f"raw {hex_pairs(row.raw[:24])}")
    if row.now_s is not None:
        places.append(f"read {age(now_s - row.now_s)}")
    marks = [("must be stored to last", parameter.store), ("takes a restart", parameter.reboot),
             ("changes the line itself", parameter.changes_line)]  # fmt: skip
    places += [words for words, yes in marks if yes]
    text.append("\n" + cut("   ".join(places), width), ink.style("dim"))
    if row.verdict and not row.good:
        text.append("\n" + cut(visible_text(row.verdict), width), ink.style("brick"))
    elif preview:
        shown = preview if isinstance(preview, str) else f"would send  {hex_pairs(preview)}"
        text.append("\n" + cut(visible_text(shown), width), ink.style("copper"))
    return text
