"""The frame formats that are weighed, as arrays: what each bit of a frame is, and what that asks of its level."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ordolex.core.line.settings import Parity

LONGEST = 12
"""Bits of the longest frame: start, eight data bits, parity, two stop bits."""
IDLE = LONGEST
"""The place behind the last bit of a frame stands for a line at rest."""
STATES = LONGEST + 1
EVEN, ODD, FREE = 0, 1, 2


@dataclass(frozen=True, slots=True)
class Format:
    """Data bits, parity and stop bits, like `8E1`."""

    data_bits: int
    parity: Parity
    stop_bits: int

    @property
    def text(self) -> str:
        return f"{self.data_bits}{self.parity.value}{self.stop_bits}"

    @property
    def bits(self) -> int:
        return 1 + self.data_bits + (self.parity is not Parity.NONE) + self.stop_bits

    def wanted(self, place: int) -> int | None:
        """The level that a bit of the frame must have; None where it is free."""
        if place == 0:
            return 0
        if place > self.data_bits + (self.parity is not Parity.NONE):
            return 1
        if place == self.data_bits + 1:
            return {Parity.MARK: 1, Parity.SPACE: 0}.get(self.parity)
        return None


def formats(data_bits: Sequence[int] = (7, 8)) -> list[Format]:
    """All formats with these numbers of data bits, parity N E O M S, and one or two stop bits."""
    return [Format(bits, parity, stop) for bits in data_bits for parity in Parity for stop in (1, 2)]


_USUAL = {"8N1": 8.0, "8E1": 2.5, "7E1": 2.5, "8N2": 1.5, "8O1": 1.2, "7O1": 1.0, "7N2": 0.5, "7M1": 0.3, "7N1": 0.2,
          "8M1": 0.1, "7S1": 0.04, "8S1": 0.04, "7S2": 0.02, "8S2": 0.02}  # fmt: skip


def usual(format_: Format) -> float:
    """How common a format is in the trade, as a weight; two stop bits, mark and space are rare."""
    return _USUAL.get(format_.text, 0.12)


@dataclass(frozen=True, slots=True)
class Tables:
    """For each of F formats, by the places of a frame.

    length     (F,) bits of a frame
    odds       (F, 3, STATES) log weight of seeing level 0, 1 or unknown at each place; -inf beyond the frame
    data_bit   (F, STATES) the value that a data bit adds, else 0
    is_parity  (F, STATES) whether the place is an even or odd parity bit
    parity     (F,) EVEN, ODD or FREE
    data_bits  (F,)
    """

    length: NDArray[np.int64]
    odds: NDArray[np.float32]
    data_bit: NDArray[np.int16]
    is_parity: NDArray[np.bool_]
    parity: NDArray[np.int64]
    data_bits: NDArray[np.int64]


def tables(chosen: Sequence[Format], ln_wrong: float, ln_right: float) -> Tables:
    """`ln_wrong` is the log weight of a level that the format does not allow, `ln_right` of one that it asks for."""
    count = len(chosen)
    odds = np.zeros((count, 3, STATES), np.float32)
    data_bit = np.zeros((count, STATES), np.int16)
    is_parity = np.zeros((count, STATES), bool)
    for row, format_ in enumerate(chosen):
        for place in range(format_.bits):
            wanted = format_.wanted(place)
            if wanted is not None:
                odds[row, 1 - wanted, place] = ln_wrong
                odds[row, wanted, place] = ln_right
            if 1 <= place <= format_.data_bits:
                data_bit[row, place] = 1 << (place - 1)
        odds[row, 0, IDLE] = ln_wrong
        odds[row, :, format_.bits : IDLE] = -np.inf
        if format_.parity in (Parity.EVEN, Parity.ODD):
            is_parity[row, format_.data_bits + 1] = True
    kinds = {Parity.EVEN: EVEN, Parity.ODD: ODD}
    return Tables(
        np.array([f.bits for f in chosen]),
        odds,
        data_bit,
        is_parity,
        np.array([kinds.get(f.parity, FREE) for f in chosen]),
        np.array([f.data_bits for f in chosen]),
    )
