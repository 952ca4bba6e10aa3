"""Water-quality probes, several on one line. Each answers only to its letter, with columns that have no names.

`A` and a carriage return bring `7.12 11.4 0.312 98.1`: pH, degrees Celsius, conductivity in mS/cm, oxygen in % of
saturation; the manual says so, the line does not. Anything else is not answered.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.uart.receiver import Character

_TURN_ROUND_S = 0.09
_LONGEST = 40


class Probes:
    """`letters` of those that are on the line; two of one letter answer both."""

    def __init__(self, letters: Sequence[str], start_s: float) -> None:
        self._letters = letters
        self._start_s = start_s
        self._buffer = bytearray()

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        says = []
        for character in characters:
            if character.faulty:
                self._buffer.clear()
            elif character.byte == 0x0D:
                asked, self._buffer = self._buffer.decode("latin-1").strip(), bytearray()
                says += self._answers(asked, now_s)
            elif len(self._buffer) < _LONGEST:
                self._buffer.append(character.byte)
        return says

    def tick(self, now_s: float) -> list[Say]:
        return []

    def next_deadline(self) -> float | None:
        return None

    def _answers(self, asked: str, now_s: float) -> list[Say]:
        out: list[Say] = []
        for place, letter in enumerate(self._letters):
            if letter == asked:
                wait_s = _TURN_ROUND_S + 0.01 * place + 0.03 * len(out)
                out.append(Say(now_s + wait_s, self.line(place, now_s)))
        return out

    def line(self, place: int, now_s: float) -> bytes:
        since = now_s - self._start_s
        ph = 7.12 + 0.04 * place + 0.03 * math.sin(since / 60 + place)
        temperature = 11.4 + 0.3 * place + 0.1 * math.sin(since / 200 + place)
        conductivity = 0.312 + 0.004 * place + 0.002 * math.sin(since / 90 + place)
        saturation = 98.1 - 1.7 * place + 0.8 * math.sin(since / 45 + place)
        return b"%.2f %.1f %.3f %.1f\r\n" % (ph, temperature, conductivity, saturation)


KINDS: Kinds = {"probes": lambda plan, now_s: Probes([chr(0x40 + unit) for unit in plan.units if unit <= 26], now_s)}
