"""Whether a line rests at the wrong level: the one sign of swapped levels that no right line gives."""

from __future__ import annotations

from enum import Enum
from itertools import pairwise
from statistics import median

from ordolex.core.match.capture import Capture

_FEW = 3
_MOSTLY, _HALF = 0.75, 0.5
_SHORT_S, _LONG = 0.02, 10  # a rest is longer than this, and than so many times the usual spacing
_NO_REST = 64  # bytes without a rest: it does not pause


class Rest(Enum):
    """How a line is seen to rest between messages."""

    LOW = "rests at the wrong level"
    HIGH = "rests at the right level"
    NEVER = "never rests"
    UNSEEN = "was not clearly seen resting"


def rest_of(capture: Capture) -> Rest:
    """How the line rests between the messages of a capture.

    A message on an inverted line ends by the line falling to SPACE for good, which a receiver takes for a break. One
    that is in a character then finds SPACE where the stop bit belongs. A line that rests at MARK ends so by accident
    only, as where its last bytes are zeros.
    """
    if capture.flags is None or len(capture.times_s) < 2:
        return Rest.UNSEEN
    gaps = [later - earlier for earlier, later in pairwise(capture.times_s)]
    rest = max(_SHORT_S, _LONG * median(gaps), 2 * capture.spread_s)
    ends = [at for at, gap in enumerate(gaps) if gap > rest]
    if not ends and len(capture.data) >= _NO_REST:
        return Rest.NEVER
    broken = sum(capture.flags[at].broken for at in ends)
    low = broken + sum(capture.flags[at].framing and not capture.flags[at].broken for at in ends)
    if low < _MOSTLY * len(ends):
        return Rest.HIGH
    return Rest.LOW if len(ends) >= _FEW and broken >= _HALF * len(ends) else Rest.UNSEEN
