"""The cable of a link as lines and words in a box, for page and paper alike: a chain that fits, and what was said of
how it is plugged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from ordolex.core.wiring.connectors import ENDS, End
from ordolex.core.wiring.drawn import Tone, pins_at, strands
from ordolex.core.wiring.finding import Finding
from ordolex.core.wiring.parts import USUAL_BAG
from ordolex.core.wiring.solve import bag_of, solve

_ROW, _TOP, _SIDE = 4.4, 14.0, 26.0


@dataclass(frozen=True, slots=True)
class Cable:
    """`said` is how it was plugged, by whom that was told; empty where nobody said."""

    near: End
    far: End
    finding: Finding
    said: str

    @property
    def words(self) -> str:
        chain = " – ".join(part.name for part in self.finding.chain) or "they go together as they are"
        how = f"as it was plugged: {self.said}" if self.said else "how it was plugged, nobody said"
        return f"A chain that fits, of usual parts: {chain}; {how}."


@dataclass(frozen=True, slots=True)
class CableShape:
    """y downwards.

    wires   (x, y, x, y, tone)
    pins    (x, y, number)
    labels  (x, y, text, align), align one of left, middle, right
    boxes   (x, y, width, height) of parts with electronics: what one side hears the other says
    """

    wires: list[tuple[float, float, float, float, Tone]]
    pins: list[tuple[float, float, str]]
    labels: list[tuple[float, float, str, str]]
    boxes: list[tuple[float, float, float, float]]
    high: float


def cable_of(near: str, far: str, said: str) -> Cable | None:
    """By names in ENDS; None where no chain of the usual parts fits."""
    finding = _usual(near, far)
    return Cable(ENDS[near], ENDS[far], finding, said) if finding is not None else None


@cache
def _usual(near: str, far: str) -> Finding | None:
    return solve(ENDS[near], ENDS[far], bag_of([*USUAL_BAG, *USUAL_BAG])).finding


def cable_shape(cable: Cable, wide: float) -> CableShape:
    """From the PC on the left to the device on the right."""
    chain = cable.finding.chain
    step = (wide - 2 * _SIDE) / max(1, len(chain))
    xs = [_SIDE + at * step for at in range(len(chain) + 1)] if chain else [wide / 2]
    columns = [pins_at(at, cable.near, cable.far, chain) for at in range(len(chain) + 1)]
    rows = [{pin: _TOP + _ROW * row for row, pin in enumerate(column)} for column in columns]
    pins = [(x, y, pin) for x, column in zip(xs, rows, strict=True) for pin, y in column.items()]
    wires = [
        (xs[one.at[0]], rows[one.at[0]][one.at[1]], xs[one.to[0]], rows[one.to[0]][one.to[1]], one.tone)
        for one in strands(cable.finding)
    ]
    labels: list[tuple[float, float, str, str]] = [(0, 4, "PC", "left"), (wide, 4, "device", "right")]
    for at, part in enumerate(chain):
        labels += _named(part.name, (xs[at] + xs[at + 1]) / 2, step)
    labels += [
        (_SIDE - 3, rows[0][pin] + 1, one.signal, "right") for pin, one in cable.near.pins.items() if pin in rows[0]
    ]
    last = rows[-1]
    labels += [(xs[-1] + 3, last[pin] + 1, one.signal, "left") for pin, one in cable.far.pins.items() if pin in last]
    tall = _ROW * max(map(len, columns))
    boxes = [
        (xs[at] + 4, _TOP - _ROW / 2, step - 8, max(len(columns[at]), len(columns[at + 1])) * _ROW)
        for at, part in enumerate(chain) if part.inside is not None
    ]  # fmt: skip
    return CableShape(wires, pins, labels, boxes, _TOP + tall + 2)


def _named(name: str, x: float, room: float) -> Sequence[tuple[float, float, str, str]]:
    """A part's name over two lines where one has no room."""
    words, lines = name.split(), [""]
    for word in words:
        if lines[-1] and len(lines[-1]) + len(word) + 1 > room / 1.7 and len(lines) < 2:
            lines.append("")
        lines[-1] = f"{lines[-1]} {word}".strip()
    return [(x, 4 + 3.4 * number, line, "middle") for number, line in enumerate(lines)]
