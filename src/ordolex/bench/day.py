"""A day at the hatchery in fast time, the same each time by its seed: oxygen falls at feeding, a blower trips, a sensor
sticks, a probe answers now and then, a unit goes silent for a while, and one sample is a spike."""

from __future__ import annotations

import math
import random

_FEEDING = (7.0, 11.0, 15.0, 19.0)
_TRIP, _BACK = 8.0, 9.0
_SILENT, _AGAIN = 8.5, 10.0
_STUCK, _FREE = 7.5, 12.0
_SPIKE = 7.25
_MOODY_SHARE = 0.4
_SILENT_UNIT, _STUCK_UNIT, _MOODY_UNIT, _SPIKE_UNIT = 4, 3, 2, 1


class Day:
    """`fast` is how many seconds of the day pass in one; it begins at `from_hour`, and at `start_s` of the clock whose
    times the others are."""

    def __init__(self, start_s: float, fast: float = 600.0, from_hour: float = 6.5, seed: int = 1) -> None:
        self._start_s, self._fast, self._from = start_s, fast, from_hour
        self._dice = random.Random(seed)
        self._spiked: set[int] = set()
        self._held: dict[int, float] = {}

    def hour(self, now_s: float) -> float:
        """Of the day, from 0 to 24."""
        return (self._from + (now_s - self._start_s) * self._fast / 3600) % 24

    def oxygen(self, unit: int, now_s: float) -> float:
        """Dissolved oxygen of a raceway in mg/l."""
        hour = self.hour(now_s)
        if unit == _STUCK_UNIT and _STUCK <= hour < _FREE:
            return self._held.setdefault(unit, self._true(unit, hour))
        self._held.pop(unit, None)
        if unit == _SPIKE_UNIT and hour >= _SPIKE and unit not in self._spiked:
            self._spiked.add(unit)
            return 19.99
        return self._true(unit, hour)

    def _true(self, unit: int, hour: float) -> float:
        light = 0.5 * math.sin((hour - 8) / 24 * 2 * math.pi)
        eaten = sum(1.6 * math.exp(-(((hour - fed - 0.4) / 0.35) ** 2)) for fed in _FEEDING)
        return max(0.3, 9.3 + 0.05 * unit + light - eaten - self._blower(hour))

    @staticmethod
    def _blower(hour: float) -> float:
        """What is missing while the blower stands, and until the water has recovered."""
        if hour < _TRIP:
            return 0.0
        if hour < _BACK:
            return 3.2 * (1 - math.exp(-(hour - _TRIP) / 0.3))
        return 3.2 * math.exp(-(hour - _BACK) / 0.4)

    def answers(self, unit: int, now_s: float) -> bool:
        """Whether a transmitter answers now."""
        if unit == _MOODY_UNIT:
            return self._dice.random() > _MOODY_SHARE
        return not (unit == _SILENT_UNIT and _SILENT <= self.hour(now_s) < _AGAIN)
