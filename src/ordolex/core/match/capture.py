"""What a receiver got from a sender whose settings are not known: bytes, and what is known about each.

A capture becomes segments: samples of the line on the receiver's own grid of bits, counted from a falling edge that is
certain. Between two segments the line was high for a time that is not known.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

from ordolex.core.line.settings import LineSettings, Parity, parity_bit
from ordolex.core.uart.receiver import Resync

UNKNOWN = 2
"""The level of a sample that the receiver did not tell."""
_SILENT_FRAMES = 3.0  # so many frames at the receiver's rate without a byte, and the line is taken to have rested
_COARSE = 0.6  # sender's bits: times that are no better do not count them
_LONG = 150.0  # receiver's bits: longer than any frame of a sender who is at most ten times slower
_HELD = 3.0  # times the usual spacing of bytes that a pause must exceed, for each byte that came behind it
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
    times_s   when each byte came, in seconds of any clock; empty where that is not known
    spread_s  how far from the truth one of those times may be
    """

    heard_at: LineSettings
    data: bytes
    flags: tuple[Flags, ...] | None = None
    starts: tuple[bool, ...] = ()
    times_s: tuple[float, ...] = ()
    spread_s: float = 0.0

    def __post_init__(self) -> None:
        for name, given in (("flags", self.flags), ("starts", self.starts or None), ("times", self.times_s or None)):
            if given is not None and len(given) != len(self.data):
                raise ValueError(f"{len(given)} {name} for {len(self.data)} bytes; give one for each byte")

    def behind(self, count: int) -> Capture:
        """Without the first so many bytes."""
        return replace(
            self,
            data=self.data[count:],
            flags=None if self.flags is None else self.flags[count:],
            starts=self.starts[count:],
            times_s=self.times_s[count:],
        )

    def first(self, count: int) -> Capture:
        """The first `count` bytes of it."""
        flags = self.flags[:count] if self.flags is not None else None
        return replace(
            self, data=self.data[:count], flags=flags, starts=self.starts[:count], times_s=self.times_s[:count]
        )

    @property
    def errors(self) -> int:
        return sum(any(flag) for flag in self.flags or ())


def starts_from_times(times_s: Sequence[float], heard_at: LineSettings) -> tuple[bool, ...]:
    """Which bytes came after a rest of the line, from when each arrived; the first one is taken to be under way."""
    rest = max(_SILENT_S, _SILENT_FRAMES * heard_at.bits_per_frame / heard_at.baud)
    return (False, *(later - earlier > rest for earlier, later in pairwise(times_s)))[: len(times_s)]


def spread_of(times_s: Sequence[float], heard_at: LineSettings, least_s: float) -> float:
    """How far from the truth times of arrival are: bytes cannot come faster than the line brings them. Not less than
    `least_s`, the step of the clock that they were read from."""
    frame_s = (heard_at.bits_per_frame - 1) / heard_at.baud
    early = max((frame_s - (later - earlier) for earlier, later in pairwise(times_s)), default=0.0)
    return max(least_s, early)


class Arrival(NamedTuple):
    """Some bytes that a program was handed at once, and when. That is later than they were on the wire."""

    at_s: float
    size: int


def times_of(arrivals: Sequence[Arrival], heard_at: LineSettings, late_s: float) -> tuple[tuple[float, ...], float]:
    """When each byte came, and how far from the truth that may be. `late_s` is how late the program gets to anything;
    the first of some bytes that came at once waited at least until the last of them was there."""
    frame_s = heard_at.bits_per_frame / heard_at.baud
    times = tuple(at_s - (count - 1 - n) * frame_s for at_s, count in arrivals for n in range(count))
    waited = max((count - 1 for _, count in arrivals), default=0) * frame_s
    return times, max(late_s, waited, spread_of(times, heard_at, 0.0))


def starts_from_arrivals(arrivals: Sequence[Arrival], heard_at: LineSettings, late_s: float) -> tuple[bool, ...]:
    """Which bytes came after a rest of the line. A pause before many bytes at once is one of the program or of the
    way, unless it is far longer than those bytes needed."""
    frame_s = heard_at.bits_per_frame / heard_at.baud
    gaps = [later.at_s - earlier.at_s for earlier, later in pairwise(arrivals)]
    spacing = sorted(gap / one.size for gap, one in zip(gaps, arrivals[1:], strict=True) for _ in range(one.size))
    usual = max(frame_s, spacing[len(spacing) // 2]) if spacing else frame_s
    rest = max(_SILENT_S, _SILENT_FRAMES * frame_s) + 2 * late_s
    out: list[bool] = []
    for number, one in enumerate(arrivals):
        rested = number > 0 and gaps[number - 1] > rest + _HELD * one.size * usual
        out += [rested, *[False] * (one.size - 1)]
    return tuple(out)


class Segment(NamedTuple):
    """levels   one sample for each bit of the receiver, the first in the middle of the start bit: 0, 1 or UNKNOWN
    rested   whether the line was at rest before it
    first    which byte of the capture it begins with
    lasts    receiver's bits from its first edge to that of the next segment; None where times do not tell
    spread   how far from the truth that may be
    """

    levels: tuple[int, ...]
    rested: bool
    first: int
    lasts: float | None = None
    spread: float = 0.0


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
        if going_on and not rested and not _late(capture, at):
            last = out[-1]
            out[-1] = Segment(last.levels + levels[1:], last.rested, last.first)
        else:
            out.append(Segment(levels, rested, at))
        going_on = habit is Resync.CLASSIC and flag is not None and flag.framing and not flag.broken
        if len(out[-1].levels) > 200:
            going_on = False  # a run of framing errors without end: a grid that long means nothing
    return out


def _late(capture: Capture, at: int) -> bool:
    """Whether a byte came too late to go on in the same grid as the one before."""
    if not capture.times_s:
        return False
    between = (capture.times_s[at] - capture.times_s[at - 1]) * capture.heard_at.baud
    return between > capture.heard_at.bits_per_frame + 2 + 4 * capture.spread_s * capture.heard_at.baud


def timed(parts: list[Segment], capture: Capture, ratio: float) -> list[Segment]:
    """With the time from edge to edge, if the times of arrival are fine enough to count the bits of a sender by them;
    `ratio` is his likeliest rate to the receiver's."""
    spread = capture.spread_s * 2**0.5 * capture.heard_at.baud
    if not capture.times_s or spread * ratio > _COARSE:
        return parts
    parts = list(parts)
    for at in range(len(parts) - 1):
        part, after = parts[at], parts[at + 1]
        lasts = (capture.times_s[after.first] - capture.times_s[part.first]) * capture.heard_at.baud
        if lasts > _LONG:
            parts[at + 1] = after._replace(rested=True)
        else:
            parts[at] = part._replace(lasts=lasts, spread=spread)
            parts[at + 1] = after._replace(rested=False)
    return parts


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
