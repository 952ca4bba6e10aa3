"""The report as one HTML file: no script, nothing from outside, readable on a phone and printable."""

from __future__ import annotations

from functools import cache
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined

from ordolex.core.visit.cable import cable_shape
from ordolex.core.visit.chart import chart_shape
from ordolex.core.visit.report import ChartPart, Report
from ordolex.core.wiring.drawn import Tone
from ordolex.draw.report.texts import plain

_WIDE, _HIGH = 640.0, 160.0
_CABLE = 175.0
_TONES = {Tone.GOOD: "#2f6f62", Tone.BAD: "#8c2f24", Tone.DIM: "#5c6b6b"}


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
    cables = {id(link): cable_shape(link.cable, _CABLE) for link in report.links if link.cable is not None}
    text: str = _template().render(
        report=report, charts=charts, wide=_WIDE, high=_HIGH, cables=cables, cable_wide=_CABLE, id=id, tones=_TONES
    )
    return text


def _drawing(chart: ChartPart) -> dict[str, Any]:
    shape = chart_shape(chart, _WIDE, _HIGH)
    return {
        "lines": [" ".join(f"{x:.1f},{y:.1f}" for x, y in line) for line in shape.lines],
        "ticks": shape.ticks,
        "limits": shape.limits,
    }
