"""One end of a relay: a link with a runner of its own, kept up for as long as the relay runs."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from dataclasses import replace

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.port.endpoint import Endpoint, read_endpoint
from ordolex.core.relay.chain import EndFacts
from ordolex.core.relay.plan import RelayPlan, networks
from ordolex.io.link.journal import RecorderLike
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.io.transport.base import ModemLines, Transport
from ordolex.io.transport.company import Rules
from ordolex.io.transport.front import Front, Used, User
from ordolex.io.transport.listen import ListenTransport
from ordolex.io.transport.udp import UdpTransport


class End:
    """`changed` is called when it stands, falls, or somebody comes or leaves. `pauses` waits between two tries; tests
    bring their own."""

    def __init__(
        self, link: int, endpoint: str, line: LineSettings, plan: RelayPlan, recorder: RecorderLike, front: Front,
        changed: Callable[[], None], make_transport: Callable[[Endpoint], Transport],
        pauses: Callable[[float], object] = asyncio.sleep,
    ) -> None:  # fmt: skip
        self._plan, self._front, self._changed, self._make_transport = plan, front, changed, make_transport
        self._pauses = pauses
        self.transport: Transport | None = None
        self._used: Used | None = None  # the same one, where somebody uses it
        self.runner = LinkRunner(link, endpoint, line, recorder, self._make)
        self.runner.out.patient = True
        self.runner.when_lost = self._was_lost
        self.barred = ""
        """Why nobody may come to it just now; empty where they may."""
        self.tries = 0
        self.error = ""
        self.gave_up = False
        self.held_s: float | None = None
        self.took = ""
        """How many tries and how long it took until it stood, the last time, where that was more than one."""
        self.stands = asyncio.Event()
        self._lost = asyncio.Event()
        self._present = asyncio.Event()
        self._task: asyncio.Task[None] | None = None

    def _make(self, endpoint: Endpoint) -> Transport:
        if endpoint.listens and endpoint.port == 0 and self.path:
            endpoint = replace(endpoint, port=read_endpoint(self.path).port)  # whoever found it there finds it there
        transport = self._make_transport(endpoint)
        transport.prompt = True
        self._used = transport if isinstance(transport, Used) else None
        if self._used is not None:
            self._used.front = self._front
        rules = Rules(networks(self._plan.allow), self._plan.several)
        if isinstance(transport, UdpTransport):
            transport.rules = rules
        if isinstance(transport, ListenTransport):
            transport.company.rules = rules
            transport.dials, transport.dial_every_s = self._plan.dials, self._plan.retry_s
        self.transport = transport
        return transport

    # ---- kept up

    async def go_to(self, endpoint: str) -> None:
        """Lets what it has go, and stands at another endpoint from now on. Raises EndpointError."""
        read_endpoint(endpoint)
        await self.stop()
        self.runner.move(endpoint)
        self.tries, self.error, self.gave_up = 0, "", False
        self.start()

    def start(self) -> None:
        self._task = asyncio.get_running_loop().create_task(self._keep_up())

    async def stop(self) -> None:
        task, self._task = self._task, None
        if task is not None:
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task
        with contextlib.suppress(Fault):
            await self.runner.release()
        self.held_s = None
        self.stands.clear()
        self.user_changed()

    async def _keep_up(self) -> None:
        while True:
            began_s = mono_s()
            if not await self._until_open():
                return
            self.held_s, self.error = mono_s(), ""
            tries, self.tries = self.tries, 0
            self.took = f"at try {tries + 1}, after {self.held_s - began_s:.1f} s" if tries else ""
            if tries:
                self.runner.note("back", f"it stands {self.took}", {"tries": tries + 1})
            self._lost.clear()
            self.stands.set()
            self.user_changed()
            await self._lost.wait()
            self.held_s = None
            self.stands.clear()
            self.user_changed()

    async def _until_open(self) -> bool:
        """Whether it stands; False where the tries are used up."""
        while True:
            try:
                await self.runner.open(again=self.tries > 0)
            except Fault as fault:
                again, self.error = fault.what == self.error, fault.what
                self.tries += 1
                if self.tries > 1 and not again:
                    self.runner.note("refused", f"try {self.tries}: {fault}")
                self.gave_up = self.tries == self._plan.tries
                self._changed()
                if self.gave_up:
                    self.runner.note("note", f"given up after {self.tries} tries: {fault}")
                    return False
                await self._pauses(self._plan.retry_s)  # type: ignore[misc]
            else:
                return True

    def _was_lost(self, fault: Fault) -> None:
        self.error = fault.what
        self._lost.set()

    # ---- who is there

    @property
    def users(self) -> tuple[User, ...]:
        return tuple(self._used.users) if self.held_s is not None and self._used is not None else ()

    @property
    def present(self) -> bool:
        """Whether somebody is there who hears what is sent: the port itself, where we opened it; its user, where it is
        made for one."""
        if self.held_s is None:
            return False
        return self._used.present if self._used is not None else True

    def user_changed(self) -> None:
        (self._present.set if self.present else self._present.clear)()
        self._changed()

    async def until_present(self) -> None:
        await self._present.wait()

    @property
    def path(self) -> str:
        return self._used.path if self._used is not None else ""

    # ---- what is told to its user

    def tell_errors(self, errors: LineErrors) -> None:
        if isinstance(self.transport, ListenTransport):
            self.transport.tell_errors(errors)

    def tell_modem_lines(self, lines: ModemLines) -> None:
        if isinstance(self.transport, ListenTransport):
            self.transport.tell_modem_lines(lines)

    def facts(self) -> EndFacts:
        view = self.runner.view()
        return EndFacts(
            self.runner.endpoint, view.evidence, self.path, tuple(user.name for user in self.users), self.held_s,
            self.tries, self.error, self.gave_up, self.took,
        )  # fmt: skip
