"""The look: every colour and glyph of the interface stands here and nowhere else. docs/design.md says how to use it.

Areas are told apart by three close grounds. Copper is what the technician does, ice what the device says; moss, straw
and brick say how sure we are, and never without a glyph and a word.
"""

from __future__ import annotations

from dataclasses import dataclass

from rich.style import Style
from textual.theme import Theme


@dataclass(frozen=True, slots=True)
class Palette:
    ground: str
    raised: str
    bar: str
    ink: str
    dim: str
    faint: str
    copper: str
    ice: str
    moss: str
    straw: str
    brick: str

    def style(self, name: str, *, bold: bool = False, on: str | None = None) -> Style:
        """A style in the named colour, on the named ground."""
        return Style(color=getattr(self, name), bgcolor=getattr(self, on) if on else None, bold=bold)

    def shade(self, share: float) -> Style:
        """Ink on a ground that turns from the raised one towards copper as `share` goes from 0 to 1."""
        part = min(1.0, max(0.0, share)) * 0.55
        mixed = "".join(
            f"{round(int(a, 16) * (1 - part) + int(b, 16) * part):02x}"
            for a, b in zip(_pairs(self.raised), _pairs(self.copper), strict=True)
        )
        return Style(color=self.ink if share >= 0.005 else self.faint, bgcolor=f"#{mixed}")


def _pairs(colour: str) -> tuple[str, str, str]:
    return colour[1:3], colour[3:5], colour[5:7]


DARK = Palette(
    ground="#11171a", raised="#141b1f", bar="#1b252b", ink="#d7dfe1", dim="#8da0a7", faint="#5b6c74",
    copper="#d9935a", ice="#9fcbd8", moss="#86b98a", straw="#dcc56f", brick="#dd7563",
)  # fmt: skip
LIGHT = Palette(
    ground="#f3f1ec", raised="#ebe8e1", bar="#dfdbd2", ink="#22292c", dim="#56646a", faint="#8b979c",
    copper="#98531b", ice="#1d6478", moss="#2f6b37", straw="#7a6410", brick="#a8382a",
)  # fmt: skip

PALETTES = {"ordolex-dark": DARK, "ordolex-light": LIGHT}


def themes() -> list[Theme]:
    return [_theme(name, palette, dark=palette is DARK) for name, palette in PALETTES.items()]


def _theme(name: str, p: Palette, *, dark: bool) -> Theme:
    return Theme(
        name=name,
        primary=p.copper,
        secondary=p.ice,
        foreground=p.ink,
        background=p.ground,
        surface=p.raised,
        panel=p.bar,
        success=p.moss,
        warning=p.straw,
        error=p.brick,
        accent=p.copper,
        dark=dark,
        variables={
            "bar": p.bar,
            "dim": p.dim,
            "faint": p.faint,
            "ice": p.ice,
            "input-cursor-background": p.copper,
            "input-selection-background": f"{p.copper} 30%",
            "scrollbar": p.faint,
            "scrollbar-hover": p.dim,
            "scrollbar-background": p.raised,
            "scrollbar-background-hover": p.raised,
            "scrollbar-corner-color": p.raised,
            "block-cursor-background": p.bar,
            "block-cursor-foreground": p.ink,
        },
    )


TIED, NEXT, OPEN_KNOT = "●", "◌", "○"
LINE_TIED, LINE_OPEN = "━", "╌"
SENT, HEARD, NOTE = "▸", "◂", "·"
GOOD, BAD, UNSURE = "✓", "✗", "◦"

STATES = {
    "free": (OPEN_KNOT, "ink"),
    "unknown": (UNSURE, "straw"),
    "held": (BAD, "brick"),
    "no-rights": (BAD, "brick"),
    "no-driver": (BAD, "brick"),
    "gone": (NEXT, "dim"),
    "by-address": (OPEN_KNOT, "ink"),
    "made-here": (TIED, "moss"),
}
