"""How much of what was heard is said for the first time: one line said forty times is one line."""

from __future__ import annotations

import math
from collections import Counter, defaultdict

_WEIGHT = (300.0, 40.0, 16.0, 4.0)
"""How many characters seen behind none, one, two and three others outweigh what was believed before."""
_LEAST = 0.02


def new_in(data: bytes) -> float:
    """The share of `data`, from 0 to 1, that is new: what it costs to tell it to somebody who learns as he listens, as
    a share of what it costs to tell it to one who does not."""
    if not data:
        return 1.0
    seen: list[defaultdict[bytes, Counter[int]]] = [defaultdict(Counter) for _ in _WEIGHT]
    counts: list[Counter[bytes]] = [Counter() for _ in _WEIGHT]
    cost = 0.0
    for at, byte in enumerate(data):
        share = 1 / 256
        for order, weight in enumerate(_WEIGHT):
            behind = data[max(0, at - order) : at]
            share = (seen[order][behind][byte] + weight * share) / (counts[order][behind] + weight)
            seen[order][behind][byte] += 1
            counts[order][behind] += 1
        cost -= math.log2(share)
    return max(_LEAST, min(1.0, cost / (8 * len(data))))
