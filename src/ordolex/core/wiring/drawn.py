"""A chain drawn in characters: both connectors with their pins, and each wire from contact to contact, crossing where
they cross. Lines are drawn in dots of two by four a character (Unicode's braille patterns, U+2800).

A part with electronics is a box; what it hears at one side it says at the other.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum
from textwrap import wrap

from ordolex.core.wiring.connectors import PINS, End, Face
from ordolex.core.wiring.finding import Finding
from ordolex.core.wiring.parts import Part

_WIDE, _NARROW = 18, 11  # characters between two joints
_JOINT = 4
_HEAD = 4  # lines above the pins: the part's name, and its connectors
_DOTS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))


class Tone(Enum):
    """What a piece of the drawing tells."""

    PLAIN = "plain"
    DIM = "dim"
    PART = "part"
    GOOD = "good"
    BAD = "bad"


Piece = tuple[str, Tone]


@dataclass(frozen=True, slots=True)
class Strand:
    """One wire of the drawing, between two joints or as a bridge at one of them.

    at, to   (joint, pin), the joints counted from the near end
    """

    at: tuple[int, str]
    to: tuple[int, str]
    tone: Tone


def pins_at(joint: int, near: End, far: End, chain: Sequence[Part]) -> list[str]:
    """The pins of a joint that anything uses, in the order of their numbers."""
    used: set[str] = set()
    if joint == 0:
        used |= set(near.pins)
    if joint == len(chain):
        used |= set(far.pins)
    for side, index in (("b", joint - 1), ("a", joint)):
        if 0 <= index < len(chain):
            part = chain[index]
            used |= {place[1:] for wire in part.wires for place in wire if place[0] == side}
            if part.inside is not None:
                used |= set(part.inside[side == "b"].pins)
    before, behind = _faces_at(joint, near, far, chain)
    order = [*PINS[before.connector], *PINS[behind.connector]]  # what does not go together is drawn all the same
    return [pin for pin in dict.fromkeys(order) if pin in used]


def _faces_at(joint: int, near: End, far: End, chain: Sequence[Part]) -> tuple[Face, Face]:
    """What meets there: the face before, and the one behind."""
    before = near.face if joint == 0 else chain[joint - 1].faces[1]
    return before, far.face if joint == len(chain) else chain[joint].faces[0]


def _tones(finding: Finding) -> dict[tuple[int, str], Tone]:
    """(joint, pin) → whether a signal that must arrive goes through it, and does."""
    out: dict[tuple[int, str], Tone] = {}
    for signal in finding.signals:
        tone = Tone.GOOD if signal.ok else Tone.BAD
        for joint, place in enumerate(signal.path):
            for pin in place.split("/"):
                if out.get((joint, pin)) is not Tone.BAD:
                    out[joint, pin] = tone
    return out


def strands(finding: Finding) -> list[Strand]:
    """Every wire of the chain's passive parts, by whether a signal that must arrive goes through it, and does."""
    tones = _tones(finding)
    out = []
    for index, part in enumerate(finding.chain):
        for wire in part.wires:
            ends = [(index + (place[0] == "b"), place[1:]) for place in wire]
            both = {tones.get(end, Tone.DIM) for end in ends}
            out.append(Strand(ends[0], ends[1], both.pop() if len(both) == 1 else Tone.DIM))
    return out


def pin_table(part: Part) -> list[tuple[str, str]]:
    """What to solder: contact of the near side, contact of the far one; of a bridge, both contacts and the side."""
    out = []
    for x, y in part.wires:
        if x[0] != y[0]:
            first, second = sorted((x, y))
            out.append((first[1:], second[1:]))
        else:
            where = "near" if x[0] == "a" else "far"
            out.append((f"{x[1:]} and {y[1:]}", f"bridged at the {where} side"))
    return out


def drawing(near: End, far: End, finding: Finding, width: int) -> list[list[Piece]]:
    """The chain in lines of pieces, at most so many characters wide; empty where it does not fit."""
    chain = finding.chain
    columns = [pins_at(joint, near, far, chain) for joint in range(len(chain) + 1)]
    left, right = (max((len(what.signal) for what in end.pins.values()), default=0) + 1 for end in (near, far))
    room = width - left - right - _JOINT * len(columns) - 2
    between = min(_WIDE, room // len(chain)) if chain else 0
    if between < _NARROW and chain:
        return []
    joints = [left + at * (_JOINT + between) for at in range(len(columns))]
    boxes = any(part.inside is not None for part in chain)
    canvas = _Canvas(joints[-1] + _JOINT + right + 2, _HEAD + max(map(len, columns)) + boxes)
    tones = _tones(finding)
    for at, part in enumerate(chain):
        _part(canvas, part, joints[at] + _JOINT, between)
        if part.inside is not None:
            sides = {(side, pin): tone for (joint, pin), tone in tones.items() if (side := joint - at) in (0, 1)}
            _box(canvas, part.inside, joints[at] + _JOINT, between, (columns[at], columns[at + 1]), sides)
    for strand in sorted(strands(finding), key=lambda one: one.tone is not Tone.DIM):
        _wire(canvas, strand, joints, columns)
    for joint, (x, pins) in enumerate(zip(joints, columns, strict=True)):
        before, behind = _faces_at(joint, near, far, chain)
        fits = before.mates(behind)
        words = before.connector if fits else f"{before.connector} ✗ {behind.connector}"
        canvas.write(max(0, x + 2 - len(words) // 2), _HEAD - 1, words, Tone.DIM if fits else Tone.BAD)
        for row, pin in enumerate(pins):
            canvas.write(x, _HEAD + row, f"┤{pin:>2}├" if 0 < joint < len(chain) else f"│{pin:>2}│", Tone.PLAIN)
    _names(canvas, near, columns[0], joints[0], left=True)
    _names(canvas, far, columns[-1], joints[-1] + _JOINT, left=False)
    for place, ok in _arrivals(finding).items():
        if place in columns[-1]:
            mark = ("✓", Tone.GOOD) if ok else ("✗", Tone.BAD)
            canvas.write(joints[-1] + _JOINT + right, _HEAD + columns[-1].index(place), *mark)
    return canvas.lines()


def _arrivals(finding: Finding) -> dict[str, bool]:
    """Pin at the far end → whether the signals on it arrive."""
    out: dict[str, bool] = {}
    for signal in finding.signals:
        place = signal.to_pin if signal.forward else signal.from_pin
        for pin in place.split("/"):
            out[pin] = out.get(pin, True) and signal.ok
    return out


def _names(canvas: _Canvas, end: End, pins: Sequence[str], x: int, *, left: bool) -> None:
    for row, pin in enumerate(pins):
        name = end.signal(pin)
        canvas.write(x - len(name) - 1 if left else x + 1, _HEAD + row, name, Tone.PLAIN if name else Tone.DIM)


def _part(canvas: _Canvas, part: Part, x: int, width: int) -> None:
    for row, line in enumerate(wrap(part.name, width)[: _HEAD - 1]):
        canvas.write(x + (width - len(line)) // 2, row, line, Tone.PART)


def _box(
    canvas: _Canvas,
    inside: tuple[End, End],
    x: int,
    width: int,
    columns: tuple[Sequence[str], Sequence[str]],
    tones: Mapping[tuple[int, str], Tone],
) -> None:
    """A part with electronics: the contacts of both sides led into a box; `tones` by side and pin."""
    inner = min(6, (width - 4) // 2)
    left, right, rows = x + inner, x + width - 1 - inner, max(map(len, columns))
    for side, (end, pins) in enumerate(zip(inside, columns, strict=True)):
        for row, pin in enumerate(pins):
            if pin in end.pins:
                name = end.signal(pin)[: inner - 1]
                line = name + "─" * (inner - len(name)) if side == 0 else "─" * (inner - len(name)) + name
                canvas.write(x if side == 0 else right + 1, _HEAD + row, line, tones.get((side, pin), Tone.DIM))
    for row in range(rows):
        canvas.write(left, _HEAD + row, "┃", Tone.PART)
        canvas.write(right, _HEAD + row, "┃", Tone.PART)
    canvas.write(left, _HEAD - 1, f"┏{'━' * (right - left - 1)}┓", Tone.PART)
    canvas.write(left, _HEAD + rows, f"┗{'━' * (right - left - 1)}┛", Tone.PART)
    canvas.write((left + right) // 2, _HEAD + rows // 2, "⇄", Tone.PART)


def _wire(canvas: _Canvas, strand: Strand, joints: Sequence[int], columns: Sequence[Sequence[str]]) -> None:
    ends = sorted((strand.at, strand.to))
    rows = [_HEAD + columns[joint].index(pin) for joint, pin in ends]
    if ends[0][0] != ends[1][0]:
        canvas.line(joints[ends[0][0]] + _JOINT, rows[0], joints[ends[1][0]] - 1, rows[1], strand.tone)
        return
    joint = ends[0][0]
    # a bridge leans out of the connector that it is in: that of the part before a joint, or behind it
    behind = strand.at[0] == joint and joint < len(joints) - 1
    x, out = (joints[joint] + _JOINT, 2) if behind else (joints[joint] - 1, -2)
    low, high = sorted(rows)
    canvas.line(x, low, x + out, low, strand.tone)
    canvas.line(x + out, low, x + out, high, strand.tone)
    canvas.line(x + out, high, x, high, strand.tone)


class _Canvas:
    """Characters, and dots between them."""

    def __init__(self, width: int, height: int) -> None:
        self._text: dict[tuple[int, int], Piece] = {}
        self._dots: dict[tuple[int, int], int] = {}
        self._tones: dict[tuple[int, int], Tone] = {}
        self._size = width, height

    def write(self, x: int, y: int, text: str, tone: Tone) -> None:
        for at, letter in enumerate(text):
            if x + at < self._size[0]:
                self._text[x + at, y] = (letter, tone)

    def line(self, x0: int, y0: int, x1: int, y1: int, tone: Tone) -> None:
        """From the middle of one cell to that of another, drawn dot by dot."""
        from_x, from_y, to_x, to_y = 2 * x0, 4 * y0 + 1, 2 * x1 + 1, 4 * y1 + 1
        steps = max(abs(to_x - from_x), abs(to_y - from_y), 1)
        for step in range(steps + 1):
            x = round(from_x + (to_x - from_x) * step / steps)
            y = round(from_y + (to_y - from_y) * step / steps)
            cell = x // 2, y // 4
            self._dots[cell] = self._dots.get(cell, 0) | _DOTS[y % 4][x % 2]
            self._tones[cell] = tone

    def lines(self) -> list[list[Piece]]:
        width, height = self._size
        return [self._row(y, width) for y in range(height)]

    def _row(self, y: int, width: int) -> list[Piece]:
        out: list[Piece] = []
        for x in range(width):
            piece = self._text.get((x, y))
            if piece is None:
                dots = self._dots.get((x, y), 0)
                piece = (chr(0x2800 + dots), self._tones[x, y]) if dots else (" ", Tone.PLAIN)
            if out and out[-1][1] is piece[1]:
                out[-1] = (out[-1][0] + piece[0], piece[1])
            else:
                out.append(piece)
        return out
