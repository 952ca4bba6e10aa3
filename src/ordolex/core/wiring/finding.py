"""What a check of a chain comes to: its signals, and what is wrong, damage first."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

from ordolex.core.wiring.parts import Part


class Weight(IntEnum):
    """How bad a problem is. A NOTE does not keep the chain from working."""

    DAMAGE = 0
    FAILS = 1
    NOTE = 2


@dataclass(frozen=True, slots=True)
class Problem:
    weight: Weight
    text: str


@dataclass(frozen=True, slots=True)
class Signal:
    """One way that must exist.

    from_pin, to_pin  the first and the last pin; a pair's two pins as `1/2`
    path              the pin at each joint from the near end to the far end, `-` where the signal does not come
    forward           from the near end to the far one
    """

    name: str
    from_pin: str
    to_pin: str
    ok: bool
    path: tuple[str, ...] = ()
    forward: bool = True


@dataclass(frozen=True, slots=True)
class Finding:
    """chain    the parts as they lie, turned where they had to be"""

    chain: tuple[Part, ...]
    signals: tuple[Signal, ...]
    problems: tuple[Problem, ...]

    @property
    def works(self) -> bool:
        return all(problem.weight is Weight.NOTE for problem in self.problems)
