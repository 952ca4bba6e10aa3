"""The desks that come after the first screen."""

from __future__ import annotations

from collections.abc import Callable


class Arriving:
    """`waiting` is what is to be done at desks that are not there yet."""

    def __init__(self) -> None:
        self.waiting: list[Callable[[], None]] = []
        self.building = False
        self.then: Callable[[], None] | None = None
        """What was wanted while a desk was being built, in place of all else."""

    def turn(self) -> None:
        """They are there."""
        for turn in self.waiting:
            turn()
        self.waiting.clear()
