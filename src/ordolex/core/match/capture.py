"""What a receiver got from a sender whose settings are not known: bytes, and what is known about each.

A capture becomes segments: samples of the line on the receiver's own grid of bits, counted from a falling edge that is
certain. Between two segments the line was high for a time that is not known.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

from ordolex.core.line.settings import LineSettings, Parity, parity_bit
from ordolex.core.wire.receiver import Resync

UNKNOWN = 2
"""The level of a sample that the receiver did not tell."""
_SILENT_FRAMES = 3.0  # so many frames at the receiver's rate without a byte, and the line is taken to have rested
_SILENT_S = 0.03  # but never less than this: adapters and networks hold bytes back for a while


class Flags(NamedTuple):
    """The line errors of one byte."""

    framing: bool = False
    parity: bool = False
    broken: bool = False


@dataclass(frozen=True, slots=True)
class Capture:
    """Bytes heard at one setting.

    heard_at  the receiver's settings
    data      what it handed over
    flags     line errors, one entry a byte; None where the port reports none
    starts    for each byte whether the line was at rest before it, so that it begins with a true start bit
    """

    heard_at: LineSettings
    data: bytes
    flags: tuple[Flags, ...] | None = None
    starts: tuple[bool, ...] = ()

    def __post_init__(self) -> None:
        for name, given in (("flags", self.flags), ("starts", self.starts or None)):
            if given is not None and len(given) != len(self.data):
                raise ValueError(f"{len(given)} {name} for {len(self.data)} bytes; give one for each byte")

    def first(self, count: int) -> Capture:
        """The first `count` bytes of it."""
        flags = self.flags[:count] if self.flags is not None else None
        return Capture(self.heard_at, self.data[:count], flags, self.starts[:count])

    @property
    def errors(self) -> int:
        return sum(any(flag) for flag in self.flags or ())


def starts_from_times(times_s: Sequence[float], heard_at: LineSettings) -> tuple[bool, ...]:
    """Which bytes came after a rest of the line, from when each arrived; the first one is taken to be under way."""
    rest = max(_SILENT_S, _SILENT_FRAMES * heard_at.bits_per_frame / heard_at.baud)
    return (False, *(later - earlier > rest for earlier, later in pairwise(times_s)))[: len(times_s)]


class Segment(NamedTuple):
    """levels   one sample for each bit of the receiver, the first in the middle of the start bit: 0, 1 or UNKNOWN
    rested   whether the line was at rest before it
    first    which byte of the capture it begins with
    """

    levels: tuple[int, ...]
    rested: bool
    first: int


def segments(capture: Capture, habit: Resync) -> list[Segment]:
    """The samples behind the bytes. With the habit `classic` a byte after a framing error goes on in the same grid."""
    out: list[Segment] = []
    line = capture.heard_at
    going_on = False
    for at, byte in enumerate(capture.data):
        flag = capture.flags[at] if capture.flags is not None else None
        levels = (0, *((byte >> bit) & 1 for bit in range(line.data_bits)), *_parity(byte, flag, line), _stop(flag))
        if flag is not None and flag.broken:
            levels = (0,) * len(levels)
        rested = bool(capture.starts and capture.starts[at])
        if going_on and not rested:
            last = out[-1]
            out[-1] = Segment(last.levels + levels[1:], last.rested, last.first)
        else:
            out.append(Segment(levels, rested, at))
        going_on = habit is Resync.CLASSIC and flag is not None and flag.framing and not flag.broken
        if len(out[-1].levels) > 200:
            going_on = False  # a run of framing errors without end: a grid that long means nothing
    return out


def _parity(byte: int, flag: Flags | None, line: LineSettings) -> tuple[int, ...]:
    if line.parity is Parity.NONE:
        return ()
    if flag is None:
        return (UNKNOWN,)
    expected = parity_bit(line.parity, byte.bit_count())
    assert expected is not None
    return (expected ^ flag.parity,)


def _stop(flag: Flags | None) -> int:
    return UNKNOWN if flag is None else int(not (flag.framing or flag.broken))
