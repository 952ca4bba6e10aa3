"""The drawing of a chain: each joint with its pins, each wire of each part, what arrives and what is wrong."""

from __future__ import annotations

from textwrap import wrap
from typing import Any

from matplotlib.figure import Figure
from matplotlib.patches import FancyBboxPatch

from ordolex.core.wiring.check import Finding, Weight
from ordolex.core.wiring.connectors import PINS, End
from ordolex.core.wiring.parts import Part
from ordolex.draw.sheet import BAD, COPPER, DIM, GOOD, INK, sheet

_MARGIN, _END, _PART, _ROW, _TOP = 12.0, 34.0, 62.0, 6.0, 40.0


def draw_chain(near: End, far: End, finding: Finding) -> Figure:
    """From `near` on the left to `far` on the right."""
    count = len(finding.chain)
    joints = [_MARGIN + _END + at * _PART for at in range(count + 1)]
    pins = [_pins_at(at, near, far, finding.chain) for at in range(count + 1)]
    height = _TOP + max(map(len, pins)) * _ROW + 16 + 5.0 * (len(finding.signals) + 2 * len(finding.problems))
    figure, axes = sheet(joints[-1] + _END + _MARGIN, height)
    top = height - _TOP
    rows = [{pin: top - row * _ROW for row, pin in enumerate(column)} for column in pins]
    _title(axes, near, far, finding, height)
    _end(axes, near, joints[0], rows[0], left=True)
    _end(axes, far, joints[-1], rows[-1], left=False)
    for at, part in enumerate(finding.chain):
        _part(axes, part, joints[at], joints[at + 1], rows[at], rows[at + 1], top)
    for x, column in zip(joints, rows, strict=True):
        for pin, y in column.items():
            axes.plot([x], [y], marker="o", markersize=9, color="white", markeredgecolor=INK, zorder=3)
            axes.text(x, y, pin, ha="center", va="center", size=6.5, color=INK, zorder=4)
    _verdicts(axes, finding, min(min(column.values()) for column in rows if column) - 10)
    return figure


def _pins_at(at: int, near: End, far: End, chain: tuple[Part, ...]) -> list[str]:
    """The pins of a joint that anything uses, in the order of their numbers."""
    used: set[str] = set()
    if at == 0:
        used |= set(near.pins)
    if at == len(chain):
        used |= set(far.pins)
    for side, index in (("b", at - 1), ("a", at)):
        if 0 <= index < len(chain):
            part = chain[index]
            used |= {place[1:] for wire in part.wires for place in wire if place[0] == side}
            if part.inside is not None:
                used |= set(part.inside[side == "b"].pins)
    face = near.face if at == 0 else chain[at - 1].faces[1]
    return [pin for pin in PINS[face.connector] if pin in used]


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
    for x, y in part.wires:
        ends = [((left, a) if place[0] == "a" else (right, b), place[1:]) for place in (x, y)]
        xs = [column[0] for column, _ in ends]
        ys = [column[1][pin] for column, pin in ends]
        if xs[0] == xs[1]:  # a bridge at one side
            out = xs[0] + (8 if xs[0] == left else -8)
            axes.plot([xs[0], out, out, xs[0]], [ys[0], ys[0], ys[1], ys[1]], color=DIM, linewidth=0.9)
        else:
            axes.plot([xs[0], xs[0] + 12 * _sign(xs), xs[1] - 12 * _sign(xs), xs[1]], [ys[0], ys[0], ys[1], ys[1]],
                      color=INK, linewidth=1.1)  # fmt: skip


def _sign(xs: list[float]) -> float:
    return 1.0 if xs[1] > xs[0] else -1.0


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
