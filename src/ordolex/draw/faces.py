"""The drawing of a connector's face, from both sides."""

from __future__ import annotations

from typing import Any

from matplotlib.figure import Figure
from matplotlib.patches import Circle, FancyBboxPatch, Polygon

from ordolex.core.wiring.connectors import End
from ordolex.core.wiring.faces import rows_seen
from ordolex.draw.sheet import COPPER, DIM, INK, sheet

_PITCH = 8.0


def draw_faces(end: End) -> Figure:
    """Both sides of an end's connector, one above the other, with the signals named."""
    connector, gender = end.face.connector, end.face.gender
    widest = max(len(row) for row in rows_seen(connector, gender, from_wires=False))
    width = max(110.0, 40 + widest * _PITCH)
    figure, axes = sheet(width, 96)
    axes.text(8, 88, f"{end.name}: {end.face.text}", size=12, weight="bold", color=INK)
    for base, from_wires, words in ((64, False, "looking into it (mating side)"), (30, True, "from the wires (back)")):
        _face(axes, rows_seen(connector, gender, from_wires=from_wires), base, width, words, connector)
    signals = "   ".join(f"{pin} {what.signal}" for pin, what in end.pins.items())
    axes.text(8, 6, signals, size=7, color=INK)
    return figure


def _face(axes: Any, rows: tuple[tuple[str, ...], ...], base: float, width: float, words: str, connector: str) -> None:
    middle = width / 2
    axes.text(middle, base + 9, words, ha="center", size=9, color=COPPER)
    half = max(len(row) for row in rows) * _PITCH / 2 + 4
    low, high = base - (len(rows) - 1) * _PITCH - 5, base + 5
    if connector in ("DE-9", "DB-25"):
        corners = [(middle - half, high), (middle + half, high), (middle + half - 6, low), (middle - half + 6, low)]
        axes.add_patch(Polygon(corners, fill=False, edgecolor=INK, linewidth=1.2))
    elif connector == "mini-DIN-8":
        axes.add_patch(
            Circle((middle, (low + high) / 2), (high - low) * 0.85, fill=False, edgecolor=INK, linewidth=1.2)
        )
    else:
        axes.add_patch(FancyBboxPatch((middle - half, low), 2 * half, high - low, boxstyle="round,pad=0.5", fill=False,
                                      edgecolor=INK, linewidth=1.2))  # fmt: skip
    for number, row in enumerate(rows):
        for at, pin in enumerate(row):
            x = middle + (at - (len(row) - 1) / 2) * _PITCH
            y = base - number * _PITCH
            axes.add_patch(Circle((x, y), 2.6, fill=False, edgecolor=DIM, linewidth=0.8))
            axes.text(x, y, pin, ha="center", va="center", size=7, color=INK)
