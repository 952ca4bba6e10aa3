"""The desks that come after the first screen. What is typed for one that is not there yet waits for it."""

from __future__ import annotations

from collections.abc import Awaitable, Callable

from textual.events import Event, Key, Paste


class Arriving:
    """`waiting` is what was to be done at desks that are not there yet; keys that come then are held back."""

    def __init__(self) -> None:
        self.waiting: list[Callable[[], None]] = []
        self._held: list[Event] = []
        self.building = False
        self.then: Callable[[], None] | None = None
        """What was wanted while a desk was being built, in place of all else."""

    def holds(self, event: Event) -> bool:
        """Whether the event is held back for a desk that comes."""
        if self.waiting and isinstance(event, Key | Paste):
            self._held.append(event)
            return True
        return False

    async def give_next(self, give: Callable[[Event], Awaitable[None]]) -> bool:
        """One at a time: where the next one goes can depend on what this one did. Whether there may be more."""
        if not self._held:
            self.waiting.clear()
            return False
        await give(self._held.pop(0))
        return True
