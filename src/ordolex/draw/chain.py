"""The drawing of a chain: each joint with its pins, each wire of each part, what arrives and what is wrong."""

from __future__ import annotations

from textwrap import wrap
from typing import Any

from matplotlib.figure import Figure
from matplotlib.patches import FancyBboxPatch

from ordolex.core.wiring.connectors import End
from ordolex.core.wiring.drawn import Strand, Tone, pin_table, pins_at, strands
from ordolex.core.wiring.finding import Finding, Weight
from ordolex.core.wiring.parts import Part
from ordolex.draw.sheet import BAD, COPPER, DIM, GOOD, INK, sheet

_MARGIN, _END, _PART, _ROW, _TOP = 12.0, 34.0, 62.0, 6.0, 40.0


def draw_chain(near: End, far: End, finding: Finding) -> Figure:
    """From `near` on the left to `far` on the right."""
    count = len(finding.chain)
    joints = [_MARGIN + _END + at * _PART for at in range(count + 1)]
    pins = [pins_at(at, near, far, finding.chain) for at in range(count + 1)]
    height = _TOP + max(map(len, pins)) * _ROW + 16 + 5.0 * (len(finding.signals) + 2 * len(finding.problems))
    height += _table_room(finding)
    figure, axes = sheet(joints[-1] + _END + _MARGIN, height)
    top = height - _TOP
    rows = [{pin: top - row * _ROW for row, pin in enumerate(column)} for column in pins]
    _title(axes, near, far, finding, height)
    _end(axes, near, joints[0], rows[0], left=True)
    _end(axes, far, joints[-1], rows[-1], left=False)
    for at, part in enumerate(finding.chain):
        _part(axes, part, joints[at], joints[at + 1], rows[at], rows[at + 1], top)
    for strand in strands(finding):
        _wire(axes, strand, joints, rows)
    for x, column in zip(joints, rows, strict=True):
        for pin, y in column.items():
            axes.plot([x], [y], marker="o", markersize=9, color="white", markeredgecolor=INK, zorder=3)
            axes.text(x, y, pin, ha="center", va="center", size=6.5, color=INK, zorder=4)
    low = min(min(column.values()) for column in rows if column) - 10
    _verdicts(axes, finding, low - _tables(axes, finding, joints, low))
    return figure


def _tables(axes: Any, finding: Finding, joints: list[float], y: float) -> float:
    """Pin to pin below each passive part, to solder from; how much room they take."""
    for at, part in enumerate(finding.chain):
        middle = (joints[at] + joints[at + 1]) / 2
        if part.wires:
            axes.text(middle, y + 4, "near side – far side", ha="center", size=5.5, color=DIM)
        for line, (a, b) in enumerate(pin_table(part)):
            axes.text(middle - 2, y - 4 * line, a, ha="right", size=6.5, color=INK)
            axes.text(middle, y - 4 * line, "–", ha="center", size=6.5, color=DIM)
            axes.text(middle + 2, y - 4 * line, b, ha="left", size=6.5, color=INK)
    return _table_room(finding)


def _table_room(finding: Finding) -> float:
    longest = max((len(part.wires) for part in finding.chain), default=0)
    return 4.0 * longest + 6 if longest else 0.0


def _title(axes: Any, near: End, far: End, finding: Finding, height: float) -> None:
    word, colour = ("works", GOOD) if finding.works else ("does not work", BAD)
    axes.text(_MARGIN, height - 10, f"{near.name} to {far.name}", size=13, weight="bold", color=INK, va="top")
    axes.text(_MARGIN, height - 17, word, size=10, weight="bold", color=colour, va="top")


def _end(axes: Any, end: End, x: float, rows: dict[str, float], *, left: bool) -> None:
    side = -1 if left else 1
    for pin, y in rows.items():
        if pin in end.pins:
            axes.text(x + side * 4, y, end.signal(pin), ha="right" if left else "left", va="center", size=8, color=INK)
    y = max(rows.values()) + 7
    for line, text in enumerate((end.level.value, end.face.text, end.name)):
        axes.text(x + side * 4, y + 4 * line, text, ha="right" if left else "left", size=7.5, color=DIM)


def _part(
    axes: Any, part: Part, left: float, right: float, a: dict[str, float], b: dict[str, float], top: float
) -> None:
    middle = (left + right) / 2
    for line, text in enumerate(reversed(wrap(part.name, 28))):
        axes.text(middle, top + 7 + 4 * line, text, ha="center", size=7.5, color=COPPER)
    axes.text(left + 4, top + 2.5, part.faces[0].text, ha="left", size=5.5, color=DIM)
    axes.text(right - 4, top + 2.5, part.faces[1].text, ha="right", size=5.5, color=DIM)
    if part.inside is not None:
        _inside(axes, part, left, right, a, b)


def _wire(axes: Any, strand: Strand, joints: list[float], rows: list[dict[str, float]]) -> None:
    """Straight from contact to contact, so that what crosses is seen to; a bridge as a bracket in its own connector."""
    (at, pin), (to, other) = sorted((strand.at, strand.to))
    colour = {Tone.GOOD: GOOD, Tone.BAD: BAD}.get(strand.tone, DIM)
    style: dict[str, Any] = {"color": colour, "linewidth": 1.0 if strand.tone is Tone.DIM else 1.5}
    if strand.tone is Tone.BAD:
        style["linestyle"] = (0, (3, 2))  # told apart without colour too
    y, end_y = rows[at][pin], rows[to][other]
    if at != to:
        x, end_x = joints[at], joints[to]
        axes.plot([x, x + 9, end_x - 9, end_x], [y, y, end_y, end_y], **style)
        return
    behind = at < len(joints) - 1 and strand.at[0] == at
    out = joints[at] + (7 if behind else -7)
    axes.plot([joints[at], out, out, joints[at]], [y, y, end_y, end_y], **style)
    axes.plot([joints[at] + (3 if behind else -3)] * 2, [y, end_y], linestyle="", marker="s", markersize=2.5, color=INK)


def _inside(axes: Any, part: Part, left: float, right: float, a: dict[str, float], b: dict[str, float]) -> None:
    assert part.inside is not None
    low = min(*a.values(), *b.values()) - 2
    high = max(*a.values(), *b.values()) + 2
    box = FancyBboxPatch((left + 20, low), right - left - 40, high - low, boxstyle="round,pad=0.5", fill=False,
                         edgecolor=COPPER, linewidth=1.2)  # fmt: skip
    axes.add_patch(box)
    axes.text((left + right) / 2, (low + high) / 2, "carries\nboth ways", ha="center", va="center", size=6.5, color=DIM)
    for end, x, inner, rows in ((part.inside[0], left, left + 19.5, a), (part.inside[1], right, right - 19.5, b)):
        for pin, what in end.pins.items():
            axes.plot([x, inner], [rows[pin], rows[pin]], color=INK, linewidth=1.1)
            axes.text((x + inner) / 2, rows[pin] + 0.6, what.signal, ha="center", size=5.5, color=DIM)


def _verdicts(axes: Any, finding: Finding, y: float) -> None:
    for signal in finding.signals:
        mark, colour = ("✓", GOOD) if signal.ok else ("✗", BAD)
        axes.text(_MARGIN, y, mark, size=8, color=colour)
        axes.text(_MARGIN + 5, y, f"{signal.name}: pin {signal.from_pin} to pin {signal.to_pin}", size=8, color=INK)
        y -= 5
    for problem in finding.problems:
        colour = DIM if problem.weight is Weight.NOTE else BAD
        for line in wrap(f"{problem.weight.name.lower()}: {problem.text}", 90):
            axes.text(_MARGIN + 5, y, line, size=8, color=colour)
            y -= 5
