"""What the forward algorithm looks up: the candidates' formats as tables, and what a character under way is worth.

What is known of a character under way is packed into one number: value, mask of known bits, class of the character
before, whether the parity bit was seen, and that bit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ordolex.core.match.capture import UNKNOWN
from ordolex.core.match.content import CLASS_OF, NO_CLASS, weights
from ordolex.core.match.formats import EVEN, FREE, IDLE, ODD, STATES, Format, tables

_NOISE = 0.01
LN_WRONG, LN_RIGHT = float(np.log(_NOISE)), float(np.log(1 - _NOISE))
"""Weights of one bit that contradicts, and of one that is as it must be; the noise bears gaps and real errors."""
LN_HALF = float(np.log(0.5))
MASK, BEFORE, SEEN, PARITY = 8, 16, 19, 20
"""Where in a packed character its parts begin."""
_CHARACTER = (1 << SEEN) - 1

Ints = NDArray[np.int64]
Rows = NDArray[np.int32]
Weights = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Candidates:
    """C candidates: which format, which rate (as ratio to the receiver's), which content, and whether inverted."""

    formats: Sequence[Format]
    format_of: Ints
    ratios: NDArray[np.float64]
    ratio_of: Ints
    content_of: Ints
    inverted: Ints

    def only(self, keep: Ints) -> Candidates:
        return Candidates(
            self.formats,
            self.format_of[keep],
            self.ratios,
            self.ratio_of[keep],
            self.content_of[keep],
            self.inverted[keep],
        )


class Formats:
    """Tables by format: what one bit of a level adds to the packed character, and what a run of equal bits does.

    adds   (F, 3, STATES) for level 0, 1, UNKNOWN
    open   (F, 2, STATES, STATES) 0 where a run of that level leads within a frame from one place to another, else -inf
    run    (F, 2, STATES, STATES) what the run adds to the character
    """

    def __init__(self, chosen: Sequence[Format]) -> None:
        table = tables(chosen, LN_WRONG, LN_RIGHT)
        self.table = table
        count = len(chosen)
        self.adds = np.zeros((count, 3, STATES), np.int32)
        for level in (0, 1):
            self.adds[:, level] = (table.data_bit.astype(np.int32) << MASK) | (table.data_bit if level else 0)
            self.adds[:, level] |= np.where(table.is_parity, (1 << SEEN) | (level << PARITY), 0)
        self.open = np.full((count, 2, STATES, STATES), -np.inf, np.float32)
        self.run = np.zeros((count, 2, STATES, STATES), np.int32)
        for row, format_ in enumerate(chosen):
            for level in (0, 1):
                self.open[row, level, IDLE, IDLE] = 0.0
                for start in range(format_.bits):
                    added = 0
                    self.open[row, level, start, start] = 0.0
                    for place in range(start + 1, format_.bits):
                        if table.odds[row, level, place] < LN_WRONG / 2:
                            break
                        added |= int(self.adds[row, level, place])
                        self.open[row, level, start, place] = 0.0
                        self.run[row, level, start, place] = added

    def parity_right(self, of: int, frame: int) -> bool:
        """Whether the parity bit of a character in this format is as it must be, or not known."""
        full = (frame & 0xFF00) == ((1 << int(self.table.data_bits[of])) - 1) << MASK
        kind = int(self.table.parity[of])
        odds = PARITY_ODDS[kind * 1024 + ((frame >> SEEN) & 3) * 256 + (frame & 0xFF)] if full else 0.0
        return bool(odds > LN_WRONG / 2)


class Ways:
    """The tables of `Formats` and of the contents, laid out for C candidates.

    last    (C,) the place of a frame's last bit
    odds    (3 C, STATES) log weight of a level at each place; row 3 c + level
    adds    (3 C, STATES) what that level adds to the character
    open    for line level 0 and 1: (C, STATES, STATES), see `Formats`
    run     the same for what a run adds
    inside  (C, STATES) the places that a candidate has
    """

    def __init__(self, formats: Formats, candidates: Candidates) -> None:
        of, table = candidates.format_of, formats.table
        self.last = table.length[of] - 1
        self.odds = table.odds[of].reshape(-1, STATES)
        self.adds = formats.adds[of].reshape(-1, STATES)
        self.open = [formats.open[of, level ^ candidates.inverted] for level in (0, 1)]
        self.run = [formats.run[of, level ^ candidates.inverted] for level in (0, 1)]
        self.inside = np.isfinite(table.odds[of, UNKNOWN])
        self.full: Rows = (((1 << table.data_bits[of]) - 1) << MASK).astype(np.int32)
        kinds = table.parity[of]
        self._checked = bool((kinds != FREE).any())
        self._parity_base = (kinds * 1024).astype(np.int32)
        self._half: Weights = np.where(kinds == FREE, 0.0, LN_HALF).astype(np.float32)
        pairs = [(int(c), int(b)) for c, b in zip(candidates.content_of, table.data_bits[of], strict=True)]
        found = sorted(set(pairs))
        self._content = np.concatenate([weights(content, bits).ravel() for content, bits in found])
        self._base = np.array([found.index(pair) << SEEN for pair in pairs])

    def worth(self, packed: Rows) -> Weights:
        """What is known of each character under way, as log weight; `packed` is (C, …)."""
        base = self._base.reshape(-1, *([1] * (packed.ndim - 1)))
        worth: Weights = self._content[base + (packed & _CHARACTER)]
        return worth

    def parity_odds(self, frame: Rows) -> Weights:
        """(C,) log weight of the parity bits of characters that have ended."""
        if not self._checked:
            return np.zeros(len(frame), np.float32)
        told = PARITY_ODDS[self._parity_base + ((frame >> SEEN) & 3) * 256 + (frame & 0xFF)]
        seen = (frame >> SEEN) & 1
        odds: Weights = np.where((frame & 0xFF00) == self.full, told, self._half * seen)
        return odds

    def was(self, frame: Rows) -> Rows:
        """The class of a character that has ended, where the next one looks for it."""
        known: Rows = np.where((frame & 0xFF00) == self.full, WAS[frame & 0xFF], NO_CLASS)
        return known


def _parity_odds() -> Weights:
    """By kind of parity, whether it was seen and its bit, and the character's value."""
    out = np.zeros((3, 4, 256), np.float32)
    ones = np.array([value.bit_count() & 1 for value in range(256)])
    for kind in (EVEN, ODD):
        for bit in (0, 1):
            wrong = bit != ones ^ (kind == ODD)
            out[kind, 1 | (bit << 1)] = np.where(wrong, LN_WRONG, LN_RIGHT)
    return out.ravel()


PARITY_ODDS = _parity_odds()
WAS = CLASS_OF.astype(np.int32) << BEFORE
