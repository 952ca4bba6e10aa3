"""An event loop on a clock of its own: where nothing is to be done, the time goes on at once to when something is."""

from __future__ import annotations

import asyncio
import selectors
from collections.abc import Coroutine
from types import SimpleNamespace
from typing import Any

from ordolex.io.system import clock


class _Selector(selectors.SelectSelector):
    def __init__(self) -> None:
        super().__init__()
        self.now = 1000.0

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        if timeout is None:
            raise RuntimeError("nothing will ever happen: what is waited for cannot come")
        found = super().select(0)
        if not found:
            self.now += max(0.0, timeout)
        return found


class MadeUpLoop(asyncio.SelectorEventLoop):
    def __init__(self) -> None:
        self._made_up = _Selector()
        super().__init__(self._made_up)
        self._clock_resolution = 1e-6

    def time(self) -> float:
        return self._made_up.now


def run(work: Coroutine[Any, Any, Any]) -> Any:
    """Runs it on a made-up clock, which is the program's own meanwhile."""
    loop = MadeUpLoop()
    real = clock.time
    clock.time = SimpleNamespace(  # type: ignore[assignment]
        monotonic=loop.time, monotonic_ns=lambda: round(loop.time() * 1e9), time_ns=lambda: round(loop.time() * 1e9)
    )
    try:
        return loop.run_until_complete(work)
    finally:
        clock.time = real
        for task in asyncio.all_tasks(loop):
            task.cancel()
        loop.run_until_complete(asyncio.sleep(0))
        loop.close()
