"""The drawing of an RS-485 bus: the trunk to scale, its nodes, terminators, bias and stubs, and the rules below."""

from __future__ import annotations

from collections.abc import Sequence

from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from ordolex.core.wiring.bus import Node, Verdict
from ordolex.draw.sheet import BAD, COPPER, DIM, GOOD, INK, sheet

_WIDTH, _LEFT = 260.0, 20.0


def draw_bus(nodes: Sequence[Node], baud: int, verdicts: Sequence[Verdict]) -> Figure:
    height = 90 + 6 * len(verdicts)
    figure, axes = sheet(_WIDTH, height)
    order = sorted(nodes, key=lambda node: node.at_m)
    first, last = order[0].at_m, order[-1].at_m
    trunk = height - 38

    def x(at_m: float) -> float:
        return _LEFT + (_WIDTH - 2 * _LEFT) * (at_m - first) / max(last - first, 1e-9)

    axes.text(8, height - 9, f"RS-485 bus, {last - first:g} m at {baud} baud", size=12, weight="bold", color=INK)
    axes.plot([x(first), x(last)], [trunk, trunk], color=INK, linewidth=2)
    for number, node in enumerate(order):
        drop = trunk - (12 if number % 2 == 0 else 24)  # neighbours stand at two heights, so that names do not touch
        axes.plot([x(node.at_m)] * 2, [trunk, drop], color=DIM, linewidth=1)
        marks = [text for text, on in (("terminator", node.terminator), ("bias", node.bias)) if on]
        axes.plot([x(node.at_m)], [trunk], marker="o", color=INK, markersize=5)
        if node.terminator:
            axes.add_patch(
                Rectangle((x(node.at_m) - 1.5, trunk + 2), 3, 7, fill=False, edgecolor=COPPER, linewidth=1.2)
            )
        axes.text(x(node.at_m), drop - 4, node.name, ha="center", size=8, color=INK)
        stub = f", stub {node.stub_m:g} m" if node.stub_m else ""
        axes.text(
            x(node.at_m), drop - 8, f"{node.at_m:g} m, {node.loads:g} loads{stub}", ha="center", size=6, color=DIM
        )
        axes.text(x(node.at_m), trunk + 11, ", ".join(marks), ha="center", size=6.5, color=COPPER)
    y = 6.0 * len(verdicts)
    for verdict in verdicts:
        mark, colour = ("✓", GOOD) if verdict.kept else ("✗", BAD)
        axes.text(8, y, mark, size=8, color=colour)
        axes.text(13, y, f"{verdict.rule}: {verdict.text}  ({verdict.source})", size=8, color=INK)
        y -= 6
    return figure
