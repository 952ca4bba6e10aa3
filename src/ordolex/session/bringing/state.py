"""What is known while a device is brought up, and what came of each stage so far."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from concurrent.futures import Future
from typing import Any, TypeVar

from ordolex.core.link.state import Evidence
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.ranking import Ranked
from ordolex.core.visit.bring_up import KIND, STAGE, BringUp, Outcome, Standing
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.view import LinkView
from ordolex.io.match.trials import Match
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.session.session import Session

T = TypeVar("T")
_LOOK_S = 0.05


class Bringing:
    """link   what is brought up; None until a port was taken
    now    what goes on just now, in words, for who watches
    match  the latest one
    sheets those that fit what it said, the likeliest first, once they were looked for
    """

    def __init__(self, session: Session, link: LinkRecord | None = None) -> None:
        self.session, self.link = session, link
        self.steps = BringUp()
        self.now = ""
        self.match: Match | None = None
        self.sheets: list[Ranked] = []
        self.lamp: int | None = None
        self.answered = b""
        """The question that a match found answered."""
        self.identity = ""
        self.talks = False
        self._working: Future[Any] | None = None

    def took(self, stage: str, standing: Standing, words: str) -> Outcome:
        """Keeps what came of a stage."""
        outcome = Outcome(stage, standing, words, utc_us())
        self.steps.take(outcome)
        if self.link is not None:
            self.session.keep_event(self.link, KIND, f"bring-up, {outcome.text}", outcome.as_dict())
        return outcome

    def skip(self, stage: str) -> Outcome:
        return self.took(stage, Standing.SKIPPED, "nobody looked")

    def told(self, stage: str, words: str) -> Outcome:
        """Done by hand: it is what somebody says, and no more."""
        return self.took(stage, Standing.SAID, words)

    def stop(self) -> bool:
        """Whether something was under way."""
        going = self._working
        if going is None or going.done():
            return False
        going.cancel()
        return True

    async def do(self, work: Coroutine[Any, Any, T]) -> T:
        """Among the links, so that it can be stopped from outside."""
        return await self.waited(self.session.hub.call(work))

    async def waited(self, future: Future[T]) -> T:
        """Raises a Fault where it is stopped."""
        self._working = future
        try:
            return await asyncio.wrap_future(future)
        except asyncio.CancelledError:
            task = asyncio.current_task()
            if task is not None and task.cancelling():
                raise
            raise Fault("it was stopped by hand", "it goes on where it was left") from None

    def inputs(self) -> frozenset[str] | None:
        """As they stood at the links' last look, a twentieth of a second ago at the most."""
        return self.session.view(self.link).signals.inputs if self.runner_or_none() is not None and self.link else None

    def the_link(self) -> LinkRecord:
        if self.link is None:
            raise Fault("no port was taken yet", f"do {STAGE['port'].title.lower()} first")
        return self.link

    def runner_or_none(self) -> LinkRunner | None:
        return self.session.runner(self.link) if self.link is not None else None

    def runner(self) -> LinkRunner:
        runner = self.session.runner(self.the_link())
        if runner is None or not runner.is_open:
            raise Fault("the port is not open", f"do {STAGE['port'].title.lower()} again")
        return runner

    def sheet(self) -> Sheet | None:
        return self.session.devices.sheet_of(self.the_link())


async def until(so: Callable[[], bool], seconds: float) -> None:
    """Until it is so, or the time is over."""
    for _ in range(int(seconds / _LOOK_S)):
        if so():
            return
        await asyncio.sleep(_LOOK_S)


async def looked(runner: LinkRunner) -> LinkView:
    return runner.view()


async def seen(runner: LinkRunner) -> Evidence:
    return runner.view().evidence
