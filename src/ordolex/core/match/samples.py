"""The sender's bits behind a receiver's samples, for many supposed rates at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ordolex.core.match.capture import UNKNOWN, Segment

NOTHING = 3
"""No bit here: the segment has ended for this rate."""
_LN_CONFLICT = float(np.log(0.03))
_LN_HALF = float(np.log(0.5))
_EDGE = 0.015  # a sample nearer than this to a border between bits says nothing of either

Ints = NDArray[np.int64]


def sender_bits(
    parts: Sequence[Segment], ratios: NDArray[np.float64]
) -> tuple[list[NDArray[np.int8]], NDArray[np.float32]]:
    """The sender's bits behind each segment's samples, for every ratio.

    Returns for each segment (bits, R) levels 0, 1, UNKNOWN, or NOTHING where the segment has ended, and (S, R) the log
    weight of samples that contradict others of the same bit, or that fall between two bits and so say nothing.
    """
    out: list[NDArray[np.int8]] = []
    clashes = np.zeros((len(parts), len(ratios)), np.float32)
    free = np.zeros_like(clashes)
    layouts: dict[int, tuple[Ints, NDArray[np.bool_], Ints, Ints]] = {}
    known: dict[tuple[int, ...], int] = {}
    for number, part in enumerate(parts):
        if part.levels in known:
            same = known[part.levels]
            out.append(out[same])
            clashes[number], free[number] = clashes[same], free[same]
            continue
        known[part.levels] = number
        count = len(part.levels)
        if count not in layouts:
            layouts[count] = _layout(count, ratios)
        bit, firm, below, above = layouts[count]
        levels = np.array(part.levels)[:, None]
        highest = int(bit.max()) + 1
        votes = np.zeros((2, highest + 1, len(ratios)))
        columns = np.broadcast_to(np.arange(len(ratios)), bit.shape)
        for level in (0, 1):
            np.add.at(votes[level], (bit, columns), (levels == level) * np.where(firm, 1.0, 0.01))
        zeros, ones = votes
        found = np.full((highest + 1, len(ratios)), UNKNOWN, np.int8)
        found[zeros > ones] = 0
        found[ones > zeros] = 1
        found[0] = 0  # the edge itself
        clash = np.floor(np.minimum(zeros, ones) + 0.01).sum(axis=0)
        # a sample on the border between two bits: free where they differ, else it must agree
        left, right = found[below, columns], found[above, columns]
        told = ~firm & (levels < UNKNOWN)
        clash += (told & (left == right) & (left != levels)).sum(axis=0)
        free[number] = (told & (left != right)).sum(axis=0)
        clashes[number] = clash
        found[np.arange(highest + 1)[:, None] > bit.max(axis=0)[None, :]] = NOTHING
        out.append(found)
    return out, clashes * _LN_CONFLICT + free * _LN_HALF


def _layout(count: int, ratios: NDArray[np.float64]) -> tuple[Ints, NDArray[np.bool_], Ints, Ints]:
    """Into which bit each of `count` samples falls, whether firmly, and the bits beside the nearest border."""
    place = (np.arange(count) + 0.5)[:, None] * ratios[None, :]
    bit = np.floor(place).astype(np.int64)
    near = np.minimum(place - bit, bit + 1 - place)
    border = np.rint(place).astype(np.int64)
    return bit, near >= _EDGE, np.maximum(border - 1, 0), border
