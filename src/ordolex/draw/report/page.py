"""The report as one HTML file: no script, nothing from outside, readable on a phone and printable."""

from __future__ import annotations

from functools import cache
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined

from ordolex.core.visit.chart import chart_shape
from ordolex.core.visit.report import ChartPart, Report
from ordolex.draw.report.texts import plain

_WIDE, _HIGH = 640.0, 160.0


@cache
def _template() -> Any:
    made = Environment(
        loader=PackageLoader("ordolex.draw.report", "."), autoescape=True, undefined=StrictUndefined,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    made.filters["plain"] = plain
    return made.get_template("page.html.j2")


def page(report: Report) -> str:
    charts = [(chart, _drawing(chart)) for chart in report.charts]
    text: str = _template().render(report=report, charts=charts, wide=_WIDE, high=_HIGH)
    return text


def _drawing(chart: ChartPart) -> dict[str, Any]:
    shape = chart_shape(chart, _WIDE, _HIGH)
    return {
        "lines": [" ".join(f"{x:.1f},{y:.1f}" for x, y in line) for line in shape.lines],
        "ticks": shape.ticks,
        "limits": shape.limits,
    }
