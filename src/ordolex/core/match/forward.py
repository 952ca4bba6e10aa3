"""The forward algorithm over where the sender is in his frame, for many candidate settings at once.

Between two known falling edges the samples tell the sender's bits one by one; after the last sample the line was high
for an unknown time. The hidden state is the place in the sender's frame, or rest. With each state goes what is known of
the character under way. Where two ways lead to one state the likelier one's character is kept, and the weights add.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ordolex.core.match.capture import UNKNOWN, Segment
from ordolex.core.match.content import CLASS_OF, LINE_BEGINS, NO_CLASS, weights
from ordolex.core.match.formats import IDLE, STATES, Format, tables

LN_WRONG = float(np.log(0.02))
"""Weight of one bit that contradicts; an assumed two percent of noise bears gaps and real errors."""
_LN_LOST = float(np.log(0.003))  # after a segment the sender may be anywhere: bytes were wrong or missing
_LN_CONFLICT = float(np.log(0.03))
_LN_NEXT, _LN_REST = float(np.log(0.65)), float(np.log(0.35))  # behind a frame: the next one at once, or a rest
_LN_START, _LN_STAY = float(np.log(0.35)), float(np.log(0.65))
_NOTHING = 3  # no bit here: the segment has ended for this rate
_EDGE = 0.05

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Candidates:
    """C candidates: which format, which rate (as ratio to the receiver's), which content; one polarity for all."""

    formats: Sequence[Format]
    format_of: Ints
    ratios: NDArray[np.float64]
    ratio_of: Ints
    content_of: Ints
    inverted: bool

    def only(self, keep: Ints) -> Candidates:
        return Candidates(
            self.formats, self.format_of[keep], self.ratios, self.ratio_of[keep], self.content_of[keep], self.inverted
        )


# What is known of the character under way is packed into one number: value, mask of known bits, class of the character
# before, whether the parity bit was seen, and that bit.
_MASK, _BEFORE, _SEEN, _PARITY = 8, 16, 19, 20
_CHARACTER = (1 << _SEEN) - 1

Rows = NDArray[np.int32]
Weights = NDArray[np.float32]


class _Ways:
    """Tables by format: what one bit of a level adds to the packed character, and what a run of equal bits does.

    adds   (F, 3, STATES) for level 0, 1, UNKNOWN
    open   (F, 2, STATES, STATES) 0 where a run of that level leads within a frame from one place to another, else -inf
    run    (F, 2, STATES, STATES) what the run adds to the character
    """

    def __init__(self, chosen: Sequence[Format]) -> None:
        table = tables(chosen, LN_WRONG)
        self.table = table
        count = len(chosen)
        self.adds = np.zeros((count, 3, STATES), np.int32)
        for level in (0, 1):
            self.adds[:, level] = (table.data_bit.astype(np.int32) << _MASK) | (table.data_bit if level else 0)
            self.adds[:, level] |= np.where(table.is_parity, (1 << _SEEN) | (level << _PARITY), 0)
        self.open = np.full((count, 2, STATES, STATES), -np.inf, np.float32)
        self.run = np.zeros((count, 2, STATES, STATES), np.int32)
        for row, format_ in enumerate(chosen):
            for level in (0, 1):
                self.open[row, level, IDLE, IDLE] = 0.0
                for start in range(format_.bits):
                    added = 0
                    self.open[row, level, start, start] = 0.0
                    for place in range(start + 1, format_.bits):
                        if table.odds[row, level, place] < 0:
                            break
                        added |= int(self.adds[row, level, place])
                        self.open[row, level, start, place] = 0.0
                        self.run[row, level, start, place] = added


class Forward:
    """Run over the segments of one capture. With `history` the characters read can be asked for afterwards."""

    def __init__(self, candidates: Candidates, history: bool = False) -> None:
        self._ways = _Ways(candidates.formats)
        self._frames: list[tuple[Rows, Rows, NDArray[np.bool_]]] = []
        self._choose(candidates)
        count = len(candidates.format_of)
        places = np.arange(STATES)[None, :]
        inside = (places < (self._last + 1)[:, None]) | (places == IDLE)
        self._weight: Weights = np.where(inside, -np.log(inside.sum(axis=1, keepdims=True)), -np.inf).astype(np.float32)
        self._packed: Rows = np.zeros((count, STATES), np.int32)
        self._past: Rows | None = np.full((count, STATES), -1, np.int32) if history else None
        self.at_end = 1

    def _choose(self, candidates: Candidates) -> None:
        of, ways = candidates.format_of, self._ways
        table = ways.table
        self.candidates = candidates
        self._rows = np.arange(len(of))
        self._last = table.length[of] - 1
        self._odds = table.odds[of].reshape(-1, STATES)
        self._adds = ways.adds[of].reshape(-1, STATES)
        self._open = [ways.open[of, level] for level in (0, 1)]
        self._run = [ways.run[of, level] for level in (0, 1)]
        self._inside = np.isfinite(table.odds[of, UNKNOWN])
        self._parity = _PARITIES[table.parity[of]]
        self._full = ((1 << table.data_bits[of]) - 1) << _MASK
        pairs = [(int(c), int(b)) for c, b in zip(candidates.content_of, table.data_bits[of], strict=True)]
        kinds = sorted(set(pairs))
        self._content = np.concatenate([weights(content, bits).ravel() for content, bits in kinds])
        self._base = np.array([kinds.index(pair) << _SEEN for pair in pairs])

    # ---- one bit

    def _left(self) -> tuple[Weights, Rows, NDArray[np.bool_]]:
        """At the last bit of a frame: the weight, the character, and whether its parity is right."""
        packed = self._packed[self._rows, self._last]
        weight = self._weight[self._rows, self._last]
        if not self._parity.any():
            return weight, packed, np.ones(len(packed), bool)
        parity = (packed >> _SEEN) & 3
        full = (packed & (0xFF << _MASK)) == self._full
        wrong = (self._parity[:, 0]) & (parity & 1 == 1) & full & (
            (parity >> 1) != (_ONES[packed & 0xFF] & 1) ^ self._parity[:, 1]
        )  # fmt: skip
        half = self._parity[:, 0] & (parity & 1 == 1) & ~full
        return weight + (wrong * _F_WRONG + half * _F_HALF), packed, ~wrong

    def _step(self, level: Ints) -> None:
        """One bit of the sender; `level` (C,) as the sender means it: 0, 1, UNKNOWN, or _NOTHING for no bit at all."""
        weight, packed, past = self._weight, self._packed, self._past
        ended, frame, right = self._left()
        rest = weight[:, IDLE]
        next_, start = ended + _LN_NEXT, rest + _LN_START
        stop, stay = ended + _LN_REST, rest + _LN_STAY
        was = _was(frame, self._full)
        before = packed[:, IDLE]
        new = np.empty_like(weight)
        new[:, 1:IDLE] = weight[:, : IDLE - 1] - self._worth(packed)[:, : IDLE - 1]
        new[:, 0] = np.logaddexp(next_, start)
        new[:, IDLE] = np.logaddexp(stop, stay)
        character = np.empty_like(packed)
        character[:, 1:IDLE] = packed[:, : IDLE - 1]
        character[:, 0] = np.where(next_ >= start, was, before)
        character[:, IDLE] = np.where(stop >= stay, was, before)
        known = np.minimum(level, UNKNOWN) + 3 * self._rows
        new += self._odds[known]
        character |= self._adds[known]
        new[:, 1:IDLE] += self._worth(character)[:, 1:IDLE]
        behind = None
        if past is not None:
            number = len(self._frames)
            self._frames.append((past[self._rows, self._last], frame, right))
            behind = np.empty_like(past)
            behind[:, 1:IDLE] = past[:, : IDLE - 1]
            behind[:, 0] = np.where(next_ >= start, number, past[:, IDLE])
            behind[:, IDLE] = np.where(stop >= stay, number, past[:, IDLE])
        nothing = (level == _NOTHING)[:, None]
        if nothing.any():
            new, character = np.where(nothing, weight, new), np.where(nothing, packed, character)
            behind = None if behind is None or past is None else np.where(nothing, past, behind)
        self._weight, self._packed, self._past = new, character, behind

    def _all(self, level: int) -> Ints:
        """This level of the line as the sender means it, for every candidate."""
        return np.full(len(self._rows), level ^ self.candidates.inverted, np.int64)

    def _any_number(self, level: int) -> None:
        """None, one or more bits at this level of the line."""
        meant = level ^ self.candidates.inverted
        if meant == 0:
            self._begin_frames()
        led = self._packed[:, :, None] | self._run[meant]
        ways = self._weight[:, :, None] + self._open[meant]
        ways += self._content[self._base[:, None, None] + (led & _CHARACTER)] - self._worth(self._packed)[:, :, None]
        chosen = ways.argmax(axis=1)
        top = np.take_along_axis(ways, chosen[:, None, :], axis=1)[:, 0]
        safe = np.where(np.isfinite(top), top, 0.0)
        total = np.exp(ways - safe[:, None, :]).sum(axis=1)
        with np.errstate(divide="ignore"):
            self._weight = (safe + np.log(total)).astype(np.float32)
        self._packed = np.take_along_axis(led, chosen[:, None, :], axis=1)[:, 0]
        if self._past is not None:
            self._past = self._past[self._rows[:, None], chosen]
        if meant == 1:
            self._rest_after_frames()

    def _begin_frames(self) -> None:
        """A start bit may come at once behind a frame or a rest."""
        ended, frame, right = self._left()
        next_, start = ended + _LN_NEXT, self._weight[:, IDLE] + _LN_START
        begun = np.logaddexp(next_, start)
        was = np.where(next_ >= start, _was(frame, self._full), self._packed[:, IDLE])
        better = begun > self._weight[:, 0]
        self._packed[:, 0] = np.where(better, was, self._packed[:, 0])
        self._weight[:, 0] = np.logaddexp(begun, self._weight[:, 0])
        if self._past is not None:
            number = len(self._frames)
            self._frames.append((self._past[self._rows, self._last], frame, right))
            behind = np.where(next_ >= start, number, self._past[:, IDLE])
            self._past[:, 0] = np.where(better, behind, self._past[:, 0])

    def _rest_after_frames(self) -> None:
        """Behind a frame the line may rest for any time."""
        ended, frame, right = self._left()
        stop, stay = ended + (_LN_REST - _LN_START), self._weight[:, IDLE] - _LN_START
        rest = np.where(stop >= stay, _was(frame, self._full), self._packed[:, IDLE])
        self._packed[:, IDLE] = rest
        self._weight[:, IDLE] = np.logaddexp(stop, stay)
        if self._past is not None:
            number = len(self._frames)
            self._frames.append((self._past[self._rows, self._last], frame, right))
            self._past[:, IDLE] = np.where(stop >= stay, number, self._past[:, IDLE])

    # ---- a segment

    def _to_the_edge(self, level: int) -> None:
        """From the last sample to just before the next falling edge of the line."""
        if level == 0:
            self._any_number(0)
            self._step(self._all(1))
        self._any_number(1)

    def _both_ways(self, levels: Ints) -> None:
        """A segment whose last sample is not told: both levels are followed, each to the next falling edge."""
        last = (levels != _NOTHING).sum(axis=0) - 1
        told = levels[last, self._rows]
        start = self._weight.copy(), self._packed.copy(), None if self._past is None else self._past.copy()
        ways = []
        for line_level in (1, 0):
            meant = line_level ^ self.candidates.inverted
            self._weight, self._packed = start[0].copy(), start[1].copy()
            self._past = None if start[2] is None else start[2].copy()
            one = levels.copy()
            one[last, self._rows] = np.where(told == UNKNOWN, meant, told)
            self._bits(one)
            self._weight[(told != UNKNOWN) & (told != meant)] = -np.inf
            self._to_the_edge(line_level)
            ways.append((self._weight, self._packed, self._past))
        self._weight, self._packed, self._past = ways[0]
        self._add(*ways[1])

    def _bits(self, levels: Ints) -> None:
        for level in levels:
            if (level == _NOTHING).all():
                break
            self._step(level)

    def _add(self, weight: Weights, packed: Rows, past: Rows | None) -> None:
        """Another way into each state: the weights add, the character of the likelier one stays."""
        other = weight > self._weight
        self._weight = np.logaddexp(self._weight, weight)
        self._packed = np.where(other, packed, self._packed)
        if self._past is not None and past is not None:
            self._past = np.where(other, past, self._past)

    def _rested(self) -> None:
        """The line was at rest: whatever was under way has ended."""
        ended = self._weight
        best = ended.argmax(axis=1)
        if self._past is not None:
            before = self._past[self._rows, best]
            frame = np.where(best == IDLE, 0, self._packed[self._rows, best]).astype(np.int32)
            number = np.where(best == IDLE, before, len(self._frames))
            self._frames.append((before, frame, np.ones(len(frame), bool)))
            self._past[:, IDLE] = number
        total = _log_sum(ended)
        self._weight = self._weight + _F_NO_REST  # the rest may be a byte that came late, or was lost
        self._weight[:, IDLE] = total
        self._packed[:, IDLE] = LINE_BEGINS << _BEFORE

    def _worth(self, packed: Rows) -> Weights:
        """What is known of each character under way, as log weight; it is part of the state's weight all the time."""
        worth: Weights = self._content[self._base[:, None] + (packed & _CHARACTER)]
        return worth

    def run(self, parts: Sequence[Segment], bits: Sequence[NDArray[np.int8]], odds: Weights) -> None:
        """`bits` and `odds` as `sender_bits` gives them; goes on from where the last call ended."""
        ratio_of, inverted = self.candidates.ratio_of, self.candidates.inverted
        at_rest = 1 ^ inverted
        for number, part in enumerate(parts):
            if part.rested:
                if self.at_end == 1 ^ at_rest and part.first:
                    self._weight += 2 * LN_WRONG  # the line rested, but not at its own level of rest
                self._rested()
                self.at_end = at_rest
            if self.at_end != UNKNOWN:
                self._to_the_edge(self.at_end)
            own = bits[number][:, ratio_of].astype(np.int64)
            if inverted:
                own = np.where(own < UNKNOWN, own ^ 1, own)
            self.at_end = part.levels[-1]
            if self.at_end == UNKNOWN:
                self._both_ways(own)
            else:
                self._bits(own)
            self._weight += odds[number, ratio_of][:, None]
            self._lost()

    def _lost(self) -> None:
        """Allows that the sender is anywhere, at a price."""
        floor = self._weight.max(axis=1, keepdims=True) + _F_LOST
        low = (self._weight < floor) & self._inside
        if self._past is not None:
            chosen = self._past[self._rows, self._weight.argmax(axis=1)]
            self._past = np.where(low, chosen[:, None], self._past)
        self._weight = np.where(low, floor, self._weight)
        self._packed = np.where(low, 0, self._packed)

    # ---- what came of it

    def totals(self) -> Weights:
        """(C,) log weight of all segments so far."""
        return _log_sum(self._weight)

    def keep(self, keep: Ints) -> None:
        """Goes on with these candidates only; not with a history."""
        self._choose(self.candidates.only(keep))
        self._weight, self._packed = self._weight[keep], self._packed[keep]

    def reading(self, row: int) -> list[tuple[int, int, bool]]:
        """The characters of one candidate along its likeliest way: (value, mask of known bits, parity is right)."""
        assert self._past is not None, "reading needs history"
        place = int(self._weight[row].argmax())
        out: list[tuple[int, int, bool]] = []
        if place == self._last[row]:
            _, frame, right = self._left()
            out.append(_unpacked(int(frame[row]), bool(right[row])))
        at = int(self._past[row, place])
        while at >= 0:
            before, frames, rights = self._frames[at]
            out.append(_unpacked(int(frames[row]), bool(rights[row])))
            at = int(before[row])
        return out[::-1]


_PARITIES = np.array([[True, False], [True, True], [False, False]])  # whether it is checked, and whether it is odd
_ONES = np.array([value.bit_count() for value in range(256)])
_LN_HALF = float(np.log(0.5))
_F_WRONG, _F_HALF = np.float32(LN_WRONG), np.float32(_LN_HALF)
_F_NO_REST = np.float32(np.log(0.02))
_F_LOST = np.float32(_LN_LOST - np.log(STATES))


def _was(frame: Rows, full: Ints) -> Rows:
    """The class of a character that has ended, where the next one looks for it."""
    known = (frame & (0xFF << _MASK)) == full
    return (np.where(known, CLASS_OF[frame & 0xFF], NO_CLASS).astype(np.int32)) << _BEFORE


def _unpacked(frame: int, right: bool) -> tuple[int, int, bool]:
    return frame & 0xFF, (frame >> _MASK) & 0xFF, right


def _log_sum(given: Weights) -> Weights:
    top = given.max(axis=1)
    safe = np.where(np.isfinite(top), top, 0.0)
    total: Weights = (safe + np.log(np.exp(given - safe[:, None]).sum(axis=1))).astype(np.float32)
    return total


def sender_bits(
    parts: Sequence[Segment], ratios: NDArray[np.float64]
) -> tuple[list[NDArray[np.int8]], NDArray[np.float32]]:
    """The sender's bits behind each segment's samples, for every ratio.

    Returns for each segment (bits, R) levels 0, 1, UNKNOWN, or 3 where the segment has ended, and (S, R) the log
    weight of samples that contradict others of the same bit, or that fall between two bits and so say nothing.
    """
    out: list[NDArray[np.int8]] = []
    clashes = np.zeros((len(parts), len(ratios)), np.float32)
    free = np.zeros_like(clashes)
    layouts: dict[int, tuple[Ints, NDArray[np.bool_], Ints, Ints]] = {}
    for number, part in enumerate(parts):
        count = len(part.levels)
        if count not in layouts:
            place = (np.arange(count) + 0.5)[:, None] * ratios[None, :]
            bit = np.floor(place).astype(np.int64)
            near = np.minimum(place - bit, bit + 1 - place)
            border = np.rint(place).astype(np.int64)
            layouts[count] = (bit, near >= _EDGE, np.maximum(border - 1, 0), border)
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
        found[np.arange(highest + 1)[:, None] > bit.max(axis=0)[None, :]] = _NOTHING
        out.append(found)
    return out, clashes * _LN_CONFLICT + free * _LN_HALF
