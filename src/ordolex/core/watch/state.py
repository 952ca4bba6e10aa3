"""An item as it stands while a round runs: its newest value, what that is worth now, and figures since it began."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field

from ordolex.core.watch.limits import Change, Guard
from ordolex.core.watch.round import RoundItem
from ordolex.core.watch.samples import Quality, Sample, Value

_SHOWN = 600
"""Values that are held for the small line and the chart of the last minutes; the rest is in the book."""


@dataclass(slots=True)
class ItemState:
    """newest   the last value that came, and when
    quality  of the last try, which may have brought none
    """

    item: RoundItem
    id: int
    guard: Guard
    unit: str
    newest: Value | None = None
    newest_s: float | None = None
    tried: Quality | None = None
    words: str = ""
    count: int = 0
    missing: int = 0
    low: float = math.inf
    high: float = -math.inf
    total: float = 0.0
    changed_s: float | None = None
    began_s: float = 0.0
    recent: deque[tuple[float, float | None]] = field(default_factory=lambda: deque(maxlen=_SHOWN))
    late_s: float = 0.0
    resting: bool = False
    """Whether its device is not asked for now, because somebody paused it."""
    _kept: tuple[Value | None, Quality, float] | None = None

    def took(self, value: Value | None, quality: Quality, words: str, at_s: float) -> tuple[Quality, list[Change]]:
        """Takes what a try brought; its quality with limits and all, and the conditions that began or ended."""
        changes: list[Change] = []
        if value is None:
            self.missing += 1
            self.tried, self.words = quality, words
            self.recent.append((at_s, None))
            return quality, changes
        changes = self.guard.value(value, at_s)
        if value != self.newest:
            self.changed_s = at_s
        self.newest, self.newest_s, self.words = value, at_s, ""
        self.tried = self.guard.quality
        self.count += 1
        if isinstance(value, float | int):
            self.low, self.high = min(self.low, value), max(self.high, value)
            self.total += value
            self.recent.append((at_s, float(value)))
        return self.tried, changes

    def quality(self, now_s: float) -> Quality | None:
        """What it is worth now; None before the first try. A value that is old is not good, whatever it was."""
        if self.tried is None:
            return Quality.NO_ANSWER if now_s - self.began_s > self.item.stale_s else None
        if not self.tried.has_value:
            return self.tried
        if self.newest_s is not None and now_s - self.newest_s > self.item.stale_s:
            return Quality.STALE
        return self.tried

    @property
    def mean(self) -> float | None:
        numbers = isinstance(self.newest, float | int) and self.count
        return self.total / self.count if numbers else None

    def is_kept(self, sample: Sample, at_s: float) -> bool:
        """Whether a value goes into the book: one within the dead band of what was kept last does not, but one in each
        half of the time after which it would count as stale."""
        band = self.item.dead_band
        last = self._kept
        if band and last is not None and last[1] is sample.quality and at_s - last[2] < self.item.stale_s / 2:
            old, new = last[0], sample.value
            if isinstance(old, float | int) and isinstance(new, float | int) and abs(new - old) <= band:
                return False
        self._kept = (sample.value, sample.quality, at_s)
        return True


@dataclass(slots=True)
class Standing:
    """A condition that stands. `first_up` is the one that began first of all that stand together."""

    item: str
    what: str
    since_us: int
    value: Value | None
    acknowledged: bool = False
    first_up: bool = False


class Alarms:
    """What stands now. The first after a time in which nothing stood is the first-up: it is most likely the cause."""

    def __init__(self) -> None:
        self._standing: dict[tuple[str, str], Standing] = {}

    def __len__(self) -> int:
        return len(self._standing)

    @property
    def all(self) -> list[Standing]:
        """By the time of their beginning."""
        return sorted(self._standing.values(), key=lambda one: one.since_us)

    @property
    def open(self) -> list[Standing]:
        return [one for one in self.all if not one.acknowledged]

    def change(self, item: str, change: Change, utc_us: int, since_us: int) -> None:
        if change.on:
            first = not self._standing
            self._standing[item, change.what] = Standing(item, change.what, since_us, change.value, first_up=first)
        else:
            self._standing.pop((item, change.what), None)

    def acknowledge(self, item: str = "") -> int:
        """Of one item, or all; how many were not before."""
        mine = [one for one in self.open if not item or one.item == item]
        for one in mine:
            one.acknowledged = True
        return len(mine)
