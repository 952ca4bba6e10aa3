"""The echo plug: TXD and RXD of one plug joined. What goes out comes back, whatever the settings."""

from __future__ import annotations

from ordolex.bench.devices.base import Kinds, Say
from ordolex.core.uart.receiver import Character


class EchoPlug:
    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        return [Say(now_s, bytes(c.byte for c in characters))] if characters else []

    def tick(self, now_s: float) -> list[Say]:
        return []

    def next_deadline(self) -> float | None:
        return None


KINDS: Kinds = {"echo": lambda plan, now_s: EchoPlug()}
