"""The transmitting half of the UART wire model: characters into line levels over time.

The line is described by its edges. A level is logical: MARK (1) is the idle level, SPACE (0) the level of a start
bit. An inverted line carries SPACE where a right one carries MARK. Frame layout after ITU-T V.4 and TIA-232-F
section 2.1.3: one start bit, data bits with the least significant first, parity bit, stop bits.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from ordolex.core.line.settings import LineSettings, parity_bit

MARK = 1
SPACE = 0


class Edge(NamedTuple):
    """From `at_s` on the line has `level`, until the next edge."""

    at_s: float
    level: int


def frame_bits(byte: int, settings: LineSettings) -> list[tuple[float, int]]:
    """The frame of one character as (length in bits, level); data bits that the format lacks are left out."""
    data = [(byte >> i) & 1 for i in range(settings.data_bits)]
    bits: list[tuple[float, int]] = [(1.0, SPACE)]
    bits += [(1.0, bit) for bit in data]
    parity = parity_bit(settings.parity, sum(data))
    if parity is not None:
        bits.append((1.0, parity))
    bits.append((settings.stop_bits, MARK))
    return bits


class Transmitter:
    """A UART's sending half. Characters follow one another; the line rests at MARK in between.

    inverted   the line is driven with the levels swapped
    clock      how fast the sender's clock runs against its nominal rate: 1.02 is two percent fast
    gap_bits   idle bits between two characters
    flip       asked once a bit whether noise turns that bit over; None for a quiet line
    """

    def __init__(
        self,
        settings: LineSettings,
        *,
        inverted: bool = False,
        clock: float = 1.0,
        gap_bits: float = 0.0,
        flip: Callable[[], bool] | None = None,
    ) -> None:
        self.settings = settings
        self.inverted = inverted
        self.clock = clock
        self.gap_bits = gap_bits
        self.flip = flip
        self.free_at_s = float("-inf")
        """When the line is free for the next character."""
        self._level = self.idle_level

    @property
    def idle_level(self) -> int:
        return SPACE if self.inverted else MARK

    @property
    def bit_s(self) -> float:
        return self.settings.bit_s / self.clock

    @property
    def character_s(self) -> float:
        """Seconds from one start bit to the next when characters follow without pause."""
        return (self.settings.bits_per_frame + self.gap_bits) * self.bit_s

    def send(self, data: Iterable[int], now_s: float) -> list[Edge]:
        """The edges of `data`, the first start bit at `now_s` or as soon as the line is free."""
        edges: list[Edge] = []
        at = max(now_s, self.free_at_s)
        for byte in data:
            for length, bit in frame_bits(byte, self.settings):
                level = bit ^ self.inverted
                if self.flip is not None and self.flip():
                    level ^= 1
                self._put(edges, at, level)
                at += length * self.bit_s
            if self.gap_bits:
                self._put(edges, at, self.idle_level)
                at += self.gap_bits * self.bit_s
        if self._level != self.idle_level:  # noise turned the last stop bit over: the driver lets go all the same
            self._put(edges, at, self.idle_level)
        self.free_at_s = at
        return edges

    def send_break(self, now_s: float, length_s: float) -> list[Edge]:
        """A break: SPACE for `length_s`, then the idle level again."""
        edges: list[Edge] = []
        at = max(now_s, self.free_at_s)
        self._put(edges, at, SPACE ^ self.inverted)
        self._put(edges, at + length_s, self.idle_level)
        self.free_at_s = at + length_s + self.bit_s
        return edges

    def skip(self, count: int, now_s: float) -> float:
        """Accounts for `count` characters that are known to arrive unharmed; when the first of them starts."""
        at = max(now_s, self.free_at_s)
        self.free_at_s = at + count * self.character_s
        return at

    def _put(self, edges: list[Edge], at: float, level: int) -> None:
        if level != self._level:
            edges.append(Edge(at, level))
            self._level = level
