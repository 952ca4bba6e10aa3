"""What a stand-in is: characters and times in, things to say out. No I/O, no clock."""

from __future__ import annotations

from typing import NamedTuple, Protocol, runtime_checkable

from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character


class Say(NamedTuple):
    """Bytes that the device sends, not before `at_s`."""

    at_s: float
    data: bytes


@runtime_checkable
class Relining(Protocol):
    """A device that changes its own line settings; it is told when the line has followed."""

    line: LineSettings

    def relined(self, now_s: float) -> None: ...


class StandIn(Protocol):
    def receive(self, characters: list[Character], now_s: float) -> list[Say]: ...

    def tick(self, now_s: float) -> list[Say]:
        """What it says by itself now."""

    def next_deadline(self) -> float | None:
        """When it wants to be asked again without having received anything."""
