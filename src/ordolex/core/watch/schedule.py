"""Whose turn it is on a line: the earliest deadline first, and who does not answer is asked more and more rarely.

Without a clock: times are seconds that the caller reads.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field

_RARELY = 2.0
_MOST_RARELY_S = 15.0
_AFTER = 2
"""Silences in a row after which it is asked more rarely."""
_BUDGET = 0.25
"""Share of the line's time that waiting for those who do not answer may take, at most."""


@dataclass(slots=True)
class Turn:
    """One who has his turn again and again. `due_s` is when next; `late_s` how late his latest turns were."""

    key: Hashable
    every_s: float
    timeout_s: float
    unit: Hashable
    due_s: float
    silences: int = 0
    rarely: float = 1.0
    asked: int = 0
    answered: int = 0
    late_s: deque[float] = field(default_factory=lambda: deque(maxlen=64))

    @property
    def is_silent(self) -> bool:
        return self.silences >= _AFTER


class Schedule:
    def __init__(self, polls: Sequence[tuple[Hashable, float, float, Hashable]], now_s: float) -> None:
        """`polls` are (key, interval, time-out, unit). Their first turns are spread over their intervals."""
        count = max(1, len(polls))
        self.turns = [
            Turn(key, every_s, timeout_s, unit, now_s + every_s * number / count)
            for number, (key, every_s, timeout_s, unit) in enumerate(polls)
        ]
        self.pace = 1.0
        """What intervals are divided by: 2 asks twice as often."""
        self.paused = False
        self.resting: set[Hashable] = set()
        """Units that are not asked for now."""
        self._once: set[Hashable] = set()

    def next(self, now_s: float) -> tuple[Turn | None, float]:
        """Whose turn it is now, or None and how long until the next is due."""
        if self._once:
            turn = min((t for t in self.turns if t.key in self._once), key=lambda t: t.due_s)
            self._once.discard(turn.key)
            turn.due_s = min(turn.due_s, now_s)
            return turn, 0.0
        turns = [turn for turn in self.turns if turn.unit not in self.resting]
        if self.paused or not turns:
            return None, 1.0
        due = [turn for turn in turns if turn.due_s <= now_s]
        if due:
            return min(due, key=lambda turn: turn.due_s + turn.every_s / self.pace), 0.0
        return None, min(turn.due_s for turn in turns) - now_s

    def began(self, turn: Turn, now_s: float) -> None:
        turn.asked += 1
        turn.late_s.append(max(0.0, now_s - turn.due_s))

    def done(self, turn: Turn, now_s: float, *, answered: bool) -> bool:
        """After its question. True where its unit is back after a silence."""
        back = answered and turn.is_silent
        if answered:
            turn.answered += 1
            turn.silences, turn.rarely = 0, 1.0
            if back:
                self._all_of(turn.unit, now_s)
        else:
            turn.silences += 1
            if turn.is_silent:
                turn.rarely = min(turn.rarely * _RARELY, max(1.0, _MOST_RARELY_S / turn.every_s))
        every = turn.every_s / self.pace * turn.rarely
        if not answered:
            every = max(every, turn.timeout_s / _BUDGET * self._silent_share(turn))
        turn.due_s += every
        if turn.due_s <= now_s:  # turns that were missed are not made up for: that would starve the others
            turn.due_s = now_s + every - (now_s - turn.due_s) % every if every < now_s - turn.due_s else now_s
        return back

    def _silent_share(self, turn: Turn) -> float:
        """How many silent ones share the budget."""
        return sum(1.0 for one in self.turns if one.is_silent) or 1.0 if turn.is_silent else 0.0

    def _all_of(self, unit: Hashable, now_s: float) -> None:
        """A unit that is back is asked at its full pace at once, in all its turns."""
        for turn in self.turns:
            if turn.unit == unit and turn.is_silent:
                turn.silences, turn.rarely, turn.due_s = 0, 1.0, min(turn.due_s, now_s)

    def rest(self, unit: Hashable, now_s: float, *, resting: bool) -> None:
        """One unit is not asked until it goes on; nothing that was missed is made up for then."""
        (self.resting.add if resting else self.resting.discard)(unit)
        for turn in self.turns:
            if turn.unit == unit and not resting:
                turn.silences, turn.rarely, turn.due_s = 0, 1.0, now_s

    def once(self, now_s: float) -> None:
        """One pass of all of them now, also while it is paused."""
        self._once = {turn.key for turn in self.turns}

    def at_pace(self, pace: float, now_s: float) -> None:
        self.pace = min(16.0, max(1 / 64, pace))
        for turn in self.turns:
            turn.due_s = min(turn.due_s, now_s + turn.every_s / self.pace)

    def begin_again(self, now_s: float) -> None:
        """After a gap: nothing that was missed is made up for."""
        for number, turn in enumerate(self.turns):
            turn.due_s = now_s + turn.every_s / self.pace * number / max(1, len(self.turns))
            turn.silences, turn.rarely = 0, 1.0
