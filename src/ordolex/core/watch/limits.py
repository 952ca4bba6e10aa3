"""When a value is out of limits, stuck or silent, and when it is not so any more."""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.watch.samples import Quality, Value


@dataclass(frozen=True, slots=True)
class Limits:
    """low, high    outside of them the value is out of limits
    hysteresis   how far inside it must be again before that ends, in the value's unit
    delay_s      how long it must last before it counts
    stuck_s      the same value for so long is stuck; 0 for never
    silent_s     no value for so long is silent; 0 for never
    """

    low: float | None = None
    high: float | None = None
    hysteresis: float = 0.0
    delay_s: float = 0.0
    stuck_s: float = 0.0
    silent_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Change:
    """A condition began (`on`) or ended. `what` is low, high, stuck or silent."""

    what: str
    on: bool
    at_s: float
    value: Value | None
    since_s: float
    """When it began, both times."""


class Guard:
    """Judges the values of one item, in order. Times are seconds of one clock that the caller reads."""

    def __init__(self, limits: Limits, now_s: float) -> None:
        self._limits = limits
        self._standing: dict[str, float] = {}  # what → since when it stands
        self._pending: dict[str, float] = {}  # what → since when it is so, shorter than the delay
        self._last: Value | None = None
        self._same_since_s = now_s
        self._heard_s = now_s

    @property
    def standing(self) -> tuple[str, ...]:
        return tuple(self._standing)

    @property
    def quality(self) -> Quality:
        if "low" in self._standing or "high" in self._standing:
            return Quality.OUT_OF_LIMITS
        return Quality.STUCK if "stuck" in self._standing else Quality.GOOD

    def value(self, value: Value, at_s: float) -> list[Change]:
        self._heard_s = at_s
        if value != self._last:
            self._last, self._same_since_s = value, at_s
        changes = self._turn("silent", False, 0.0, at_s, value)
        stuck_s = self._limits.stuck_s
        changes += self._turn("stuck", bool(stuck_s) and at_s - self._same_since_s >= stuck_s, 0.0, at_s, value)
        if isinstance(value, str):
            return changes
        low, high, inside = self._limits.low, self._limits.high, self._limits.hysteresis
        if low is not None:
            edge = low + inside if "low" in self._standing else low
            changes += self._turn("low", value < edge, self._limits.delay_s, at_s, value)
        if high is not None:
            edge = high - inside if "high" in self._standing else high
            changes += self._turn("high", value > edge, self._limits.delay_s, at_s, value)
        return changes

    def tick(self, now_s: float) -> list[Change]:
        """Called now and then: silence brings no value that would tell it."""
        silent_s = self._limits.silent_s
        return self._turn("silent", bool(silent_s) and now_s - self._heard_s >= silent_s, 0.0, now_s, self._last)

    def _turn(self, what: str, so: bool, delay_s: float, at_s: float, value: Value | None) -> list[Change]:
        if not so:
            self._pending.pop(what, None)
            since = self._standing.pop(what, None)
            return [Change(what, False, at_s, value, since)] if since is not None else []
        if what in self._standing:
            return []
        since = self._pending.setdefault(what, at_s)
        if at_s - since < delay_s:
            return []
        del self._pending[what]
        self._standing[what] = since
        return [Change(what, True, at_s, value, since)]
