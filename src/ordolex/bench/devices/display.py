"""The hatching room's display: it repeats on its serial line what it shows, every few seconds."""

from __future__ import annotations

from ordolex.bench.devices.base import Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.wire.receiver import Character


class RoomDisplay:
    def __init__(self, line: LineSettings, interval_s: float, start_s: float) -> None:
        self._line = line
        self._interval_s = interval_s
        self._next_s = start_s
        self._count = 0

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        return []  # it only shows

    def tick(self, now_s: float) -> list[Say]:
        if now_s < self._next_s:
            return []
        self._count += 1
        water = 8.4 + self._count % 5 / 10
        frame = "+--------------------+\r\n"
        text = f"{frame}| water {water:.1f} C  tray {self._count % 12 + 1:2} |\r\n{frame}"
        self._next_s = now_s + max(self._interval_s, self._line.seconds_for(len(text)))
        return [Say(now_s, text.encode())]

    def next_deadline(self) -> float | None:
        return self._next_s
