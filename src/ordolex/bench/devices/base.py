"""What a stand-in is: characters and times in, things to say out. No I/O, no clock."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple, Protocol, runtime_checkable

from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character

if TYPE_CHECKING:
    from ordolex.bench.plan import DevicePlan


class Say(NamedTuple):
    """Bytes that the device sends, not before `at_s`."""

    at_s: float
    data: bytes


@runtime_checkable
class Relining(Protocol):
    """A device that changes its own line settings; it is told when the line has followed."""

    line: LineSettings

    def relined(self, now_s: float) -> None: ...


@runtime_checkable
class Panelled(Protocol):
    """A device with a front panel."""

    def panel(self, now_s: float) -> str:
        """What it shows."""


class StandIn(Protocol):
    def receive(self, characters: list[Character], now_s: float) -> list[Say]: ...

    def tick(self, now_s: float) -> list[Say]:
        """What it says by itself now."""

    def next_deadline(self) -> float | None:
        """When it wants to be asked again without having received anything."""


Kinds = dict[str, "Callable[[DevicePlan, float], StandIn]"]
"""Kind, as a plan names it → what makes such a stand-in, from its plan and the time. Every module here that has `KINDS`
is found by itself; with `TEMPERS` it also says in which ways of their own its kinds can misbehave."""
