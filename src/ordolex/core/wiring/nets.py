"""Which pins of a chain are one, and what drives and hears them: data are followed as groups of nets, one for a
single-ended signal, two for a pair, through active parts too."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ordolex.core.line.settings import Flow
from ordolex.core.wiring.connectors import PINS, End, Level, Way
from ordolex.core.wiring.finding import Problem, Signal, Weight
from ordolex.core.wiring.parts import Part

_LOGIC = (Level.LOGIC5, Level.LOGIC33)
_STATUS = {"DCD", "DSR", "RI"}
"""Outputs of a DCE that say something of it, and by which no data are let through."""
_PAIRS = (Level.RS485, Level.RS422)


@dataclass(frozen=True, slots=True)
class _Place:
    """A pin of the chain: the joint that it belongs to (0 is at the near end) and its number."""

    joint: int
    pin: str


class Nets:
    """Which places are one, and what drives and hears them."""

    def __init__(self, near: End, far: End, chain: Sequence[Part]) -> None:
        self._near, self._far, self._chain = near, far, chain
        self._root: dict[_Place, _Place] = {}
        for at, part in enumerate(chain):
            for x, y in part.wires:
                self._join(self._place(at, x), self._place(at, y))
        self._owners: list[tuple[int, End, str]] = [(0, near, near.name), (len(chain), far, far.name)]
        for at, part in enumerate(chain):
            if part.inside is not None:
                self._owners += [(at, part.inside[0], part.name), (at + 1, part.inside[1], part.name)]

    @staticmethod
    def _place(at: int, side_and_pin: str) -> _Place:
        return _Place(at + (side_and_pin[0] == "b"), side_and_pin[1:])

    def _net(self, place: _Place) -> _Place:
        while (up := self._root.get(place, place)) != place:
            place = up
        return place

    def _join(self, x: _Place, y: _Place) -> None:
        a, b = self._net(x), self._net(y)
        if a != b:
            self._root[b] = a

    def _group(self, joint: int, pins: Iterable[str]) -> tuple[_Place, ...]:
        return tuple(self._net(_Place(joint, pin)) for pin in pins)

    def _ends_of(self, number: int) -> tuple[End, int, End, int]:
        last = len(self._chain)
        here = (self._near, 0, self._far, last)
        return here if number == 0 else (self._far, last, self._near, 0)

    # ---- following

    def _reached(self, start: tuple[_Place, ...], carry: str | None) -> list[tuple[_Place, ...]]:
        """All groups that a group drives, through active parts: `carry` names the handshake, None is data."""
        return list(self._followed(start, carry))

    def _followed(
        self, start: tuple[_Place, ...], carry: str | None
    ) -> dict[tuple[_Place, ...], tuple[_Place, ...] | None]:
        """Group → the group that it came from, in the order in which they were found."""
        came_from: dict[tuple[_Place, ...], tuple[_Place, ...] | None] = {start: None}
        waiting = [start]
        for group in waiting:
            for at, part in enumerate(self._chain):
                for onto in self._through(part, at, group, carry):
                    if onto not in came_from:
                        came_from[onto] = group
                        waiting.append(onto)
        return came_from

    def _signal(self, name: str, number: int, out: tuple[str, ...], into: tuple[str, ...], carry: str | None) -> Signal:
        """The signal with its way: to the goal where it arrives, else as far as the first group goes."""
        _, a_joint, _, b_joint = self._ends_of(number)
        start, goal = self._group(a_joint, out), self._group(b_joint, into)
        came_from = self._followed(start, carry)
        way = [start]
        if goal in came_from:
            step: tuple[_Place, ...] | None = goal
            while step is not None:
                way.append(step)
                step = came_from[step]
        return Signal(name, "/".join(out), "/".join(into), goal in came_from, self._path(way), number == 0)

    def _through(
        self, part: Part, at: int, group: tuple[_Place, ...], carry: str | None
    ) -> Iterable[tuple[_Place, ...]]:
        """What an active part sends on, if the group is what one of its ends hears."""
        if part.inside is None:
            return
        a, b = part.inside
        for hears, hear_joint, sends, send_joint in ((a, at, b, at + 1), (b, at + 1, a, at)):
            if carry is None:
                into, out = hears.hears, sends.sends
            elif carry in hears.obeys and carry in sends.asks:
                into, out = (hears.obeys[carry],), (sends.asks[carry],)
            else:
                continue
            if self._group(hear_joint, into) == group:
                yield self._group(send_joint, out)

    def _label(self, what: str, number: int) -> str:
        near, far = self._near.name, self._far.name
        if near == far:
            near, far = f"{near} (near)", f"{far} (far)"
        return f"{what} {near} → {far}" if number == 0 else f"{what} {far} → {near}"

    def _path(self, groups: Iterable[tuple[_Place, ...]]) -> tuple[str, ...]:
        """The pins at each joint that are on one of the groups' first nets."""
        nets = {group[0] for group in groups}
        path = []
        for joint in range(len(self._chain) + 1):
            face = self._near.face if joint == 0 else self._chain[joint - 1].faces[1]
            pins = [pin for pin in PINS[face.connector] if self._net(_Place(joint, pin)) in nets]
            path.append(",".join(pins) or "-")
        return tuple(path)

    def data(self, number: int) -> Signal:
        a, _, b, _ = self._ends_of(number)
        return self._signal(self._label("data", number), number, a.sends, b.hears, None)

    def handshake(self, what: str, number: int) -> Signal:
        a, _, b, _ = self._ends_of(number)
        out, into = a.asks.get(what), b.obeys.get(what)
        name = self._label(what, number)
        if out is None or into is None:
            return Signal(name, out or "none", into or "none", False, ("-",) * (len(self._chain) + 1), number == 0)
        return self._signal(name, number, (out,), (into,), what)

    def ground(self) -> Signal:
        near, far, last = self._near, self._far, len(self._chain)
        if near.ground is None or far.ground is None:
            return Signal("ground", near.ground or "none", far.ground or "none", False, ("-",) * (last + 1))
        seen = [self._net(_Place(0, near.ground))]
        by_light = self._grounds_of_converters()
        for net in seen:
            seen += [other for other in by_light if net in by_light and other not in seen]
            for at, part in enumerate(self._chain):
                if part.inside is None or part.inside[0].ground is None or part.inside[1].ground is None:
                    continue
                a = self._net(_Place(at, part.inside[0].ground))
                b = self._net(_Place(at + 1, part.inside[1].ground))
                seen += [other for this, other in ((a, b), (b, a)) if this == net and other not in seen]
        ok = self._net(_Place(last, far.ground)) in seen
        return Signal("ground", near.ground, far.ground, ok, self._path((net,) for net in seen))

    def _grounds_of_converters(self) -> list[_Place]:
        """The grounds of what stands on both sides of a fibre: they need not meet for the data to pass."""
        return [
            self._net(_Place(at + side, this.ground))
            for at, part in enumerate(self._chain)
            if part.inside is not None
            for side, (this, other) in enumerate((part.inside, part.inside[::-1]))
            if other.level is Level.LIGHT and this.ground is not None
        ]

    def parted_by_light(self) -> list[Problem]:
        if len(self._grounds_of_converters()) < 2:
            return []
        words = "the fibre parts the two grounds: no loop, no surge across; each converter needs power on its own side"
        return [Problem(Weight.NOTE, words)]

    def bus_without_ground(self) -> bool:
        """Whether the only grounds that do not meet are those of an RS-485 pair, which may do without."""
        return Level.RS485 in (self._near.level, self._far.level) and None in (self._near.ground, self._far.ground)

    # ---- what is wrong

    def _pins_of_nets(self) -> dict[_Place, list[tuple[End, str, str]]]:
        """Net → the pins of ends on it, each as (end, pin, name of who has it)."""
        nets: dict[_Place, list[tuple[End, str, str]]] = defaultdict(list)
        for joint, end, name in self._owners:
            for pin in end.pins:
                nets[self._net(_Place(joint, pin))].append((end, pin, name))
        return nets

    def level_problems(self) -> list[Problem]:
        found: dict[str, Problem] = {}
        for members in self._pins_of_nets().values():
            for drives, pin, name in members:
                if drives.pins[pin].way in (Way.OUT, Way.BOTH):
                    for other, other_pin, other_name in members:
                        problem = _level_problem(drives, pin, name, other, other_pin, other_name)
                        if problem is not None:
                            found.setdefault(problem.text, problem)
        return list(found.values())

    def joined_outputs(self, flow: Flow) -> list[Problem]:
        """Status outputs of one RS-232 device that are tied are borne (TIA-232-F, 2.1.7), and only to be known where
        nothing that is asked for rests on them: a full null modem ties two at a DCE."""
        problems = []
        for members in self._pins_of_nets().values():
            outs = [(end, pin, name) for end, pin, name in members if end.pins[pin].way is Way.OUT]
            signals = {end.signal(pin) for end, pin, _ in outs}
            tied = len({name for *_, name in outs}) == 1 and all(end.level is Level.RS232 for end, *_ in outs)
            if len(outs) > 1 and tied and signals <= _STATUS and not (flow is Flow.DTR_DSR and "DSR" in signals):
                text = f"{' and '.join(sorted(signals))} of {outs[0][2]} are tied: neither tells anything by itself"
                problems.append(Problem(Weight.NOTE, text))
            elif len(outs) > 1:
                names = " and ".join(f"{end.signal(pin)} of {name}" for end, pin, name in outs)
                data = any(pin in end.sends for end, pin, _ in outs)
                hint = ": one crossing too few or too many" if data else ": they work against each other"
                problems.append(Problem(Weight.FAILS, f"two outputs are joined, {names}{hint}"))
            pairs = [(end, pin, name) for end, pin, name in members if end.pins[pin].way is Way.BOTH]
            if outs and pairs and outs[0][0].level is Level.RS422:
                text = f"the driver of {outs[0][2]} is always on: on the pair of {pairs[0][2]} nobody else can speak"
                if text not in [problem.text for problem in problems]:
                    problems.append(Problem(Weight.FAILS, text))
        return problems

    def grounded_outputs(self) -> list[Problem]:
        """What is driven and lies on a ground: RS-232 bears it (TIA-232-F, 2.1.7), a signal does not come through."""
        problems = []
        for members in self._pins_of_nets().values():
            if not any(end.pins[pin].way is Way.GROUND for end, pin, _ in members):
                continue
            for end, pin, name in members:
                if end.pins[pin].way in (Way.OUT, Way.BOTH):
                    weight = Weight.DAMAGE if end.level in _LOGIC else Weight.FAILS
                    problems.append(Problem(weight, f"{end.signal(pin)} of {name} lies on ground"))
        return problems

    def shorted_pairs(self) -> list[Problem]:
        problems = []
        for joint, end, name in self._owners:
            for group in {end.sends, end.hears}:
                nets = self._group(joint, group)
                if len(nets) == 2 and nets[0] == nets[1]:
                    lines = " and ".join(end.signal(pin) for pin in group)
                    problems.append(Problem(Weight.FAILS, f"the two lines of the pair are joined, {lines} of {name}"))
        return problems

    def why_not(self, signal: Signal) -> str:
        a, a_joint, b, b_joint = self._ends_of(0 if signal.forward else 1)
        if not signal.name.startswith("data"):
            if "none" in (signal.from_pin, signal.to_pin):
                return f"{(a if signal.from_pin == 'none' else b).name} has no such pin"
            return f"pin {signal.from_pin} of {a.name} is not joined to pin {signal.to_pin} of {b.name}"
        start, goal = self._group(a_joint, a.sends), self._group(b_joint, b.hears)
        reached = self._reached(start, None)
        if len(goal) == 2 and (goal[1], goal[0]) in reached:
            return "the two lines of the pair are swapped"
        if any(len(set(group) & set(self._group(b_joint, b.sends))) for group in reached) and a.sends != a.hears:
            return f"it goes to the output of {b.name}: one crossing too few or too many"
        if len(start) != len(goal) and len(reached) == 1:
            return f"{a.level.value} and {b.level.value} need a converter between them"
        return f"pin {'/'.join(a.sends)} of {a.name} is not joined to pin {'/'.join(b.hears)} of {b.name}"


def _level_problem(drives: End, pin: str, name: str, other: End, other_pin: str, other_name: str) -> Problem | None:
    """What a driven pin does to another on the same net. RS-232 swings to ±15 V (TIA-232-F, 2.1), logic bears 5.5 V."""
    way = other.pins[other_pin].way
    if way is Way.GROUND or other.level is drives.level or {drives.level, other.level} == set(_PAIRS):
        return None
    what = f"{drives.level.value} of {name} goes into {other.level.value} of {other_name}"
    if other.level in _LOGIC and drives.level is Level.RS232:
        return Problem(Weight.DAMAGE, f"{what}: up to 15 V will damage it")
    if other.level is Level.LOGIC33 and drives.level is Level.LOGIC5:
        return Problem(Weight.DAMAGE, f"{what}: 5 V damages an input that bears 3.3 V only")
    if Level.RS232 in (drives.level, other.level) and (drives.level in _PAIRS or other.level in _PAIRS):
        return Problem(Weight.DAMAGE, f"{what}: RS-232 swings beyond the -7 to 12 V that a bus input bears")
    if drives.level is Level.LOGIC33 and other.level is Level.LOGIC5:
        return Problem(Weight.NOTE, f"{what}: read by most 5 V inputs, promised by none")
    return Problem(Weight.FAILS, f"{what}: the levels do not suit")
