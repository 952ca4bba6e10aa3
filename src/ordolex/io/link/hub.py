"""The thread in which all links of the interface run, with an event loop of its own.

A screen that takes long to draw can so neither delay a reading nor spoil a response time. The interface calls in by
`call` and looks at `views`, which are renewed twenty times a second.
"""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable, Coroutine, Sequence
from concurrent.futures import Future
from typing import TYPE_CHECKING, Any, TypeVar

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.question import Question
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.link.view import LinkView
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for

if TYPE_CHECKING:  # imported where a port is opened: the first screen does not wait for them
    from ordolex.core.link.secrets import Known
    from ordolex.io.link.everywhere import Try
    from ordolex.io.link.journal import RecorderLike
    from ordolex.io.link.runner import LinkRunner
    from ordolex.io.ports.survey import PortFacts

T = TypeVar("T")
_VIEW_S = 0.05


class Hub:
    def __init__(self, recorder: RecorderLike, make_transport: Callable[[Endpoint], Transport] = transport_for) -> None:
        self._recorder = recorder
        self._make_transport = make_transport
        self._secrets: Known | None = None
        self._runners: dict[int, LinkRunner] = {}
        self._views: dict[int, LinkView] = {}
        self._under_way: set[asyncio.Task[Any]] = set()
        self.before_stop: list[Callable[[], Coroutine[Any, Any, None]]] = []
        """What ends properly before the ports are released."""
        self._ready = threading.Event()
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="links", daemon=True)
        self._thread.start()
        self._ready.wait()

    @property
    def views(self) -> dict[int, LinkView]:
        """The latest view of every link that was opened; each is one moment, and never changes."""
        return self._views

    def runner(self, link: int) -> LinkRunner | None:
        return self._runners.get(link)

    def call(self, work: Coroutine[Any, Any, T]) -> Future[T]:
        """Runs a coroutine among the links; a Fault comes out of the future's result."""
        return asyncio.run_coroutine_threadsafe(self._tracked(work), self._loop)

    async def _tracked(self, work: Coroutine[Any, Any, T]) -> T:
        task = asyncio.current_task()
        assert task is not None
        self._under_way.add(task)
        try:
            return await work
        finally:
            self._under_way.discard(task)

    def begin(self, work: Coroutine[Any, Any, Any]) -> None:
        """Runs it beside everything else; nobody waits for its end."""
        self.call(work)

    def adopt(self, runner: LinkRunner) -> None:
        """A link that somebody else runs in this thread: it is seen like the others, and released with them."""
        self._runners[runner.link] = runner

    def dismiss(self, runner: LinkRunner) -> None:
        """What was adopted is run by nobody any more."""
        if self._runners.get(runner.link) is runner:
            del self._runners[runner.link]

    def soon(self, work: Callable[[], object]) -> None:
        self._loop.call_soon_threadsafe(work)

    async def ask_everywhere(
        self, ports: Sequence[PortFacts], line: LineSettings, question: Question, deliver: Callable[[Try], None],
        units: Sequence[str] = (),
    ) -> list[Try]:  # fmt: skip
        from ordolex.io.link.everywhere import ask_everywhere

        return await ask_everywhere(ports, line, question, deliver, self._recorder, self._make_transport, units)

    def move(self, link: int, endpoint: str) -> None:
        """Tells a link that waits for its adapter where that is now."""
        runner = self._runners.get(link)
        if runner is not None:
            self.soon(lambda: runner.move(endpoint))

    @property
    def secrets(self) -> tuple[bytes, ...]:
        """What was typed hidden on any link."""
        return tuple(self._secrets) if self._secrets is not None else ()

    async def open(
        self, link: int, endpoint: str, line: LineSettings, *, low: bool = False, charset: str = ""
    ) -> LinkRunner:
        """Opens a link's port; another endpoint or other settings than before replace the old ones."""
        runner = await self.ready(link, endpoint, line, charset)
        runner.opens_low = low
        await runner.open()
        return runner

    async def ready(self, link: int, endpoint: str, line: LineSettings, charset: str = "") -> LinkRunner:
        """Who runs a link, whether its port is open or not."""
        from ordolex.core.link.secrets import Known
        from ordolex.io.link.runner import LinkRunner

        if self._secrets is None:
            self._secrets = Known()
        runner = self._runners.get(link)
        if runner is not None and runner.endpoint.text != endpoint:
            await runner.release()
            runner = None
        if runner is None:
            runner = LinkRunner(link, endpoint, line, self._recorder, self._make_transport, self._secrets)
            self._runners[link] = runner
        elif runner.line != line:
            await runner.retune(line)
        runner.reads_in(charset)
        return runner

    def stop(self) -> None:
        """Releases every port and ends the thread."""
        if not self._thread.is_alive():
            return
        with contextlib.suppress(TimeoutError):  # what is under way puts back what it changed before the ports go
            asyncio.run_coroutine_threadsafe(self._ended(), self._loop).result(timeout=4)
        if self._runners:
            from ordolex.io.link.runner import closed

            with contextlib.suppress(TimeoutError):  # a port that does not close ends with the process
                self.call(closed(*self._runners.values())).result(timeout=5)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(timeout=5)

    async def _ended(self) -> None:
        for work in self.before_stop:
            await work()
        tasks = list(self._under_way)
        for task in tasks:
            task.cancel()
        if tasks:
            await asyncio.wait(tasks, timeout=3)

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        publisher = self._loop.create_task(self._publish())
        self._loop.call_soon(self._ready.set)
        self._loop.run_forever()
        publisher.cancel()
        self._loop.run_until_complete(asyncio.gather(publisher, return_exceptions=True))
        self._loop.close()

    async def _publish(self) -> None:
        while True:
            self._views = {link: runner.view() for link, runner in list(self._runners.items())}
            await asyncio.sleep(_VIEW_S)
