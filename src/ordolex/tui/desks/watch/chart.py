"""Watch: the chart. Values of the chosen items over a stretch of time, one axis for each unit, gaps as gaps, limits as
lines; drawn from the lowest and the highest of each column, so that no spike is lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import plotext
from rich.text import Text

from ordolex.core.text.digits import short
from ordolex.io.book.values import Summary
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.wording import cut

_MARKERS = ("braille", "•", "x", "o", "+", "*")
_COLOURS = ("ice", "copper", "moss", "straw", "brick", "ink")


@dataclass(frozen=True, slots=True)
class Curve:
    """One item in the chart. `columns` by time; `every_us` how far apart values stand that follow each other."""

    name: str
    unit: str
    columns: Sequence[Summary]
    every_us: int
    low: float | None = None
    high: float | None = None


def chart_text(
    curves: Sequence[Curve], first_us: int, last_us: int, width: int, height: int, mark_us: int | None, ink: Palette
) -> Text:
    """The chart in so many cells, as text with styles."""
    if width < 20 or height < 5:
        return Text("")
    units = list(dict.fromkeys(curve.unit for curve in curves))[:2]
    plotext.clear_figure()
    plotext.plotsize(width, height)
    plotext.theme("clear")
    if len(units) > 1:
        plotext.subplots(len(units), 1)
    for number, unit in enumerate(units, 1):
        figure = plotext.subplot(number, 1) if len(units) > 1 else plotext
        figure.plotsize(width, height // len(units))
        figure.theme("clear")
        mine = [curve for curve in curves if curve.unit == unit]
        _draw(figure, mine, [curves.index(curve) for curve in mine], first_us, last_us, mark_us, ink)
        ticks = _ticks(first_us, last_us, max(2, width // 22))
        figure.xticks([at - first_us for at, _ in ticks], [words for _, words in ticks])
        figure.xlim(0, last_us - first_us)
    return Text.from_ansi(plotext.build(), no_wrap=True)


def _draw(
    figure: object, curves: Sequence[Curve], places: Sequence[int], first_us: int, last_us: int, mark_us: int | None,
    ink: Palette,
) -> None:  # fmt: skip
    figure.ticks_color(_rgb(ink.dim))  # type: ignore[attr-defined]
    for curve, place in zip(curves, places, strict=True):
        colour = _rgb(getattr(ink, _COLOURS[place % len(_COLOURS)]))
        for xs, ys in _pieces(curve, first_us):
            figure.plot(xs, ys, color=colour, marker=_MARKERS[place % len(_MARKERS)])  # type: ignore[attr-defined]
        for limit in (curve.low, curve.high):
            if limit is not None:
                figure.hline(limit, _rgb(ink.faint))  # type: ignore[attr-defined]
    if mark_us is not None:
        figure.vline(mark_us - first_us, _rgb(ink.copper))  # type: ignore[attr-defined]


def _pieces(curve: Curve, first_us: int) -> list[tuple[list[float], list[float]]]:
    """Lines without gaps: one ends where a value is missing, or where none came for much longer than usual."""
    out: list[tuple[list[float], list[float]]] = []
    xs: list[float] = []
    ys: list[float] = []
    last = None
    for column in curve.columns:
        if column.low is None or column.high is None:
            if xs:
                out.append((xs, ys))
                xs, ys = [], []
            last = None
            continue
        if last is not None and column.utc_us - last > 3 * curve.every_us and xs:
            out.append((xs, ys))
            xs, ys = [], []
        at = float(column.utc_us - first_us)
        xs.append(at)
        ys.append(column.low)
        if column.high != column.low:
            xs.append(at)
            ys.append(column.high)
        if column.missing:  # something is missing within it: the line ends here
            out.append((xs, ys))
            xs, ys = [], []
        last = column.utc_us
    if xs:
        out.append((xs, ys))
    return out


def _ticks(first_us: int, last_us: int, count: int) -> list[tuple[int, str]]:
    span_s = (last_us - first_us) / 1e6
    form = "%H:%M:%S" if span_s <= 7200 else "%H:%M" if span_s <= 86_400 * 2 else "%d %b %H:%M"
    form = "%d %b %Y" if span_s > 86_400 * 60 else form
    steps = [first_us + (last_us - first_us) * n // count for n in range(1, count)]
    return [(at, datetime.fromtimestamp(at / 1e6).strftime(form)) for at in steps]


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def legend(curves: Sequence[Curve], mark_us: int | None, span_words: str, width: int, ink: Palette) -> Text:
    """Names in their colours, with the value under the cursor where there is one."""
    text = Text(no_wrap=True)
    text.append(f"{span_words}   ", ink.style("dim"))
    for place, curve in enumerate(curves):
        colour = _COLOURS[place % len(_COLOURS)]
        marker = "━" if _MARKERS[place % len(_MARKERS)] == "braille" else _MARKERS[place % len(_MARKERS)]
        text.append(f"{marker} {curve.name}", ink.style(colour, bold=True))
        text.append(f" {_at_mark(curve, mark_us)}   " if mark_us is not None else f" {curve.unit}   ", ink.style("ink"))
    if mark_us is not None:
        text.append(f"at {datetime.fromtimestamp(mark_us / 1e6):%H:%M:%S}", ink.style("copper"))
    plain = text.plain
    return text if len(plain) <= width else Text(cut(plain, width), ink.style("ink"), no_wrap=True)


def _at_mark(curve: Curve, mark_us: int) -> str:
    """The value nearest to the cursor; its lowest and highest where a column holds more than one."""
    near = min(curve.columns, key=lambda column: abs(column.utc_us - mark_us), default=None)
    if near is None or abs(near.utc_us - mark_us) > 3 * curve.every_us:
        return "no value there"
    if near.low is None or near.high is None:
        return "missing"
    if near.low == near.high:
        return f"{short(near.low)} {curve.unit}"
    return f"{short(near.low)} to {short(near.high)} {curve.unit}"


def span_words(span_s: float, end_us: int | None) -> str:
    for unit, of in (("days", 86_400), ("h", 3600), ("min", 60)):
        if span_s >= 2 * of or (span_s >= of and of > 1 and span_s % of == 0 and unit != "days"):
            length = f"{span_s / of:g} {unit}"
            break
    else:
        length = f"{span_s:g} s"
    return (
        f"last {length}" if end_us is None else f"{length}, until {datetime.fromtimestamp(end_us / 1e6):%d %b %H:%M:%S}"
    )
