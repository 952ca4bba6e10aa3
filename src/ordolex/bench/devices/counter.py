"""The fish counter at the grading channel: on `RUN` it writes a line for each fish, as fast as its line carries them.

Megabytes of them; `STOP` ends it. Each line is numbered, so that what is missing shows.
"""

from __future__ import annotations

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character

_BURST = 40  # lines that are handed over together


class FishCounter:
    def __init__(self, line: LineSettings) -> None:
        self._line = line
        self._typed = ""
        self._next_s: float | None = None
        self._count = 0

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        out = []
        for character in characters:
            if character.faulty:
                continue
            if character.byte not in b"\r\n":
                self._typed = (self._typed + chr(character.byte))[-40:]
                continue
            command, self._typed = self._typed.strip().upper(), ""
            if command:
                out.append(self._obey(command, now_s))
        return [Say(now_s, "".join(out).encode())] if out else []

    def _obey(self, command: str, now_s: float) -> str:
        if command == "RUN":
            self._next_s = now_s
            return "RUN OK\r\n"
        if command == "STOP":
            self._next_s = None
            return f"STOP OK {self._count}\r\n"
        if command == "ID?":
            return "Brookmade FISH-7 counter 1.3\r\n"
        return "? ID? RUN STOP\r\n"

    def tick(self, now_s: float) -> list[Say]:
        if self._next_s is None or now_s < self._next_s:
            return []
        lines = []
        for _ in range(_BURST):
            self._count += 1
            lines.append(f"{self._count:08} fish {180 + self._count * 37 % 90} mm lane {self._count % 4 + 1}\r\n")
        text = "".join(lines).encode()
        self._next_s = now_s + self._line.seconds_for(len(text))
        return [Say(now_s, text)]

    def next_deadline(self) -> float | None:
        return self._next_s


KINDS: Kinds = {"counter": lambda plan, now_s: FishCounter(plan.settings)}
