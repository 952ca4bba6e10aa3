"""Figures of a span of values, and whether two spans differ by more than their noise."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ordolex.core.text.digits import short

_LAGS = 50
_SQUARED_TOO_LARGE = 1e150


@dataclass(frozen=True, slots=True)
class Figures:
    """count of values and of those missing; deviation is the standard deviation; `independent` how many of the values
    count as independent of each other: those of a slow process follow each other."""

    count: int
    missing: int
    low: float | None
    high: float | None
    mean: float | None
    deviation: float | None
    independent: float

    @property
    def words(self) -> str:
        if self.mean is None or self.low is None or self.high is None:
            return f"no value, {self.missing} missing"
        missing = f", {self.missing} missing" if self.missing else ""
        return f"mean {short(self.mean)}, from {short(self.low)} to {short(self.high)}, {self.count} values{missing}"


def figures(values: Sequence[float | None]) -> Figures:
    """Of values in their order; None for a missing one."""
    numbers = [value for value in values if value is not None]
    if not numbers:
        return Figures(0, len(values), None, None, None, None, 0.0)
    low, high = min(numbers), max(numbers)
    unit = max(abs(low), abs(high)) if max(abs(low), abs(high)) > _SQUARED_TOO_LARGE else 1.0
    numbers = [value / unit for value in numbers]
    mean = math.fsum(numbers) / len(numbers)
    spread = math.fsum((value - mean) ** 2 for value in numbers)
    deviation = math.sqrt(spread / (len(numbers) - 1)) if len(numbers) > 1 else 0.0
    independent = _independent(numbers, mean, spread)
    return Figures(len(numbers), len(values) - len(numbers), low, high, mean * unit, deviation * unit, independent)


def _independent(numbers: Sequence[float], mean: float, spread: float) -> float:
    """The number of independent values that would tell as much: n / (1 + 2 Σ r(k)), as long as the correlation of
    values k apart is positive (Bayley and Hammersley, 1946)."""
    count = len(numbers)
    if count < 3 or spread <= 0:
        return float(count)
    total = 0.0
    for lag in range(1, min(_LAGS, count // 2) + 1):
        r = math.fsum((numbers[i] - mean) * (numbers[i + lag] - mean) for i in range(count - lag)) / spread
        if r <= 0:
            break
        total += r
    return max(1.0, count / (1 + 2 * total))


@dataclass(frozen=True, slots=True)
class Compared:
    """The second mean less the first, and twice its standard error: what the noise alone makes of it in 19 of 20."""

    before: Figures
    after: Figures
    change: float
    noise: float

    @property
    def is_more_than_noise(self) -> bool:
        return abs(self.change) > self.noise

    @property
    def words(self) -> str:
        more = "more than the noise" if self.is_more_than_noise else "not more than the noise"
        return f"changed by {self.change:+.4g}, {more} (±{self.noise:.3g})"


def compared(before: Sequence[float | None], after: Sequence[float | None]) -> Compared | None:
    """None where one of them has fewer than two values."""
    one, two = figures(before), figures(after)
    if one.count < 2 or two.count < 2 or one.mean is None or two.mean is None:
        return None
    assert one.deviation is not None and two.deviation is not None
    error = math.hypot(one.deviation / math.sqrt(one.independent), two.deviation / math.sqrt(two.independent))
    return Compared(one, two, two.mean - one.mean, 2 * error)


@dataclass(frozen=True, slots=True)
class Beside:
    """Two instruments at the same times: how many of the other's values had one of ours beside them, and how far ours
    lie above them."""

    count: int
    alone: int
    mean: float | None
    deviation: float | None
    largest: float | None

    @property
    def words(self) -> str:
        if self.mean is None or self.largest is None or self.deviation is None:
            return f"at none of {self.alone} times have both a value"
        rest = f"; {self.alone} times stand alone" if self.alone else ""
        return (
            f"{self.mean:+.4g} at the mean of {self.count} times, ±{2 * self.deviation:.3g} (two deviations),"
            f" {self.largest:+.4g} at most{rest}"
        )


def beside(own: Sequence[tuple[int, float]], other: Sequence[tuple[int, float]], apart_us: int) -> Beside:
    """Own values less the other's, at the other's times: on the straight line between the two own values around it,
    where those are at most `apart_us` apart. Both are (µs, value) in the order of time."""
    differences, alone, place = [], 0, 0
    for at_us, value in other:
        while place < len(own) and own[place][0] < at_us:
            place += 1
        here = _between(own, place, at_us, apart_us)
        if here is None:
            alone += 1
        else:
            differences.append(here - value)
    if not differences:
        return Beside(0, alone, None, None, None)
    found = figures(differences)
    return Beside(len(differences), alone, found.mean, found.deviation, max(differences, key=abs))


def _between(own: Sequence[tuple[int, float]], place: int, at_us: int, apart_us: int) -> float | None:
    if place < len(own) and own[place][0] == at_us:
        return own[place][1]
    if not 0 < place < len(own):
        return None
    (before_us, before), (after_us, after) = own[place - 1], own[place]
    if after_us - before_us > apart_us:
        return None
    return before + (after - before) * (at_us - before_us) / (after_us - before_us)
