"""The outlet gate's position sender: it answers two questions, one line each, and knows no more."""

from __future__ import annotations

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.uart.receiver import Character

_ANSWERS = {b"*IDN?": "Brookmade,GP-1,gate 3,1.02", b"POS?": "47.5"}


class GatePosition:
    def __init__(self) -> None:
        self._asked = bytearray()

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        said: list[Say] = []
        for character in characters:
            if character.faulty:
                self._asked.clear()  # a question that was damaged is not answered
            elif character.byte in b"\r\n":
                answer = _ANSWERS.get(bytes(self._asked).upper(), "ERR 1")
                said += [Say(now_s + 0.02, f"{answer}\r\n".encode())] if self._asked else []
                self._asked.clear()
            else:
                self._asked.append(character.byte)
        return said

    def tick(self, now_s: float) -> list[Say]:
        return []

    def next_deadline(self) -> float | None:
        return None


KINDS: Kinds = {"gate": lambda plan, now_s: GatePosition()}
