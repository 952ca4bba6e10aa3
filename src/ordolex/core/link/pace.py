"""How long a device pauses within one answer: learned from what came, so that the rest of one answer is not taken for
the next question's. Times are seconds of one clock."""

from __future__ import annotations

LONGEST_S = 0.6
"""A pause that is longer is none within an answer."""
_LEARNT = 3  # answers after which it is known how a device pauses
_UNKNOWN_S = 0.45  # what is waited before the next question while that is not known
_NO_PAUSE_S = 0.02  # shorter ones are those of adapters and networks
_FACTOR = 1.5
_BEHIND_LATE_S = 0.05


class Pace:
    """Of one link, as long as it is open at one setting."""

    def __init__(self) -> None:
        self.forget()

    def forget(self) -> None:
        self._longest_s = 0.0
        self._answers = 0
        self._least_s = 0.0
        self._last_s: float | None = None

    @property
    def longer_than_seen_s(self) -> float:
        """A silence that was in no answer so far; 0 while no pause was seen."""
        return min(LONGEST_S, _FACTOR * self._longest_s)

    @property
    def before_judging_s(self) -> float:
        """How long a silence ends an answer whose shape nobody knows, so that it is not judged in the middle."""
        return _UNKNOWN_S if self._answers < _LEARNT else self.longer_than_seen_s

    def paused(self, gap_s: float) -> None:
        """Between two pieces of one answer."""
        if _NO_PAUSE_S < gap_s <= LONGEST_S:
            self._longest_s = max(self._longest_s, gap_s)

    def answered(self, last_s: float | None, *, late: bool = False) -> None:
        """An answer was taken to have ended; its last byte came then. Behind a `late` one may follow what belongs to
        it, its copy above all, and nothing was waited for it yet."""
        self._answers += 1
        self._last_s = last_s
        self._least_s = _BEHIND_LATE_S if late else 0.0

    def went_on(self, now_s: float) -> None:
        """More came, although nothing was asked."""
        if self._last_s is not None:
            self.paused(now_s - self._last_s)
            self._last_s = now_s

    def settles_s(self, now_s: float) -> float:
        """How long to wait before the next question goes out: what belongs to the last answer comes before it."""
        if self._last_s is None:
            return 0.0
        wait = _UNKNOWN_S if self._answers < _LEARNT else self.longer_than_seen_s
        return max(0.0, self._last_s + max(wait, self._least_s) - now_s)
