"""The water-temperature string: talks by itself, in NMEA 0183 XDR sentences (transducer measurements) with checksum.

Four sensors from the spring intake down to raceway 4. With an interval of 0 it speaks without a pause, as fast as its
line carries.
"""

from __future__ import annotations

import math

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.text.nmea0183 import sentence
from ordolex.core.uart.receiver import Character

_BASE_C = (8.6, 9.1, 9.4, 9.9)
_BURST_S = 0.02


class TemperatureString:
    def __init__(self, line: LineSettings, interval_s: float, start_s: float) -> None:
        self._line = line
        self._interval_s = interval_s
        self._start_s = self._next_s = start_s
        self._count = 0

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        return []  # it has no ears

    def tick(self, now_s: float) -> list[Say]:
        if now_s < self._next_s:
            return []
        if self._interval_s:
            late = self._next_s + self._interval_s <= now_s  # nobody listened for a while
            self._next_s = (now_s if late else self._next_s) + self._interval_s
            return [Say(now_s, self.sentence(now_s))]
        data = self.sentence(now_s)
        lines = max(1, math.ceil(_BURST_S / self._line.seconds_for(len(data))))
        data += b"".join(self.sentence(now_s) for _ in range(lines - 1))
        self._next_s = max(self._next_s, now_s - _BURST_S) + self._line.seconds_for(len(data))
        return [Say(now_s, data)]

    def next_deadline(self) -> float | None:
        return self._next_s

    def sentence(self, now_s: float) -> bytes:
        since = now_s - self._start_s
        self._count += 1
        values = (
            base + 0.3 * math.sin(since / 340 + i) + 0.05 * math.sin(self._count * 1.7 + i)
            for i, base in enumerate(_BASE_C)
        )
        fields = (f"C,{value:.2f},C,T{i}" for i, value in enumerate(values, 1))
        return sentence(b"YXXDR," + ",".join(fields).encode())


KINDS: Kinds = {"temperature": lambda plan, now_s: TemperatureString(plan.settings, plan.interval_s, now_s)}
