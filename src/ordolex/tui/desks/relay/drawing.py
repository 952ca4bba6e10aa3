"""Relay: how a relay, its layers, a box and a run are drawn."""

from __future__ import annotations

from textwrap import wrap

from rich.segment import Segment
from rich.text import Text

from ordolex.core.relay.chain import Layer
from ordolex.core.relay.path_runs import PathRun, figures
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.text.visible import visible_text
from ordolex.io.net.check import Step
from ordolex.io.net.survey import Host
from ordolex.io.relay.relay import RelayView
from ordolex.tui.theme import BAD, GOOD, LINE_OPEN, LINE_TIED, NEXT, OPEN_KNOT, TIED, UNSURE, Palette
from ordolex.tui.widgets.wording import age, cut, size

_DRAWN_FROM = 84
_GLYPHS = {True: (GOOD, "moss"), False: (BAD, "brick"), None: (UNSURE, "straw")}


_COLUMNS = (
    (0, "relay", 16),
    (60, "what a program opens", 32),
    (90, "used by", 16),
    (90, "far end", 28),
    (112, "there / back", 1),
)
"""From which width of the desk each column is shown, what it is called, and its cells."""


def relay_heading(width: int) -> str:
    return cut("    " + " ".join(f"{name:{cells}}" for needs, name, cells in _COLUMNS if width >= needs), width)


def relay_segments(plan: RelayPlan, view: RelayView | None, width: int, ink: Palette) -> list[Segment]:
    glyph, colour = _state(view)
    near, used, far, counts = plan.a, "", plan.b, ""
    if view is not None:
        near = view.a.path or near
        used = ", ".join(view.a.users) or "nobody"
        counts = f"{size(view.there.gone)} / {size(view.back.gone)}"
    out = [
        Segment(f"  {glyph} ", ink.style(colour, bold=True)),
        Segment(f"{cut(visible_text(plan.name), 16):16} ", ink.style("ink", bold=view is not None)),
    ]
    if width >= 60:
        out.append(Segment(f"{cut(visible_text(_short(near)), 32):32} ", ink.style("copper" if view else "dim")))
    if width >= 90:
        out.append(Segment(f"{cut(visible_text(used), 16):16} ", ink.style("ink" if used != "nobody" else "dim")))
        out.append(Segment(f"{cut(visible_text(far), 28):28} ", ink.style("dim")))
    if width >= 112:
        out.append(Segment(counts, ink.style("ice")))
    return out


def _short(path: str) -> str:
    """A path from its end: what tells two apart stands there."""
    return path if len(path) <= 32 else "…" + path[-31:]


def _state(view: RelayView | None) -> tuple[str, str]:
    if view is None:
        return OPEN_KNOT, "dim"
    if view.stopped or view.fault:
        return BAD, "brick"
    if view.proof is not None:
        return GOOD, "moss"
    if all(end.held_s is not None for end in (view.a, view.b)):
        return TIED, "moss"
    return NEXT, "straw"


def layers_text(view: RelayView, now_s: float, width: int, ink: Palette) -> Text:
    """The chain, drawn, and a row for each layer; the first that fails with what may be wrong and the one test."""
    failing = next((layer for layer in view.layers if layer.good is False), None)
    text = Text()
    if width >= _DRAWN_FROM:
        text.append_text(_drawn(view.layers, failing, width, ink))
        text.append("\n\n")
    name_width = max(len(layer.name) for layer in view.layers)
    for layer in view.layers:
        glyph, colour = _GLYPHS[layer.good]
        when = f"   {age(now_s - layer.at_s)}" if layer.at_s is not None else ""
        room = width - name_width - len(when) - 4
        text.append(f"{glyph} ", ink.style(colour, bold=True))
        text.append(f"{layer.name:{name_width}} ", ink.style("ink", bold=layer is failing))
        text.append(cut(visible_text(layer.words), room), ink.style("ink" if layer.good is not None else "dim"))
        text.append(f"{when}\n", ink.style("dim"))
    text.append(_more(view, width), ink.style("dim"))
    if failing is not None:
        if failing.causes:
            text.append("\nlikely  ", ink.style("straw"))
            text.append(cut(visible_text(", or ".join(failing.causes)), width - 9), ink.style("ink"))
        text.append("\nNext    ", ink.style("straw"))
        text.append(cut(visible_text(failing.test or "look at this layer first"), width - 9), ink.style("ink"))
    else:
        text.append("\nNext    ", ink.style("straw"))
        text.append(cut(_next(view), width - 9), ink.style("ink"))
    return text


def _drawn(layers: tuple[Layer, ...], failing: Layer | None, width: int, ink: Palette) -> Text:
    """program ●━━ virtual port ●━━ network ✗╌╌ …, broken from the first that fails."""
    text, broken = Text(no_wrap=True), False
    names = sum(len(layer.name) + 4 for layer in layers)
    stroke = max(1, min(6, (width - names) // max(1, len(layers) - 1)))
    for number, layer in enumerate(layers):
        broken = broken or layer is failing
        glyph = BAD if layer is failing else TIED if layer.good else OPEN_KNOT if broken else NEXT
        colour = "brick" if layer is failing else "moss" if layer.good and not broken else "dim" if broken else "straw"
        text.append(f"{glyph} ", ink.style(colour, bold=True))
        text.append(layer.name, ink.style("ink" if not broken or layer is failing else "dim"))
        if number < len(layers) - 1:
            text.append(f" {(LINE_OPEN if broken else LINE_TIED) * stroke} ", ink.style(colour))
    return text


def _more(view: RelayView, width: int) -> str:
    parts = []
    for way, name in ((view.there, "there"), (view.back, "back")):
        words = f"{name} {way.came} bytes"
        if way.waiting:
            words += f", {way.waiting} wait"
        if way.unheard:
            words += f", {way.unheard} reached nobody"
        if way.lost:
            words += f", {way.lost} lost half-way"
        parts.append(words + (f", held here {way.delay_ms:.1f} ms" if way.delay_ms is not None else ""))
    for user in (*view.users[0], *view.users[1]):
        if not user.writes:
            lost = f", {user.passed_over} bytes of it were not passed on" if user.passed_over else ""
            parts.append(f"{user.name} hears only{lost}")
    return cut(visible_text("   ".join(parts)), width)


def _next(view: RelayView) -> str:
    if view.proof is not None:
        return "Let the program open the port; it was proven through that"
    if not view.a.path:
        return "Bytes pass both ways; F5 Talk at one of its links shows them"
    if view.a.users:
        return "What the program asks and is answered passes here; → shows it"
    return "p proves it end to end, as a program would ask"


# ---- boxes


def box_heading(width: int) -> str:
    return cut(f"  {'address':17} {'name':24} {'hardware address':19} {'answered':>9}   what is proven about it", width)


def box_segments(host: Host, width: int, ink: Palette) -> list[Segment]:
    ms = f"{host.ms:.1f} ms" if host.ms is not None else ""
    sure = any(service.proven for service in host.services)
    return [
        Segment(f"  {host.address:17} ", ink.style("ink", bold=True)),
        Segment(f"{cut(visible_text(host.name or '-'), 24):24} ", ink.style("ice")),
        Segment(f"{host.hardware or '-':19} {ms:>9}   ", ink.style("dim")),
        Segment(cut(visible_text(host.proven), max(0, width - 77)), ink.style("moss" if sure else "straw")),
    ]


# ---- runs


def run_heading(width: int) -> str:
    return cut(
        f"  {'run':18} {'median':>9} {'95 %':>9} {'worst':>9}   {'sent':>5} {'lost':>5} {'wrong':>5} {'twice':>5}"
        "   conditions",
        width,
    )


def run_segments(run: PathRun, before: PathRun | None, width: int, ink: Palette) -> list[Segment]:
    values = figures(run)
    times = [f"{values[name]:.2f}" if values[name] is not None else "-" for name in ("median_ms", "p95_ms", "worst_ms")]
    mark = "◂ " if run == before else "  "
    bad = "brick" if run.lost or run.wrong or run.doubled else "dim"
    said = ", ".join(f"{name} {value}" for name, value in run.conditions.items())
    return [
        Segment(mark, ink.style("copper", bold=True)),
        Segment(f"{cut(visible_text(run.name), 18):18} ", ink.style("ink", bold=True)),
        Segment(" ".join(f"{time:>9}" for time in times), ink.style("ice")),
        Segment(f"   {run.sent:>5} ", ink.style("dim")),
        Segment(f"{run.lost:>5} {run.wrong:>5} {run.doubled:>5}", ink.style(bad)),
        Segment(f"   {cut(visible_text(said), max(0, width - 76))}", ink.style("dim")),
    ]


def bars(runs: list[PathRun], width: int, ink: Palette) -> Text:
    """From the fastest round trip to the worst, on one scale: the median is the knot, the stretch to 95 % is solid."""
    drawn = [(run, sorted(run.trips_ms)) for run in runs if run.trips_ms]
    text = Text()
    if not drawn:
        return text
    top = max(trips[-1] for _, trips in drawn)
    room = max(10, width - 34)
    for run, trips in drawn:
        values = figures(run)
        median, high = values["median_ms"] or 0.0, values["p95_ms"] or 0.0
        at = [min(room - 1, int(value / top * (room - 1))) for value in (trips[0], median, high, trips[-1])]
        row = [" "] * room
        row[at[0] : at[3] + 1] = LINE_OPEN * (at[3] + 1 - at[0])
        row[at[0] : at[2] + 1] = LINE_TIED * (at[2] + 1 - at[0])
        row[at[1]] = TIED
        text.append(f"{cut(visible_text(run.name), 16):16} ", ink.style("ink"))
        text.append("".join(row), ink.style("ice"))
        text.append(f" {median:8.2f} ms\n", ink.style("dim"))
    text.append(f"{'':16} 0{'':{max(1, room - 12)}}{top:.1f} ms\n", ink.style("dim"))
    text.append(f"{TIED} median  {LINE_TIED} to 95 %  {LINE_OPEN} to the worst", ink.style("dim"))
    return text


# ---- the path


def step_segments(step: Step, width: int, ink: Palette) -> list[Segment]:
    glyph, colour = _GLYPHS[step.ok]
    words = step.words + (f"; {step.do}" if step.do else "")
    return [
        Segment(f"  {glyph} ", ink.style(colour, bold=True)),
        Segment(f"{step.step:12} ", ink.style("dim")),
        Segment(cut(visible_text(words), max(0, width - 18)), ink.style("ink")),
    ]


def wrapped(text: str, width: int) -> str:
    return "\n".join(wrap(visible_text(text), max(20, width)))
