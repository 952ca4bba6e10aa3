"""A relay that runs, with its notice to the rest of the world."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from ordolex.core.port.endpoint import Endpoint
from ordolex.core.relay.plan import RelayPlan
from ordolex.io.link.journal import RecorderLike
from ordolex.io.relay.notices import NoticeFile, notice_of
from ordolex.io.relay.relay import Relay
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for

_LOOK_S = 0.25


KEPT_AS_IT_PASSES = "what passes is kept as it is, a password that its program sends too"
"""Said before anything passes: what a program asks and answers here is no matter of ours."""


class Running:
    """`ended` is called when it was asked to stop from elsewhere. Raises PortHeld where one of this name runs."""

    def __init__(
        self, plan: RelayPlan, recorder: RecorderLike, links: tuple[int, int] = (1, 2), *, book: str = "",
        make_transport: Callable[[Endpoint], Transport] = transport_for, changed: Callable[[], None] = lambda: None,
        ended: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self.relay = Relay(plan, recorder, links, make_transport, changed)
        self._book, self._ended = book, ended
        self._notice: NoticeFile | None = None
        self._telling: asyncio.Task[None] | None = None

    async def start(self) -> None:
        self._notice = await asyncio.to_thread(NoticeFile, self.relay.plan.name)
        self.relay.start()
        self.relay.ends[0].runner.note("note", f"relay {self.relay.plan.name}: {KEPT_AS_IT_PASSES}")
        self._telling = asyncio.get_running_loop().create_task(self._tell_on())

    async def stop(self) -> None:
        if self._telling is not None:
            self._telling.cancel()
            self._telling = None
        await self.relay.stop()
        notice, self._notice = self._notice, None
        if notice is not None:
            await asyncio.to_thread(notice.close)

    async def _tell_on(self) -> None:
        notice = self._notice
        assert notice is not None
        while True:
            now = notice_of(self.relay.view(), self._book)
            await asyncio.to_thread(notice.tell, now)
            if await asyncio.to_thread(lambda: notice.is_to_stop):
                self._ended()
                return
            await asyncio.sleep(_LOOK_S)
