"""A wire with more than one driver: two senders on one pair, or something that holds the line down."""

from __future__ import annotations

from collections.abc import Iterable
from heapq import heappop, heappush

from ordolex.core.uart.levels import MARK, SPACE, Edge


class SharedWire:
    """While any of `count` drivers is at SPACE, the wire is: so it is with open collectors, and with RS-485 drivers of
    which the stronger wins."""

    def __init__(self, count: int) -> None:
        self._levels = [MARK] * count
        self._level = MARK
        self._coming: list[tuple[float, int, int, int]] = []
        self._put = 0

    def drive(self, who: int, edges: Iterable[Edge]) -> None:
        """The edges of one driver, in time order, none before what `edges` has given out already."""
        for edge in edges:
            self._put += 1
            heappush(self._coming, (edge.at_s, self._put, who, edge.level))

    def next_edge_s(self) -> float | None:
        return self._coming[0][0] if self._coming else None

    def edges(self, until_s: float) -> list[Edge]:
        """What the wire does until then."""
        out: list[Edge] = []
        while self._coming and self._coming[0][0] <= until_s:
            at_s, _, who, level = heappop(self._coming)
            self._levels[who] = level
            now = SPACE if SPACE in self._levels else MARK
            if now != self._level:
                self._level = now
                out.append(Edge(at_s, now))
        return out
