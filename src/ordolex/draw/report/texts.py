"""Text as it may stand in a report: control codes written out, nothing endless, and what the font lacks as its code
point in a box."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from ordolex.core.text.visible import visible_text

LONGEST = 600
"""Characters of one text; the files beside the report have all of it."""


@cache
def fonts() -> dict[str, Path]:
    """The fonts that come with the plotting package: style → file."""
    import matplotlib

    folder = Path(matplotlib.get_data_path()) / "fonts" / "ttf"
    return {
        "": folder / "DejaVuSans.ttf", "B": folder / "DejaVuSans-Bold.ttf", "mono": folder / "DejaVuSansMono.ttf",
    }  # fmt: skip


@cache
def _has(style: str) -> frozenset[int]:
    from fontTools.ttLib import TTFont

    with TTFont(fonts()[style], lazy=True) as font:
        return frozenset(font.getBestCmap())


def plain(text: str, most: int = LONGEST) -> str:
    """For the page: control codes and marks of direction written out, cut at a length that is said."""
    text = "".join(one if one.isprintable() else visible_text(one) for one in text)
    return text if len(text) <= most else f"{text[:most]}… ({len(text) - most} more characters)"


def printed(text: str, style: str = "", most: int = LONGEST) -> str:
    """For paper: the same, and a character that the font lacks as ▯U+1F41F."""
    there = _has(style)
    return "".join(one if ord(one) in there else f"▯U+{ord(one):04X}" for one in plain(text, most))
