"""Checks a chain: every signal followed pin by pin through each joint; what is wrong, damage first.

The pins of all joints and all wires are made one where they touch (nets.py). A chain works if data arrive both ways,
grounds meet, no two outputs are joined, levels suit, and the handshake that the flow control needs is there.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ordolex.core.line.settings import Flow
from ordolex.core.wiring.connectors import READY, RECEIVE, End, Face
from ordolex.core.wiring.finding import Finding, Problem, Signal, Weight
from ordolex.core.wiring.nets import Nets
from ordolex.core.wiring.parts import Part


def check(near: End, far: End, chain: Sequence[Part], flow: Flow = Flow.NONE) -> Finding:
    """The chain as given, from `near` to `far`; its parts must lie the right way round (see `laid`)."""
    loose = _joints_that_do_not_mate(near, far, chain)
    if loose:
        return Finding(tuple(chain), (), tuple(loose))
    nets = Nets(near, far, chain)
    signals = [nets.data(0), nets.data(1), nets.ground()]
    if flow in (Flow.RTS_CTS, Flow.DTR_DSR):
        what = RECEIVE if flow is Flow.RTS_CTS else READY
        signals += [nets.handshake(what, 0), nets.handshake(what, 1)]
    problems = [
        *nets.level_problems(), *nets.joined_outputs(flow), *nets.grounded_outputs(), *nets.shorted_pairs(),
        *_missing(signals, nets), *nets.parted_by_light(),
    ]  # fmt: skip
    return Finding(tuple(chain), tuple(signals), tuple(sorted(problems, key=lambda p: p.weight)))


def laid(near: End, far: End, parts: Sequence[Part]) -> list[tuple[Part, ...]]:
    """All ways of turning the parts in which every joint mates; empty where there is none."""
    found: list[tuple[Part, ...]] = []

    def go_on(face: Face, at: int, chain: tuple[Part, ...]) -> None:
        if at == len(parts):
            if face.mates(far.face):
                found.append(chain)
            return
        for part in turns(parts[at]):
            if face.mates(part.faces[0]):
                go_on(part.faces[1], at + 1, (*chain, part))

    go_on(near.face, 0, ())
    return found


def turns(part: Part) -> tuple[Part, ...]:
    """The part as it is and turned, once if both are the same."""
    turned = part.turned()
    same = turned.faces == part.faces and set(map(frozenset, turned.wires)) == set(map(frozenset, part.wires))
    return (part,) if same and part.inside == turned.inside else (part, turned)


def best_laid(near: End, far: End, parts: Sequence[Part], flow: Flow = Flow.NONE) -> Finding:
    """The finding for the best way of laying the parts; for parts that do not mate, what does not."""
    ways = laid(near, far, parts)
    findings = [check(near, far, way, flow) for way in ways] or [check(near, far, parts, flow)]
    return min(findings, key=lambda f: (not f.works, [p.weight for p in f.problems]))


def _joints_that_do_not_mate(near: End, far: End, chain: Sequence[Part]) -> list[Problem]:
    problems = []
    face, name = near.face, near.name
    for part in chain:
        if not face.mates(part.faces[0]):
            problems.append(_does_not_mate(name, face, part.name, part.faces[0]))
        face, name = part.faces[1], part.name
    if not face.mates(far.face):
        problems.append(_does_not_mate(name, face, far.name, far.face))
    return problems


def _does_not_mate(name: str, face: Face, other_name: str, other: Face) -> Problem:
    if face.connector != other.connector:
        why = f"{face.connector} does not go into {other.connector}"
    else:
        why = f"both are {face.gender.value}s"
    return Problem(Weight.FAILS, f"{name} and {other_name} do not mate: {why}")


def _missing(signals: Iterable[Signal], nets: Nets) -> list[Problem]:
    problems = []
    for signal in signals:
        if signal.ok:
            continue
        if signal.name == "ground" and nets.bus_without_ground():
            problems.append(
                Problem(Weight.NOTE, "no ground wire: a short bus in one building lives without, a long one not")
            )
        elif signal.name == "ground":
            problems.append(Problem(Weight.FAILS, "the grounds do not meet"))
        else:
            problems.append(Problem(Weight.FAILS, f"{signal.name} does not arrive: {nets.why_not(signal)}"))
    return problems
