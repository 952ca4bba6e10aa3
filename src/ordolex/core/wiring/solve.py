"""Finds the chain with the fewest parts of a bag, the cheapest of these, that joins two ends and works.

Where the bag has none, it says which one part of the catalogue would make it possible. Where a chain in hand does not
work, it says the smallest change that mends it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ordolex.core.line.settings import Flow
from ordolex.core.wiring.check import best_laid, check, turns
from ordolex.core.wiring.connectors import End, Face
from ordolex.core.wiring.finding import Finding
from ordolex.core.wiring.parts import CATALOGUE, Part

MAX_PARTS = 5
"""Longest chain looked for. A longer one is a heap of adapters that nobody trusts; a chain in hand may be longer."""

Bag = Mapping[str, tuple[Part, int]]
"""Name → the part, and how many of it are at hand."""


@dataclass(frozen=True, slots=True)
class Solution:
    """finding   the best chain, or None
    buy         where there is none: the part that would make one possible, with the chain it makes
    why         where one part is not enough, or no part helps: what is missing, in words"""

    finding: Finding | None
    buy: tuple[Part, Finding] | None = None
    why: str = ""


@dataclass(frozen=True, slots=True)
class Mend:
    """The smallest change to a chain that makes it work, in words, and what it makes."""

    text: str
    finding: Finding


def bag_of(names: Sequence[str], known: Mapping[str, Part] = CATALOGUE) -> Bag:
    """A bag from part names; a name given twice is there twice. Raises KeyError for an unknown one."""
    return {name: (known[name], names.count(name)) for name in names}


def solve(near: End, far: End, bag: Bag, flow: Flow = Flow.NONE) -> Solution:
    found = _shortest(near, far, bag, flow)
    if found is not None:
        return Solution(found)
    best: tuple[Part, Finding] | None = None
    for part in sorted(CATALOGUE.values(), key=lambda p: (p.cost, p.name)):
        more = dict(bag)
        more[part.name] = (part, more[part.name][1] + 1 if part.name in more else 1)
        chain = _shortest(near, far, more, flow)
        if chain is not None and (best is None or _rank(chain) < _rank(best[1])):
            best = (part, chain)
    return Solution(None, best, "" if best else _why_none(near, far, bag, flow))


def _why_none(near: End, far: End, bag: Bag, flow: Flow) -> str:
    everything: dict[str, tuple[Part, int]] = {name: (part, 2) for name, part in CATALOGUE.items()}
    everything.update({name: (part, count + 2) for name, (part, count) in bag.items()})
    whole = _shortest(near, far, everything, flow)
    if whole is not None:
        at_hand = {name: count for name, (_, count) in bag.items()}
        missing = []
        for part in whole.chain:
            at_hand[part.name] = at_hand.get(part.name, 0) - 1
            if at_hand[part.name] < 0:
                missing.append(part.name)
        return f"more than one part is missing: {', '.join(missing)}"
    if flow is not Flow.NONE and _shortest(near, far, everything, Flow.NONE) is not None:
        return f"{flow.value} cannot be had between {near.name} and {far.name}; set flow control to none"
    return f"no chain of up to {MAX_PARTS} parts joins {near.name} and {far.name}"


def _rank(finding: Finding) -> tuple[int, float, tuple[str, ...]]:
    return len(finding.chain), sum(p.cost for p in finding.chain), tuple(p.name for p in finding.chain)


def _shortest(near: End, far: End, bag: Bag, flow: Flow) -> Finding | None:
    """Iterative deepening: all chains of a length are looked at before any longer one."""
    for length in range(MAX_PARTS + 1):
        works = [f for chain in _chains(near, far, bag, length) if (f := check(near, far, chain, flow)).works]
        if works:
            return min(works, key=_rank)
    return None


def _chains(near: End, far: End, bag: Bag, length: int) -> Iterator[tuple[Part, ...]]:
    """Every chain of exactly so many parts of the bag whose joints all mate."""
    left = {name: count for name, (_, count) in bag.items()}
    ways = {name: turns(part) for name, (part, _) in bag.items()}
    steps = _steps_to(far.face, ways.values(), length)

    def go_on(face: Face, chain: tuple[Part, ...]) -> Iterator[tuple[Part, ...]]:
        rest = length - len(chain)
        if rest == 0:
            if face.mates(far.face):
                yield chain
            return
        if face not in steps[rest]:
            return  # from here the far end cannot be reached with what is left
        for name, count in left.items():
            if not count:
                continue
            left[name] -= 1
            for part in ways[name]:
                if face.mates(part.faces[0]):
                    yield from go_on(part.faces[1], (*chain, part))
            left[name] += 1

    yield from go_on(near.face, ())


def _steps_to(goal: Face, ways: Iterable[tuple[Part, ...]], length: int) -> list[set[Face]]:
    """For each number of parts: the faces from which the goal can be reached with exactly so many."""
    parts = [part for turned in ways for part in turned]
    steps: list[set[Face]] = [{Face(goal.connector, goal.gender.mate)}]
    for _ in range(length):
        open_to = {Face(p.faces[0].connector, p.faces[0].gender.mate) for p in parts if p.faces[1] in steps[-1]}
        steps.append(open_to)
    return steps


def mend(near: End, far: End, parts: Sequence[Part], bag: Bag, flow: Flow = Flow.NONE) -> Mend | None:
    """One part turned out, put in or changed for another, from the bag before the catalogue; None if none helps."""
    for source, where in ((bag, "in the bag"), ({n: (p, 1) for n, p in CATALOGUE.items()}, "to buy")):
        options = sorted((part for part, _ in source.values()), key=lambda p: (p.cost, p.name))
        for text, changed in _changes(parts, options, where):
            finding = best_laid(near, far, changed, flow)
            if finding.works:
                return Mend(text, finding)
    return None


def _changes(parts: Sequence[Part], options: Sequence[Part], where: str) -> Iterator[tuple[str, list[Part]]]:
    for at, part in enumerate(parts):
        yield f"take out {part.name}", [*parts[:at], *parts[at + 1 :]]
    for new in options:
        for at in range(len(parts) + 1):
            yield f"put in {new.name} ({where})", [*parts[:at], new, *parts[at:]]
    for new in options:
        for at, part in enumerate(parts):
            if new.name != part.name:
                yield f"change {part.name} for {new.name} ({where})", [*parts[:at], new, *parts[at + 1 :]]
