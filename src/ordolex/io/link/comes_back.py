"""A port that was lost is opened again as soon as it is back, at whatever number its adapter has then."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

from ordolex.core.port.endpoint import Endpoint
from ordolex.io.link.journal import Journal
from ordolex.io.ports.survey import identity_at, path_of
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault

_RETRY_S = (0.5, 1.0, 1.0, 2.0, 3.0, 5.0)


class ComesBack:
    """open_once  opens the port at where it is now
    where      gives that
    move       tells where the adapter is now
    then       is awaited once the port is back
    words      what is tried, for the screen
    """

    def __init__(
        self, journal: Journal, where: Callable[[], Endpoint], open_once: Callable[[], Awaitable[None]],
        move: Callable[[str], None], then: Callable[[], Awaitable[None]],
    ) -> None:  # fmt: skip
        self._journal, self._where, self._open_once, self._move, self._then = journal, where, open_once, move, then
        self.identity_at, self.path_of = identity_at, path_of
        self._adapter = ""
        self._task: asyncio.Task[None] | None = None
        self.words = ""

    async def know_adapter(self) -> None:
        """Remembers which adapter the link is on, to look for that one and no other."""
        if self._where().kind == "serial" and not self._adapter:
            self._adapter = await asyncio.to_thread(self.identity_at, self._where().host)

    def begin(self) -> None:
        self._task = asyncio.get_running_loop().create_task(self._try_on())

    def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
        self._task, self.words = None, ""

    async def _try_on(self) -> None:
        lost_s = mono_s()
        tries = 0
        while True:
            await asyncio.sleep(_RETRY_S[min(tries, len(_RETRY_S) - 1)])
            tries += 1
            elsewhere = await self._follow_adapter()
            if elsewhere:
                self.words = f"try {tries}: {elsewhere}"
                continue
            try:
                await self._open_once()
            except Fault as fault:
                self.words = f"try {tries}: {fault.what}"
                continue
            self.words = ""
            words = f"the port is back after {mono_s() - lost_s:.1f} s, try {tries}"
            self._journal.note("back", words, {"tries": tries})
            await self._then()
            return

    async def _follow_adapter(self) -> str:
        """Before a port is opened again: the adapter behind it must be the same, for its name may have gone to another.
        Goes where the adapter is now; why it is not to be opened, else empty."""
        if not self._adapter:
            return ""
        there = await asyncio.to_thread(self.identity_at, self._where().host)
        if there == self._adapter:
            return ""
        path = await asyncio.to_thread(self.path_of, self._adapter)
        if path:
            self._move(path)
            return ""
        return f"another adapter is at {self._where().text} now" if there else f"{self._where().text} is not there"
