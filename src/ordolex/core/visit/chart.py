"""A watched value's chart as lines in a box of any size, for page and paper alike."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ordolex.core.text.digits import exact
from ordolex.core.visit.report import ChartPart


@dataclass(frozen=True, slots=True)
class ChartShape:
    """Points in the box, y downwards; a gap begins a new line.

    ticks   (y, label) of round values
    limits  (y, label) of limits that lie in the box
    """

    lines: list[list[tuple[float, float]]]
    ticks: list[tuple[float, str]]
    limits: list[tuple[float, str]]


def chart_shape(chart: ChartPart, width: float, height: float) -> ChartShape:
    """Nothing but ticks where no number came."""
    numbers = [value for _, low, high in chart.points for value in (low, high) if value is not None]
    if not numbers:
        return ChartShape([], [], [])
    bounds = [value for value in (chart.low, chart.high) if value is not None]
    low, high = min(numbers), max(numbers)
    room = (high - low) or abs(high) * 0.1 or 1.0
    near = [value for value in bounds if low - 2 * room <= value <= high + 2 * room]
    low, high = min([low, *near]), max([high, *near])
    room = (high - low) or room
    low, high = low - 0.05 * room, high + 0.05 * room
    first, last = chart.points[0][0], chart.points[-1][0]

    def place(at_us: int, value: float) -> tuple[float, float]:
        x = (at_us - first) / (last - first) * width if last > first else width / 2
        return x, (high - value) / (high - low) * height

    lines: list[list[tuple[float, float]]] = [[]]
    for at_us, bottom, top in chart.points:
        if bottom is None or top is None:
            if lines[-1]:
                lines.append([])
            continue
        lines[-1].append(place(at_us, bottom))
        if top != bottom:
            lines[-1].append(place(at_us, top))
    step = _round_step((high - low) / 4)
    tick = math.ceil(low / step) * step
    ticks = []
    while tick <= high:
        ticks.append((place(first, tick)[1], f"{tick:.12g}"))
        tick += step
    return ChartShape(
        [line for line in lines if line], ticks, [(place(first, value)[1], f"limit {exact(value)}") for value in near]
    )


def _round_step(step: float) -> float:
    """1, 2 or 5 times a power of ten, near to this."""
    power = 10.0 ** math.floor(math.log10(step))
    return min((factor * power for factor in (1, 2, 5, 10)), key=lambda one: abs(one - step))
