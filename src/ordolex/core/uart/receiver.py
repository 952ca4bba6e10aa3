"""The receiving half of the UART wire model: line levels into characters with their error flags.

A falling edge is the start of a character if the line is still at SPACE half a bit later. From there each bit is
sampled once, in its middle, by the receiver's own clock. Only the first stop bit is checked, as UARTs do.

After a framing error two habits are found in real receivers. Both are modelled, since the bytes that follow differ:
`edge` waits for the line to go to MARK and for the next falling edge; `classic` takes the low stop bit for the middle
of the next start bit. A break (SPACE throughout the frame) is followed by a wait for MARK in both.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from enum import Enum
from typing import NamedTuple

from ordolex.core.line.settings import LineSettings, parity_bit
from ordolex.core.uart.levels import MARK, SPACE, Edge


class Resync(Enum):
    EDGE = "edge"
    CLASSIC = "classic"


class Character(NamedTuple):
    """One received character. `at_s` is the time of its stop-bit sample, when a UART hands it over."""

    at_s: float
    byte: int
    framing: bool = False
    parity: bool = False
    broken: bool = False
    overrun: bool = False
    """A character before this one was lost, because the port was not emptied in time."""

    @property
    def faulty(self) -> bool:
        return self.framing or self.parity or self.broken or self.overrun


class Receiver:
    """A UART's receiving half. Feed it edges in time order, then ask what it has by a time."""

    def __init__(
        self,
        settings: LineSettings,
        *,
        clock: float = 1.0,
        resync: Resync = Resync.EDGE,
        idle_level: int = MARK,
    ) -> None:
        self._settings = settings
        self.clock = clock
        self.resync = resync
        self._edges: deque[Edge] = deque()
        self._level = MARK
        self._start_s: float | None = None  # start of the character being received
        self._search_s = float("-inf")  # no start bit is looked for before this time
        self._seen_s = float("-inf")  # the latest time at which the level was asked for
        self._want_mark = False
        if idle_level == SPACE:
            # A line that rests at SPACE looks to a receiver that is switched on like a start bit that never ends.
            self._edges.append(Edge(0.0, SPACE))

    @property
    def settings(self) -> LineSettings:
        return self._settings

    @settings.setter
    def settings(self, settings: LineSettings) -> None:
        """Re-tunes; a character that is under way is lost, as in a UART that is set up anew."""
        self._settings = settings
        self._start_s = None
        self._search_s = max(self._search_s, self._seen_s)
        self._want_mark = self._level == SPACE

    @property
    def resting(self) -> bool:
        """Nothing under way and nothing waiting: the next character will be seen from its start bit."""
        return self._start_s is None and not self._edges and self._level == MARK and not self._want_mark

    def receive(self, edges: Iterable[Edge]) -> None:
        self._edges.extend(edges)

    def next_deadline(self) -> float | None:
        """When the next character can be complete at the earliest; None while nothing is under way."""
        if self._start_s is not None:
            return self._start_s + self._frame_s()
        if self._edges:
            return max(self._edges[0].at_s, self._search_s) + self._frame_s()
        return None

    def advance(self, now_s: float) -> list[Character]:
        """The characters whose stop bit has been sampled by `now_s`."""
        done: list[Character] = []
        while self._find_start(now_s):
            assert self._start_s is not None
            if self._start_s + self._frame_s() > now_s:
                break
            done.append(self._sample_frame(self._start_s))
        return done

    def _frame_s(self) -> float:
        """From the start edge to the middle of the first stop bit."""
        has_parity = parity_bit(self._settings.parity, 0) is not None
        return (1.5 + self._settings.data_bits + has_parity) * self._bit_s()

    def _bit_s(self) -> float:
        return self._settings.bit_s / self.clock

    def _level_at(self, at_s: float) -> int:
        """The level at a time that never goes back; edges before it are forgotten."""
        self._seen_s = max(self._seen_s, at_s)
        while self._edges and self._edges[0].at_s <= at_s:
            self._level = self._edges.popleft().level
        return self._level

    def _find_start(self, now_s: float) -> bool:
        half = self._bit_s() / 2
        while self._start_s is None:
            if self._want_mark:
                if not self._wait_for_mark(now_s):
                    return False
                continue
            edge_s = self._falling_edge(now_s)
            if edge_s is None or edge_s + half > now_s:
                self._search_s = edge_s if edge_s is not None else self._search_s
                return False
            if self._level_at(edge_s + half) == SPACE:
                self._start_s = edge_s
            else:
                self._search_s = edge_s + half  # a glitch, too short for a start bit
        return True

    def _wait_for_mark(self, now_s: float) -> bool:
        while self._edges and self._edges[0].at_s <= now_s and self._level == SPACE:
            self._search_s = max(self._search_s, self._edges[0].at_s)
            self._level = self._edges.popleft().level
        self._want_mark = self._level == SPACE
        return not self._want_mark

    def _falling_edge(self, now_s: float) -> float | None:
        """The first time from the search time on at which the line falls, or stands at SPACE already."""
        if self._level_at(self._search_s) == SPACE:
            return self._search_s
        while self._edges and self._edges[0].at_s <= now_s:
            if self._edges[0].level == SPACE:
                return self._edges[0].at_s
            self._level = self._edges.popleft().level
        return None

    def _sample_frame(self, start_s: float) -> Character:
        bit_s, settings = self._bit_s(), self._settings
        byte = 0
        for i in range(settings.data_bits):
            byte |= self._level_at(start_s + (1.5 + i) * bit_s) << i
        at = start_s + (1.5 + settings.data_bits) * bit_s
        expected = parity_bit(settings.parity, byte.bit_count())
        seen = MARK if expected is None else self._level_at(at)
        if expected is not None:
            at += bit_s
        stop = self._level_at(at)
        all_space = byte == 0 and stop == SPACE and (expected is None or seen == SPACE)
        self._after_stop(stop, all_space, at, bit_s)
        return Character(
            at,
            byte,
            framing=stop == SPACE and not all_space,
            parity=expected is not None and seen != expected and not all_space,
            broken=all_space,
        )

    def _after_stop(self, stop: int, all_space: bool, at: float, bit_s: float) -> None:
        self._start_s, self._search_s = None, at
        if stop == MARK:
            return
        if all_space or self.resync is Resync.EDGE:
            self._want_mark = True
        else:
            self._start_s = at - bit_s / 2
