"""Values that are computed from others: difference, sum, ratio, rate of change, running mean, and how far a value is
from what the device's own display shows."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

KINDS = {
    "difference": "the first less the second",
    "sum": "all of them together",
    "ratio": "the first divided by the second",
    "rate": "change of one value in each `per` seconds, over `over_s`",
    "mean": "mean of one value over the last `over_s`",
    "display": "one value less what its own display shows",
}
_PAIRS = ("difference", "ratio")
_ALONE = ("rate", "mean", "display")


def trouble_with(kind: str, of: Sequence[str]) -> str:
    """Why these cannot be computed with; empty where they can."""
    if kind not in KINDS:
        return f"{kind!r} is nothing that can be computed; there are {', '.join(KINDS)}"
    if kind in _PAIRS and len(of) != 2:
        return f"a {kind} takes two items, not {len(of)}"
    if kind in _ALONE and len(of) != 1:
        return f"a {kind} takes one item, not {len(of)}"
    return "" if of else f"a {kind} takes at least one item"


class Derivation:
    """One computed item. It has a value only while all that it is made of have one that is not older than `stale_s`:
    a value is never made from an old one and a new one as if both were now."""

    def __init__(
        self, kind: str, of: Sequence[str], stale_s: float, *, over_s: float = 60.0, per_s: float = 60.0,
        shown: float = 0.0,
    ) -> None:  # fmt: skip
        self.of = tuple(of)
        self._kind, self._stale_s, self._over_s, self._per_s, self._shown = kind, stale_s, over_s, per_s, shown
        self._newest: dict[str, tuple[float, float]] = {}
        self._past: deque[tuple[float, float]] = deque()

    def heard(self, name: str, value: float | None, at_s: float) -> float | None:
        """Takes a new value of one of its items, None where that was lost; the computed value, or None."""
        if value is None:
            self._newest.pop(name, None)
            if self._kind in ("rate", "mean"):
                self._past.clear()  # over a gap nothing is computed
            return None
        self._newest[name] = (value, at_s)
        if any(one not in self._newest or at_s - self._newest[one][1] > self._stale_s for one in self.of):
            return None
        values = [self._newest[one][0] for one in self.of]
        match self._kind:
            case "difference":
                return _clean(values[0] - values[1])
            case "sum":
                return _clean(sum(values))
            case "ratio":
                return _clean(values[0] / values[1]) if values[1] else None
            case "display":
                return _clean(values[0] - self._shown)
            case "mean":
                self._remember(value, at_s)
                return _clean(sum(v for v, _ in self._past) / len(self._past))
            case _:
                self._remember(value, at_s)
                span = at_s - self._past[0][1]
                return _clean((value - self._past[0][0]) / span * self._per_s) if span > 0 else None

    def _remember(self, value: float, at_s: float) -> None:
        self._past.append((value, at_s))
        while self._past[0][1] < at_s - self._over_s:
            self._past.popleft()


def _clean(value: float) -> float:
    return float(f"{value:.12g}")
