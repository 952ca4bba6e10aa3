"""How sure the word is: what goes to the best of all settings, and what to none of them.

The weights were fitted on families of content that were left out in turn (`python -m benchmarks.fit_word`); how often
it is right where it says so is measured on others, in docs/match.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ordolex.core.line.settings import Parity
from ordolex.core.match.capture import Capture
from ordolex.core.match.repetition import new_in

_FAR, _OWN, _OWN_TOP = 0.4, 0.97, 1.03
_PER = 64
_BETTER = ((0.6, (130.0, 15.0)), (0.97, (75.0, 15.0)), (1.03, (-60.0, 12.0)), (np.inf, (20.0, 12.0)))
_MOST_ODDS = 12.0
_WEIGHTS = (-0.29, 0.30, 0.79, -2.95, -1.49, -0.79)


@dataclass(frozen=True, slots=True)
class Grounds:
    """odds     ln of the odds of the best group against all other settings
    margin   by how much better than chance it explains a byte, in nats
    better   that, against what right settings were measured to, in widths of the slope between wrong and right
    ratio    the sender's rate to the listener's
    counted  whether times of arrival count the bits that a listener far above the rate does not see
    new      the share of what was heard that is said for the first time
    """

    odds: float
    margin: float
    better: float
    ratio: float
    counted: bool
    new: float

    @property
    def features(self) -> tuple[float, ...]:
        far, telling = self.ratio < _FAR and not self.counted, float(np.sqrt(self.new))
        return (
            1.0,
            telling * float(np.clip(self.odds, -_MOST_ODDS, _MOST_ODDS)),
            telling * float(np.clip(self.margin, -2, 6)),
            float(far),
            float(self.ratio < _OWN and not far),
            float(self.ratio > _OWN_TOP),
        )

    @property
    def probability(self) -> float:
        """That the best group is the right one."""
        return float(1 / (1 + np.exp(-float(np.dot(_WEIGHTS, self.features)))))


def grounds(share: float, weight: float, capture: Capture, ratio: float, *, counted: bool) -> Grounds:
    """`share` is that of the best group among all settings, `weight` the log weight of its best candidate in the
    capture that was heard nearest to its rate."""
    share = min(1 - 1e-6, max(1e-6, share))
    margin = weight - by_chance(capture)
    wanted, width = chance_bounds(ratio)
    better = (margin * _PER / len(capture.data) - wanted) / width
    return Grounds(
        float(np.log(share / (1 - share))), margin / len(capture.data), better, ratio, counted, new_in(capture.data)
    )


def chance_bounds(ratio: float) -> tuple[float, float]:
    """How much better than chance a right setting explains 64 bytes, in nats: the middle of the slope between wrong and
    right, and its width, by the sender's rate to the listener's. Measured on made-up talk: see the benchmarks."""
    return next(bounds for upper, bounds in _BETTER if ratio < upper)


def by_chance(capture: Capture) -> float:
    """The log weight of a capture whose bytes and framing errors are drawn at random."""
    count = len(capture.data)
    bad = sum(flag.framing for flag in capture.flags or ()) / count
    entropy = -sum(float(share * np.log(share)) for share in (bad, 1 - bad) if share > 0)
    return -count * (8 * float(np.log(2)) + entropy)


def fixed_last_bit(parities: Sequence[tuple[int, Parity]]) -> bool:
    """Whether all these formats (data bits, parity) have a last bit that is always high: a faster sender, whose
    characters are over early, looks so."""
    return all(parity is Parity.MARK or (bits == 7 and parity is Parity.NONE) for bits, parity in parities)
