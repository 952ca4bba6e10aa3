"""What every kind of device can do for those who read and set it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Protocol

from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.sheet.parameters import Action, Parameter, Setting

DOUBTFUL = "what came may be the answer to an earlier question, so it is not taken"

Changed = Callable[[Reading], None]


def nobody(reading: Reading) -> None:
    """For those who do not watch the readings come."""


class Trouble(Exception):
    """A device did not do what was asked: it refused, was silent, or answered wrongly."""

    def __init__(self, outcome: Outcome, words: str, raw: bytes = b"") -> None:
        super().__init__(words)
        self.outcome, self.words, self.raw = outcome, words, raw


class Device(Protocol):
    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        """In the order given. Raises a Fault only where the port is gone."""

    async def write(self, parameter: Parameter, value: Setting) -> str:
        """Sets one; what the device said of it. Raises Trouble, a Fault, or ValueError for what cannot be sent."""

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        """Exactly what `write` would send. Raises ValueError."""

    async def act(self, action: Action) -> str:
        """Stores, or starts the device anew. Raises Trouble."""
