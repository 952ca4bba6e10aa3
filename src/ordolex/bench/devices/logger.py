"""The logic-level logger: a board that writes lines by itself, on a line whose levels are swapped.

Its transmitter gives logic levels, and the port in front of it expects RS-232, so that MARK and SPACE change places.
"""

from __future__ import annotations

import math

from ordolex.bench.devices.base import Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.wire.receiver import Character


class Logger:
    def __init__(self, line: LineSettings, interval_s: float, start_s: float) -> None:
        self._line = line
        self._interval_s = interval_s
        self._next_s = start_s
        self._count = 0

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        return []  # its receive pin is not wired

    def tick(self, now_s: float) -> list[Say]:
        if now_s < self._next_s:
            return []
        self._count += 1
        level = 412 + 30 * math.sin(self._count / 9)
        text = f"log {self._count:05} spring level {level:.0f} mm, lid closed, battery 3.{61 - self._count % 7} V\r\n"
        self._next_s = now_s + max(self._interval_s, self._line.seconds_for(len(text)))
        return [Say(now_s, text.encode())]

    def next_deadline(self) -> float | None:
        return self._next_s
