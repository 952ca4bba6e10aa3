"""The forward algorithm over where the sender is in his frame, for many candidate settings at once.

Between two known falling edges the samples tell the sender's bits one by one; after the last sample the line was high
for a time that is not known, or known from the times of arrival. The hidden state is the place in the sender's frame,
or rest. With each state goes what is known of the character under way; its worth comes to the weight when it ends.
Where two ways lead to one state the likelier one's character is kept, and the weights add.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ordolex.core.match.capture import UNKNOWN, Segment
from ordolex.core.match.content import LINE_BEGINS
from ordolex.core.match.formats import IDLE, LONGEST, STATES
from ordolex.core.match.samples import NOTHING
from ordolex.core.match.ways import BEFORE, LN_WRONG, MASK, Candidates, Formats, Ints, Rows, Ways, Weights

NEXT, REST = np.float32(np.log(0.65)), np.float32(np.log(0.35))  # behind a frame: the next one at once, or a rest
START, STAY = np.float32(np.log(0.35)), np.float32(np.log(0.65))
LOST = np.float32(np.log(0.003) - np.log(STATES))  # the sender may be anywhere: bytes were wrong or missing
NO_REST = np.float32(np.log(0.02))
_WRONG, _ZERO = np.float32(LN_WRONG), np.float32(0.0)
OWN_SPREAD = 0.25  # in the sender's bits: a rest of the line need not be a whole number of them
ASTRAY = 0.002  # share of times of arrival that say nothing


class State(NamedTuple):
    """weight  (C, STATES) log weight, without the worth of the character under way
    packed  (C, STATES) that character
    past    (C, STATES) the number of the last frame that ended on the way here; None where no reading is wanted
    """

    weight: Weights
    packed: Rows
    past: Rows | None


class Forward:
    """Run over the segments of one capture. With `history` the characters read can be asked for afterwards."""

    def __init__(self, candidates: Candidates, history: bool = False) -> None:
        self._formats = Formats(candidates.formats)
        self._frames: list[tuple[Rows, Rows, NDArray[np.bool_]]] = []
        self._choose(candidates)
        count = len(candidates.format_of)
        inside = self._ways.inside
        share = -np.log(inside.sum(axis=1, keepdims=True))
        self._now = State(
            np.where(inside, share, -np.inf).astype(np.float32),
            np.zeros((count, STATES), np.int32),
            np.full((count, STATES), -1, np.int32) if history else None,
        )
        self._low: NDArray[np.bool_] = np.zeros(count, bool)  # whether the line was low at the last sample
        self._untold = False  # or that is not told
        self._part: Segment | None = None
        self._length: Ints = np.zeros(count, np.int64)  # the sender's bits of the last segment

    def _choose(self, candidates: Candidates) -> None:
        self.candidates = candidates
        self._ways = Ways(self._formats, candidates)
        self._rows = np.arange(len(candidates.format_of))
        self._meant = [level ^ candidates.inverted for level in (0, 1)]
        self._is_high = [meant == 1 for meant in self._meant]

    # ---- one bit

    def _ended(self, now: State) -> tuple[Weights, Rows]:
        """At the last bit of a frame: the weight with all that the character is worth, and the character."""
        ways, at = self._ways, (self._rows, self._ways.last)
        frame = now.packed[at]
        return now.weight[at] + ways.worth(frame) + ways.parity_odds(frame), frame

    def _frame(self, now: State, frame: Rows) -> int:
        """Keeps the frames that end here; their number."""
        assert now.past is not None
        right = self._ways.parity_odds(frame) > LN_WRONG / 2
        self._frames.append((now.past[self._rows, self._ways.last], frame, right))
        return len(self._frames) - 1

    def _step(self, now: State, level: Ints, stay_odds: np.float32 = STAY) -> State:
        """One bit of the sender; `level` (C,) as the sender means it: 0, 1, UNKNOWN, or NOTHING for no bit at all."""
        weight, packed, past = now
        ways = self._ways
        ended, frame = self._ended(now)
        rest = weight[:, IDLE]
        next_, start, stop, stay = ended + NEXT, rest + START, ended + REST, rest + stay_odds
        known = np.minimum(level, UNKNOWN) + 3 * self._rows
        new = ways.odds[known]
        new[:, 1:IDLE] += weight[:, : IDLE - 1]
        new[:, 0] += np.logaddexp(next_, start)
        new[:, IDLE] += np.logaddexp(stop, stay)
        was, before = ways.was(frame), packed[:, IDLE]
        character = ways.adds[known]
        character[:, 1:IDLE] |= packed[:, : IDLE - 1]
        begun, stopped = next_ >= start, stop >= stay
        character[:, 0] |= np.where(begun, was, before)
        character[:, IDLE] |= np.where(stopped, was, before)
        behind = None
        if past is not None:
            number = self._frame(now, frame)
            behind = np.empty_like(past)
            behind[:, 1:IDLE] = past[:, : IDLE - 1]
            behind[:, 0] = np.where(begun, number, past[:, IDLE])
            behind[:, IDLE] = np.where(stopped, number, past[:, IDLE])
        return self._where(level == NOTHING, now, State(new, character, behind))

    def _where(self, rows: NDArray[np.bool_], a: State, b: State) -> State:
        """`a` for these candidates, `b` for the others; `b` may be written to."""
        if not rows.any():
            return b
        if rows.all():
            return a
        for source, target in zip(a, b, strict=True):
            if source is not None and target is not None:
                np.copyto(target, source, where=rows[:, None])
        return b

    def _bits(self, now: State, levels: Ints) -> State:
        for level in levels:
            now = self._step(now, level)
        return now

    def _add(self, a: State, b: State) -> State:
        """Two ways into each state: the weights add, the character of the likelier one stays."""
        worth_a, worth_b = self._ways.worth(a.packed), self._ways.worth(b.packed)
        full_a, full_b = a.weight + worth_a, b.weight + worth_b
        other = full_b > full_a
        weight = np.logaddexp(full_a, full_b) - np.where(other, worth_b, worth_a)
        past = None if a.past is None or b.past is None else np.where(other, b.past, a.past)
        return State(weight, np.where(other, b.packed, a.packed), past)

    # ---- the time after a segment's last sample

    def _any_number(self, now: State, level: int) -> State:
        """None, one or more bits at this level of the line."""
        high = self._is_high[level]
        if not high.all():
            now = self._begin_frames(now, ~high)
        ways = self._ways
        led = now.packed[:, :, None] | ways.run[level]
        worth = ways.worth(led)
        full = now.weight[:, :, None] + ways.open[level] + worth
        chosen = full.argmax(axis=1)
        at = (self._rows[:, None], chosen, _PLACES)
        top = full[at]
        safe = np.where(np.isfinite(top), top, np.float32(0.0))
        with np.errstate(divide="ignore"):
            total = safe + np.log(np.exp(full - safe[:, None, :]).sum(axis=1))
        past = None if now.past is None else now.past[self._rows[:, None], chosen]
        now = State(total - worth[at], led[at], past)
        return self._rest_after_frames(now, high) if high.any() else now

    def _begin_frames(self, now: State, rows: NDArray[np.bool_]) -> State:
        """A start bit may come at once behind a frame or a rest."""
        ended, frame = self._ended(now)
        next_, start = ended + NEXT, now.weight[:, IDLE] + START
        begun = np.where(rows, np.logaddexp(next_, start), np.float32(-np.inf))
        was = np.where(next_ >= start, self._ways.was(frame), now.packed[:, IDLE])
        better = begun > now.weight[:, 0]
        weight, packed, past = now.weight.copy(), now.packed.copy(), now.past
        packed[:, 0] = np.where(better, was, packed[:, 0])
        weight[:, 0] = np.logaddexp(begun, weight[:, 0])
        if past is not None:
            behind = np.where(next_ >= start, self._frame(now, frame), past[:, IDLE])
            past = past.copy()
            past[:, 0] = np.where(better, behind, past[:, 0])
        return State(weight, packed, past)

    def _rest_after_frames(self, now: State, rows: NDArray[np.bool_]) -> State:
        """Behind a frame the line may rest for any time. Writes to `now`."""
        ended, frame = self._ended(now)
        stop, stay = ended + (REST - START), now.weight[:, IDLE] - START
        ends = (stop >= stay) & rows
        if now.past is not None:
            now.past[:, IDLE] = np.where(ends, self._frame(now, frame), now.past[:, IDLE])
        now.packed[:, IDLE] = np.where(ends, self._ways.was(frame), now.packed[:, IDLE])
        now.weight[:, IDLE] = np.where(rows, np.logaddexp(stop, stay), now.weight[:, IDLE])
        return now

    def _to_the_edge(self, now: State, low: NDArray[np.bool_]) -> State:
        """From the last sample to just before the next falling edge of the line; `low` where that sample was low."""
        if low.any():
            after = self._step(self._any_number(now, 0), self._meant[1])
            now = self._where(~low, now, after)
        return self._any_number(now, 1)

    def _counted(
        self, now: State, low: NDArray[np.bool_], gap: NDArray[np.float64], spread: NDArray[np.float64]
    ) -> State:
        """The same where it is known how long that took: `gap` (C,) in the sender's bits, good to `spread` (C,)."""
        width = np.hypot(OWN_SPREAD, spread)
        most = int(np.clip(np.ceil((gap + 2 * width).max()), 1, LONGEST))  # times may be worse than they claim
        odds = np.log(np.exp(-0.5 * ((np.arange(LONGEST + 1)[:, None] - gap) / width) ** 2) + ASTRAY).astype(np.float32)
        odds[most] = np.where(gap >= most, np.float32(0.0), odds[most])
        never = np.float32(-np.inf)
        lows = State(np.where(low[:, None], now.weight, never), now.packed, now.past)
        highs = State(np.where(low[:, None], never, now.weight), now.packed, now.past)
        out = State(highs.weight + odds[0][:, None], highs.packed, highs.past)
        for count in range(1, most + 1):
            highs = self._step(highs, self._meant[1], _ZERO)
            if low.any():
                highs = self._add(highs, self._step(lows, self._meant[1], _ZERO))
                lows = self._step(lows, self._meant[0], _ZERO)
            out = self._add(out, State(highs.weight + odds[count][:, None], highs.packed, highs.past))
        return out

    # ---- a segment

    def _rested(self, now: State) -> State:
        """The line was at rest: whatever was under way has ended."""
        full = now.weight + self._ways.worth(now.packed)
        past = now.past
        if past is not None:
            best = full.argmax(axis=1)
            before = past[self._rows, best]
            frame = np.where(best == IDLE, 0, now.packed[self._rows, best]).astype(np.int32)
            number = np.where(best == IDLE, before, len(self._frames))
            self._frames.append((before, frame, np.ones(len(frame), bool)))
            past = past.copy()
            past[:, IDLE] = number
        weight, packed = now.weight + NO_REST, now.packed.copy()  # it may be a byte that came late, or was lost
        weight[:, IDLE] = _log_sum(full)
        packed[:, IDLE] = LINE_BEGINS << BEFORE
        return State(weight, packed, past)

    def run(self, parts: Sequence[Segment], bits: Sequence[NDArray[np.int8]], odds: Weights) -> None:
        """`bits` and `odds` as `sender_bits` gives them; goes on from where the last call ended."""
        now = self._now
        for number, part in enumerate(parts):
            ratio_of, inverted = self.candidates.ratio_of, self.candidates.inverted
            if part.rested:
                if part.first and not self._untold:
                    # an inverted line rests low, and goes there with an edge that would have begun a byte
                    strange = ~self._low & (inverted == 1)
                    now = State(now.weight + np.where(strange, 2 * _WRONG, _ZERO)[:, None], *now[1:])
                now = self._to_the_edge(self._rested(now), inverted == 1)
            elif not self._untold:
                now = self._behind(now, self._low)
            own = bits[number][:, ratio_of].astype(np.int64)
            own = own[: int((own != NOTHING).sum(axis=0).max())]
            if inverted.any():
                own = np.where(own < UNKNOWN, own ^ inverted, own)
            self._part, self._length = part, (own != NOTHING).sum(axis=0)
            self._untold = part.levels[-1] == UNKNOWN
            self._low = np.full(len(inverted), part.levels[-1] == 0)
            now = self._both_ways(now, own) if self._untold else self._bits(now, own)
            now = self._lost(State(now.weight + odds[number, ratio_of][:, None], *now[1:]))
        self._now = now

    def _behind(self, now: State, low: NDArray[np.bool_]) -> State:
        """From the last sample of a segment to just before the next falling edge."""
        part = self._part
        if part is None or part.lasts is None:
            return self._to_the_edge(now, low)
        ratio = self.candidates.ratios[self.candidates.ratio_of]
        return self._counted(now, low, part.lasts * ratio - self._length, part.spread * ratio)

    def _both_ways(self, now: State, levels: Ints) -> State:
        """A segment whose last sample is not told: both levels are followed, each to the next falling edge."""
        last = self._length - 1
        told = levels[last, self._rows]
        ways: list[State] = []
        for level in (1, 0):
            meant = self._meant[level]
            one = levels.copy()
            one[last, self._rows] = np.where(told == UNKNOWN, meant, told)
            after = self._bits(now, one)
            after.weight[(told != UNKNOWN) & (told != meant)] = -np.inf
            ways.append(self._behind(after, np.full(len(last), level == 0)))
        return self._add(*ways)

    def _lost(self, now: State) -> State:
        """Allows that the sender is anywhere, at a price."""
        full = now.weight + self._ways.worth(now.packed)
        floor = full.max(axis=1, keepdims=True) + LOST
        low = (full < floor) & self._ways.inside
        past = now.past
        if past is not None:
            chosen = past[self._rows, full.argmax(axis=1)]
            past = np.where(low, chosen[:, None], past)
        return State(np.where(low, floor, now.weight), np.where(low, 0, now.packed), past)

    # ---- what came of it

    def totals(self) -> Weights:
        """(C,) log weight of all segments so far."""
        return _log_sum(self._now.weight + self._ways.worth(self._now.packed))

    def keep(self, keep: Ints) -> None:
        """Goes on with these candidates only; not with a history."""
        self._choose(self.candidates.only(keep))
        self._now = State(self._now.weight[keep], self._now.packed[keep], None)
        self._low, self._length = self._low[keep], self._length[keep]

    def reading(self, row: int) -> list[tuple[int, int, bool]]:
        """The characters of one candidate along its likeliest way: (value, mask of known bits, parity is right)."""
        now = self._now
        assert now.past is not None, "reading needs history"
        place = int((now.weight + self._ways.worth(now.packed))[row].argmax())
        out: list[tuple[int, int, bool]] = []
        if place == self._ways.last[row]:
            frame = now.packed[self._rows, self._ways.last]
            out.append((*characters_of(int(frame[row])), bool(self._ways.parity_odds(frame)[row] > LN_WRONG / 2)))
        at = int(now.past[row, place])
        while at >= 0:
            before, frames, rights = self._frames[at]
            out.append((*characters_of(int(frames[row])), bool(rights[row])))
            at = int(before[row])
        return out[::-1]


_PLACES = np.arange(STATES)[None, :]


def characters_of(frame: int) -> tuple[int, int]:
    """Value and mask of known bits of a packed character."""
    return frame & 0xFF, (frame >> MASK) & 0xFF


def _log_sum(given: Weights) -> Weights:
    top = given.max(axis=1)
    safe = np.where(np.isfinite(top), top, np.float32(0.0))
    with np.errstate(divide="ignore"):
        total: Weights = safe + np.log(np.exp(given - safe[:, None]).sum(axis=1))
    return total
