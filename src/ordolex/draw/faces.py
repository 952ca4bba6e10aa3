"""The drawing of a connector's face, from both sides."""

from __future__ import annotations

from math import hypot
from textwrap import wrap
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
    views = [(rows_seen(connector, gender, from_wires=back), back) for back in (False, True)]
    half_width, half_height = _shell(connector, views[0][0])
    signals = wrap("   ".join(f"{pin} {what.signal}" for pin, what in end.pins.items()), 80)
    width = max(130.0, 2 * half_width + 40)
    height = 20 + 2 * (2 * half_height + 14) + 5 * len(signals)
    figure, axes = sheet(width, height)
    axes.text(8, height - 8, f"{end.name}: {end.face.text}", size=12, weight="bold", color=INK, va="top")
    y = height - 20
    for rows, back in views:
        words = "from the wires (back)" if back else "looking into it (mating side)"
        axes.text(width / 2, y, words, ha="center", va="top", size=9, color=COPPER)
        _face(axes, rows, width / 2, y - 8 - half_height, connector)
        y -= 2 * half_height + 14
    for line, text in enumerate(signals):
        axes.text(8, 3 + 5 * (len(signals) - line - 1), text, size=7, color=INK)
    return figure


def _shell(connector: str, rows: tuple[tuple[str, ...], ...]) -> tuple[float, float]:
    """Half the width and half the height of the connector's outline."""
    half_width = max(len(row) for row in rows) * _PITCH / 2 + 4
    half_height = (len(rows) - 1) * _PITCH / 2 + 5
    if connector == "mini-DIN-8":
        radius = max(hypot(*_place(rows, row, at)) for row, pins in enumerate(rows) for at in range(len(pins))) + 5
        return radius, radius
    return half_width, half_height


def _place(rows: tuple[tuple[str, ...], ...], row: int, at: int) -> tuple[float, float]:
    """Where a contact is, from the middle of the connector."""
    return (at - (len(rows[row]) - 1) / 2) * _PITCH, ((len(rows) - 1) / 2 - row) * _PITCH


def _face(axes: Any, rows: tuple[tuple[str, ...], ...], x: float, y: float, connector: str) -> None:
    half, tall = _shell(connector, rows)
    if connector in ("DE-9", "DB-25"):
        corners = [(x - half, y + tall), (x + half, y + tall), (x + half - 6, y - tall), (x - half + 6, y - tall)]
        axes.add_patch(Polygon(corners, fill=False, edgecolor=INK, linewidth=1.2))
    elif connector == "mini-DIN-8":
        axes.add_patch(Circle((x, y), half, fill=False, edgecolor=INK, linewidth=1.2))
    else:
        axes.add_patch(FancyBboxPatch((x - half, y - tall), 2 * half, 2 * tall, boxstyle="round,pad=0.5", fill=False,
                                      edgecolor=INK, linewidth=1.2))  # fmt: skip
    for row, pins in enumerate(rows):
        for at, pin in enumerate(pins):
            across, up = _place(rows, row, at)
            axes.add_patch(Circle((x + across, y + up), 2.6, fill=False, edgecolor=DIM, linewidth=0.8))
            axes.text(x + across, y + up, pin, ha="center", va="center", size=7, color=INK)
