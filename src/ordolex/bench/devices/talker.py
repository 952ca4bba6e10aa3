"""What the stand-ins share that write text by themselves and do not listen."""

from __future__ import annotations

from ordolex.bench.devices.base import Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character


class Talker:
    """Says `text` every `interval_s`, or as fast as its line carries it."""

    def __init__(self, line: LineSettings, interval_s: float, start_s: float) -> None:
        self._line = line
        self._interval_s = interval_s
        self._next_s = start_s
        self._count = 0

    def text(self, count: int) -> str:
        """What it says for the time `count`, from 1."""
        raise NotImplementedError

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        return []  # nothing is wired there

    def tick(self, now_s: float) -> list[Say]:
        if now_s < self._next_s:
            return []
        self._count += 1
        data = self.text(self._count).encode()
        self._next_s = now_s + max(self._interval_s, self._line.seconds_for(len(data)))
        return [Say(now_s, data)]

    def next_deadline(self) -> float | None:
        return self._next_s
