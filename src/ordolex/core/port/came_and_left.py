"""What came and what left between surveys, and which adapter was pulled and plugged in again."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

NEW_S = 20.0
"""How long a port that came or left stands out: long enough to look up from the plug."""


@dataclass(slots=True)
class Changes:
    """Told the identities of each survey with its time. The first survey is no change: all was there before."""

    _there: dict[str, float] | None = None
    _left: dict[str, float] = field(default_factory=dict)

    def surveyed(self, identities: Iterable[str], now_s: float) -> None:
        present = set(identities)
        if self._there is None:
            self._there = dict.fromkeys(present, float("-inf"))
            return
        for gone in set(self._there) - present:
            self._left[gone] = now_s
            del self._there[gone]
        for came in present - set(self._there):
            self._there[came] = now_s
            self._left.pop(came, None)
        self._left = {identity: at for identity, at in self._left.items() if now_s - at < NEW_S}

    def came_s_ago(self, identity: str, now_s: float) -> float | None:
        """Seconds since it came, if that was lately."""
        since = now_s - (self._there or {}).get(identity, float("-inf"))
        return since if since < NEW_S else None

    @property
    def left(self) -> Mapping[str, float]:
        """Identity → when it left, for those that left lately."""
        return self._left


@dataclass(slots=True)
class UnplugWatch:
    """Watches for the one that leaves and comes back. `step` is what to do now, `found` the identity at the end."""

    _before: frozenset[str] | None = None
    pulled: str = ""
    found: str = ""
    several: tuple[str, ...] = ()

    def surveyed(self, identities: Iterable[str]) -> None:
        present = frozenset(identities)
        if self._before is None:
            self._before = present
        elif not self.pulled:
            gone = self._before - present
            self.several = tuple(sorted(gone)) if len(gone) > 1 else ()
            if len(gone) == 1:
                (self.pulled,) = gone
            elif not gone:
                self._before = present  # something new came meanwhile: it can be the one, too
        elif self.pulled in present:
            self.found = self.pulled

    @property
    def step(self) -> str:
        if self.found:
            return "That was it."
        if self.several:
            return "Several left at once. Plug them in again, then pull one only."
        return "Now plug it in again." if self.pulled else "Pull the adapter out now. I am watching."
