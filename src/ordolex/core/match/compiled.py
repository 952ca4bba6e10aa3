"""The forward algorithm in C, where the wheel was built with a compiler at hand; forward.py does without.

Both have the same methods. What they say differs by rounding alone (tests/core/test_compiled.py).
"""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ordolex.core.match import forward, ways
from ordolex.core.match.capture import UNKNOWN, Segment
from ordolex.core.match.content import LINE_BEGINS, weights
from ordolex.core.match.formats import LONGEST, STATES, Format
from ordolex.core.match.forward import characters_of
from ordolex.core.match.ways import Candidates, Formats, Ints, Weights

LIBRARY = __file__.rpartition("/")[0] + "/libforward.so.1"
_STEPS = 2 * (3 * LONGEST + 8)  # frames that may end behind one segment: twice for both levels of a sample not told


class _Tables(ctypes.Structure):
    """As `Tables` in forward.c."""

    _fields_ = (
        *((name, ctypes.c_int32) for name in ("candidates", "rates")),
        *((name, ctypes.c_void_p) for name in (
            "format_of", "rate_of", "inverted", "content_of", "ratios", "odds", "adds", "open", "run", "last", "full",
            "parity", "content", "parity_odds", "was")),
        *((name, ctypes.c_float) for name in (
            "next", "rest", "start", "stay", "lost", "no_rest", "wrong", "half", "own_spread", "astray")),
        ("line_begins", ctypes.c_int32),
    )  # fmt: skip


class _Parts(ctypes.Structure):
    """As `Parts` in forward.c."""

    _fields_ = (
        ("count", ctypes.c_int32),
        *((name, ctypes.c_void_p) for name in (
            "starts", "bits", "clashes", "lasts", "spread", "rested", "inner", "ends")),
    )  # fmt: skip


class _Progress(ctypes.Structure):
    """As `Progress` in forward.c."""

    _fields_ = (
        *((name, ctypes.c_void_p) for name in ("weight", "packed", "past", "length")),
        *((name, ctypes.c_int32) for name in ("low", "untold", "begun")),
        *((name, ctypes.c_double) for name in ("lasts", "spread")),
        *((name, ctypes.c_void_p) for name in ("before", "frame", "frames", "right")),
        ("capacity", ctypes.c_int32),
    )


@cache
def library() -> ctypes.CDLL | None:
    """The compiled part, or None where there is none, or it is of another machine."""
    try:
        found = ctypes.CDLL(LIBRARY)
        found.ordolex_run.restype = found.ordolex_totals.restype = None
        if found.ordolex_layout() != sum(map(ctypes.sizeof, (_Tables, _Parts, _Progress))):
            return None  # built from another version of the source
    except (OSError, AttributeError):
        return None
    return found


def following(candidates: Candidates, history: bool = False) -> Compiled | forward.Forward:
    """The faster of the two that is there."""
    return Compiled(candidates, history) if library() is not None else forward.Forward(candidates, history)


class Compiled:
    """As `Forward` of forward.py, in its methods and what they give. Only where there is a `library()`."""

    def __init__(self, candidates: Candidates, history: bool = False) -> None:
        found = library()
        assert found is not None, "there is no compiled part"
        self._library = found
        self._formats = _formats(tuple(candidates.formats))
        self._choose(candidates)
        count = len(candidates.format_of)
        inside = np.isfinite(self._formats.table.odds[candidates.format_of, UNKNOWN])
        self._weight = np.where(inside, -np.log(inside.sum(axis=1, keepdims=True)), -np.inf).astype(np.float32)
        self._packed = np.zeros((count, STATES), np.int32)
        self._past = np.full((count, STATES), -1, np.int32) if history else None
        self._length = np.zeros(count, np.int32)
        self._progress = _Progress(lasts=float("nan"))

    def _choose(self, candidates: Candidates) -> None:
        """The tables for these candidates. What C points to is kept here, as long as it may look."""
        self.candidates = candidates
        table = self._formats.table
        pairs = [(int(c), int(b)) for c, b in zip(
            candidates.content_of, table.data_bits[candidates.format_of], strict=True)]  # fmt: skip
        found = tuple(sorted(set(pairs)))
        begins = {pair: number << ways.SEEN for number, pair in enumerate(found)}
        self._kept: dict[str, NDArray[Any]] = {
            "format_of": candidates.format_of.astype(np.int32),
            "rate_of": candidates.ratio_of.astype(np.int32),
            "inverted": candidates.inverted.astype(np.int32),
            "content_of": np.array([begins[pair] for pair in pairs], np.int32),
            "ratios": np.ascontiguousarray(candidates.ratios, np.float64),
            "odds": table.odds,
            "adds": self._formats.adds,
            "open": self._formats.open,
            "run": self._formats.run,
            "last": (table.length - 1).astype(np.int32),
            "full": (((1 << table.data_bits) - 1) << ways.MASK).astype(np.int32),
            "parity": table.parity.astype(np.int32),
            "content": _contents(found),
            "parity_odds": ways.PARITY_ODDS,
            "was": ways.WAS,
        }
        self._tables = _Tables(
            candidates=len(candidates.format_of),
            rates=len(candidates.ratios),
            next=forward.NEXT, rest=forward.REST, start=forward.START, stay=forward.STAY, lost=forward.LOST,
            no_rest=forward.NO_REST, wrong=ways.LN_WRONG, half=ways.LN_HALF, own_spread=forward.OWN_SPREAD,
            astray=forward.ASTRAY, line_begins=LINE_BEGINS,
            **{name: array.ctypes.data for name, array in self._kept.items()},
        )  # fmt: skip

    def run(self, parts: Sequence[Segment], bits: Sequence[NDArray[np.int8]], odds: Weights) -> None:
        """`bits` and `odds` as `sender_bits` gives them; goes on from where the last call ended. Once with a history:
        frames of an earlier call are not kept."""
        if not parts:
            return
        progress, count = self._progress, len(self._length)
        unknown = float("nan")
        given: dict[str, NDArray[Any]] = {
            "starts": np.cumsum([0, *(len(rows) for rows in bits)]).astype(np.int32),
            "bits": np.ascontiguousarray(np.concatenate(bits), np.int8),
            "clashes": np.ascontiguousarray(odds, np.float32),
            "lasts": np.array([unknown if part.lasts is None else part.lasts for part in parts]),
            "spread": np.array([float(part.spread) for part in parts]),
            "rested": np.array([part.rested for part in parts], np.int8),
            "inner": np.array([part.first > 0 for part in parts], np.int8),
            "ends": np.array([part.levels[-1] for part in parts], np.int8),
        }
        if self._past is not None:
            most = sum(2 * len(rows) + _STEPS for rows in bits)
            self._frames = [np.zeros((count, most), np.int32) for _ in range(2)]
            self._right = np.zeros((count, most), np.int8)
            self._counts = np.zeros(count, np.int32)
            progress.before, progress.frame = (array.ctypes.data for array in self._frames)
            progress.right, progress.frames = self._right.ctypes.data, self._counts.ctypes.data
            progress.past, progress.capacity = self._past.ctypes.data, most
        progress.weight, progress.packed = self._weight.ctypes.data, self._packed.ctypes.data
        progress.length = self._length.ctypes.data
        these = _Parts(count=len(parts), **{name: array.ctypes.data for name, array in given.items()})
        self._library.ordolex_run(ctypes.byref(self._tables), ctypes.byref(these), ctypes.byref(progress))

    def _ends(self) -> tuple[Weights, NDArray[np.int32]]:
        totals, places = np.zeros(len(self._length), np.float32), np.zeros(len(self._length), np.int32)
        self._progress.weight, self._progress.packed = self._weight.ctypes.data, self._packed.ctypes.data
        self._library.ordolex_totals(
            ctypes.byref(self._tables),
            ctypes.byref(self._progress),
            ctypes.c_void_p(totals.ctypes.data),
            ctypes.c_void_p(places.ctypes.data),
        )
        return totals, places

    def totals(self) -> Weights:
        """(C,) log weight of all segments so far."""
        return self._ends()[0]

    def keep(self, keep: Ints) -> None:
        """Goes on with these candidates only; not with a history."""
        self._choose(self.candidates.only(keep))
        self._weight, self._packed, self._length = self._weight[keep], self._packed[keep], self._length[keep]

    def reading(self, row: int) -> list[tuple[int, int, bool]]:
        """The characters of one candidate along its likeliest way: (value, mask of known bits, parity is right)."""
        assert self._past is not None, "reading needs history"
        before, frames = self._frames
        place = int(self._ends()[1][row])
        out: list[tuple[int, int, bool]] = []
        format_of = self.candidates.format_of[row]
        if place == self._kept["last"][format_of]:
            frame = int(self._packed[row, place])
            out.append((*characters_of(frame), self._formats.parity_right(int(format_of), frame)))
        at = int(self._past[row, place])
        while at >= 0:
            out.append((*characters_of(int(frames[row, at])), bool(self._right[row, at])))
            at = int(before[row, at])
        return out[::-1]


@cache
def _formats(chosen: tuple[Format, ...]) -> Formats:
    return Formats(chosen)


@cache
def _contents(found: tuple[tuple[int, int], ...]) -> NDArray[np.float32]:
    return np.concatenate([weights(content, bits).ravel() for content, bits in found])
