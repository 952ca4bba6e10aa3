"""Measured runs side by side: where the round trips of each lie, as a drawing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ordolex.core.relay.path_runs import PathRun, difference, figures
from ordolex.draw.sheet import COPPER, DIM, GOOD

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def runs_figure(runs: list[PathRun]) -> Figure:
    """One row a run: the stretch from the fastest to the worst thin, to 95 % thick, a knot at the median; a table of
    the figures beneath, and the difference where there are two."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(8.2, 1.6 + 0.75 * len(runs)))
    axes = figure.add_axes((0.2, 0.42, 0.75, 0.5))
    for row, run in enumerate(runs):
        trips = sorted(run.trips_ms)
        if not trips:
            continue
        values = figures(run)
        axes.plot([trips[0], trips[-1]], [row, row], color=DIM, linewidth=1.2)
        axes.plot([trips[0], values["p95_ms"] or 0.0], [row, row], color=GOOD, linewidth=5, solid_capstyle="butt")
        axes.plot([values["median_ms"] or 0.0], [row], marker="o", color=COPPER, markersize=8)
    axes.set_yticks(range(len(runs)), [run.name for run in runs])
    axes.set_ylim(len(runs) - 0.4, -0.6)
    axes.set_xlim(left=0)
    axes.set_xlabel("round trip, ms: median (dot), to 95 % (thick), to the worst (thin)")
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    lines = []
    for run in runs:
        values = figures(run)
        said = ", ".join(f"{name} {value}" for name, value in run.conditions.items())
        times = (
            "no round trip"
            if values["median_ms"] is None
            else (f"median {values['median_ms']:.2f}, 95 % {values['p95_ms']:.2f}, worst {values['worst_ms']:.2f} ms")
        )
        lines.append(f"{run.name}: {times}; {run.sent} sent, {run.lost} lost, {run.wrong} wrong, {run.doubled} twice")
        lines.append(f"    {said}")
    found = difference(runs[0], runs[1]) if len(runs) == 2 else None
    if found is not None:
        lines.append(f"{runs[0].name} → {runs[1].name}: {found.words()}")
    figure.text(0.03, 0.03, "\n".join(lines), fontsize=7, va="bottom", wrap=True)
    return figure
