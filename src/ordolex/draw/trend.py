"""Values over time as a drawing: one function from values to figure, for the desk and without it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from ordolex.core.text.digits import exact
from ordolex.draw.sheet import INK

if TYPE_CHECKING:
    from matplotlib.figure import Figure


@dataclass(frozen=True, slots=True)
class Line:
    """One item: lowest and highest value by time in microseconds, None where a gap begins; its limits."""

    name: str
    unit: str
    points: Sequence[tuple[int, float | None, float | None]]
    low: float | None = None
    high: float | None = None


def trend(title: str, lines: Sequence[Line]) -> Figure:
    """Lines of one unit share an axis; each further unit has an axis of its own below, on the same time."""
    units = list(dict.fromkeys(line.unit for line in lines))
    from matplotlib.figure import Figure

    figure = Figure(figsize=(9.0, 1.2 + 2.6 * max(1, len(units))))
    figure.suptitle(title, color=INK, fontsize=11, x=0.02, ha="left")
    axes = figure.subplots(len(units) or 1, 1, sharex=True, squeeze=False)
    for (axis,), unit in zip(axes, units, strict=False):
        for number, line in enumerate(one for one in lines if one.unit == unit):
            colour = _COLOURS[number % len(_COLOURS)]
            moments = [datetime.fromtimestamp(at / 1e6, UTC) for at, _, _ in line.points]
            lows = [float("nan") if low is None else low for _, low, _ in line.points]
            highs = [float("nan") if high is None else high for _, _, high in line.points]
            style = _STYLES[number % len(_STYLES)]
            axis.fill_between(moments, lows, highs, color=colour, alpha=0.35, linewidth=0)
            axis.plot(moments, highs, color=colour, linewidth=0.9, linestyle=style, label=line.name)
            axis.plot(moments, lows, color=colour, linewidth=0.9, linestyle=style)
            for limit in (line.low, line.high):
                if limit is not None:
                    axis.axhline(limit, color=colour, linewidth=0.7, linestyle=(0, (2, 2)))
                    axis.annotate(f"limit {exact(limit)}", (0, limit), xycoords=("axes fraction", "data"), fontsize=7)
        axis.set_ylabel(unit or "value", fontsize=9)
        axis.grid(color="#cccccc", linewidth=0.4)
        axis.legend(fontsize=8, loc="upper right", frameon=False)
        axis.tick_params(labelsize=8)
    axes[-1][0].set_xlabel("UTC", fontsize=8)
    figure.autofmt_xdate(rotation=0, ha="center")
    return figure


_COLOURS = ("#98531b", "#1d6478", "#2f6b37", "#7a6410", "#a8382a", "#5a4a8a")
_STYLES = ("-", "--", "-.", ":")
