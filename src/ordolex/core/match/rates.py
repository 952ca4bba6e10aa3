"""Which rates of the sender are worth weighing: those at which samples that fall into one bit agree.

A rate that is too slow puts samples of different levels into one bit; one that is too fast has to pay for more bits
than the line had. The sum of both, in nats, is least near the true rate.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ordolex.core.match.capture import UNKNOWN, Segment

STANDARD = (110, 150, 200, 300, 600, 1200, 1800, 2400, 4800, 7200, 9600, 10400, 12000, 14400, 15625, 19200, 25000,
            28800, 31250, 38400, 57600, 62500, 76800, 115200, 128000, 153600, 230400, 250000, 256000, 460800, 500000,
            576000, 921600)  # fmt: skip
"""Rates in bit/s that devices offer."""
_USUAL = {9600: 4.0, 19200: 3.0, 115200: 3.0, 38400: 2.0, 4800: 2.0, 2400: 1.5, 1200: 1.5, 57600: 1.5, 300: 1.0}
SLOWEST, FASTEST = 0.104, 3.0
"""Sender's rate to the receiver's, between which a capture says something about bits."""
CLOCK = 0.025
"""A rate this near to a standard one is that one, with a clock that is off."""

_GRID = np.exp(np.arange(np.log(SLOWEST), np.log(FASTEST), 0.004))
_CONFLICT, _BIT = 4.5, 0.69
_TOLERANCE = 0.07  # nearer to a standard rate than this nobody chooses another
_SURE, _DRIFTS = 4, (-0.012, -0.005, 0.005, 0.012)  # of so many rates clocks are weighed that are off by so much
_HEARD = 0.5  # how usual the rate is at which somebody listens, where it is none of the standard ones
_EDGE = 0.06  # a sample nearer than this to a border between bits says nothing of either


@dataclass(frozen=True, slots=True)
class Rate:
    """baud      the rate as a technician would set it
    ratio     the sender's bits for each bit of the receiver, as it fits best
    """

    baud: int
    ratio: float


def usual(baud: int, heard: Collection[int] = ()) -> float:
    """How common a rate is in the trade, as a weight. Nobody listens at an odd rate without a reason."""
    return _USUAL.get(baud, 0.8 if baud in STANDARD else _HEARD if baud in heard else 0.004)


def candidates(parts: Sequence[Segment], heard_baud: int, most: int = 12, only: Sequence[int] = ()) -> list[Rate]:
    """The likeliest rates, best first. `only` names rates that shall be weighed whatever the samples say."""
    cost = _costs(parts, _GRID)
    found: list[tuple[float, Rate]] = []
    for baud in dict.fromkeys((*STANDARD, heard_baud)):
        near = np.abs(np.log(_GRID * heard_baud / baud)) <= CLOCK
        if near.any():
            exact = baud / heard_baud
            at = int(np.flatnonzero(near)[np.argmin(cost[near])])
            exact_cost = float(_costs(parts, np.array([exact]))[0])
            ratio = exact if exact_cost <= cost[at] + 1.0 else float(_GRID[at])
            found.append(
                (min(exact_cost, float(cost[at])) - float(np.log(usual(baud, (heard_baud,)))), Rate(baud, ratio))
            )
    forced = [rate for _, rate in found if rate.baud in only]
    found = [*sorted(found, key=lambda entry: entry[0])[:most], *_odd(cost, heard_baud)]
    found.sort(key=lambda entry: entry[0])
    best = [rate for _, rate in found[:most]]
    best += [rate for rate in forced if rate not in best]
    return [drifted for rate in best for drifted in (_with_clocks(rate) if rate in best[:_SURE] else (rate,))]


def _with_clocks(rate: Rate) -> tuple[Rate, ...]:
    """The same rate with a clock that is a little slower and a little faster than it fits best."""
    return rate, *(Rate(rate.baud, rate.ratio * (1 + drift)) for drift in _DRIFTS)


def _odd(cost: NDArray[np.float64], heard_baud: int) -> list[tuple[float, Rate]]:
    """The best fit of all, where it is no standard rate."""
    at = int(np.argmin(cost))
    # the middle of the valley is a better guess than its first lowest point
    low = np.flatnonzero(cost <= cost[at] + 1.0)
    low = low[np.abs(low - at) <= 8]
    ratio = float(np.exp(np.log(_GRID[low]).mean()))
    baud = round(ratio * heard_baud)
    if any(abs(np.log(baud / standard)) <= _TOLERANCE for standard in (*STANDARD, heard_baud)):
        return []
    return [(float(cost[at]) - float(np.log(usual(baud))), Rate(baud, ratio))]


def _costs(parts: Sequence[Segment], ratios: NDArray[np.float64]) -> NDArray[np.float64]:
    """(len(ratios),) in nats: samples of one bit that disagree, and the bits that the line would have had."""
    longest = max((len(part.levels) for part in parts), default=1)
    changes = np.zeros(longest)
    lengths = np.zeros(longest + 1)
    for part in parts:
        levels = part.levels
        lengths[len(levels)] += 1
        for at in range(len(levels) - 1):
            if UNKNOWN not in (levels[at], levels[at + 1]) and levels[at] != levels[at + 1]:
                changes[at] += 1
    place = (np.arange(longest) + 0.5)[None, :] * ratios[:, None]
    bit = np.floor(place)
    offset = place - bit
    firm = (offset > _EDGE) & (offset < 1 - _EDGE)
    same = (bit[:, 1:] == bit[:, :-1]) & firm[:, 1:] & firm[:, :-1]
    conflicts = (same * changes[None, :-1]).sum(axis=1)
    # a sample on the border between two bits says nothing where they differ
    around = np.append(0, changes[:-1]) + changes
    conflicts += (~firm * around[None, :]).sum(axis=1) * (_BIT / _CONFLICT) * 0.5
    # bits that were seen: above the receiver's rate some fall between two samples, and cost nothing
    ends = np.cumsum(np.diff(bit, axis=1, prepend=-1.0) > 0, axis=1)
    bits = (ends * lengths[None, 1:]).sum(axis=1)
    cost: NDArray[np.float64] = conflicts * _CONFLICT + bits * _BIT
    return cost
