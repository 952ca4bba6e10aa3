"""What is under way on links. One thing at a time goes on a link, whichever desk it was begun at; it can be stopped."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from concurrent.futures import Future
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:
    from ordolex.io.work.paced import Progress

Result = TypeVar("Result")


@dataclass(slots=True)
class Sending:
    """Something under way on a link; `progress` and `now` are set in the links' thread. `end_well` asks it to end by
    itself, where it has something to bring back first; then it is under way until it has."""

    what: str
    future: Future[Any] | None = None
    progress: Progress | None = None
    now: str = ""
    end_well: Callable[[], object] | None = None


class Works:
    """`call` runs a coroutine in the links' loop."""

    def __init__(self, call: Callable[[Coroutine[Any, Any, Any]], Future[Any]]) -> None:
        self._call = call
        self._under_way: dict[int, Sending] = {}

    def on(self, link: int) -> Sending | None:
        """What is under way on this link."""
        return self._under_way.get(link)

    async def do(self, link: int, sending: Sending, job: Coroutine[Any, Any, Result]) -> Result | None:
        """Runs it in the links' loop; None if it was stopped. Raises what the job raises."""
        self._under_way[link] = sending
        sending.future = self._call(job)
        try:
            result: Result = await asyncio.wrap_future(sending.future)
        except asyncio.CancelledError:
            return None
        finally:
            if self._under_way.get(link) is sending:  # not what was begun after this was stopped
                del self._under_way[link]
        return result

    def stop(self, link: int) -> str:
        """Stops what is under way on this link; what that was, nothing where there was nothing."""
        sending = self._under_way.get(link)
        if sending is None or sending.future is None:
            return ""
        if sending.end_well is not None:
            end_well, sending.end_well = sending.end_well, None
            end_well()
            return sending.what
        del self._under_way[link]
        sending.future.cancel()
        return sending.what
