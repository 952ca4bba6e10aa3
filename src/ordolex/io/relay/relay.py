"""A relay: two ends joined, bytes both ways through each end's one tap, and what the program sets set at the device.

Use it from one event loop. Ends that we open are tried again until they stand; ends that others come to stay when they
leave. Nothing has to be restarted.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass, replace

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.state import Proof
from ordolex.core.port.endpoint import Endpoint
from ordolex.core.relay.chain import EndFacts, Layer, Settings, chain
from ordolex.core.relay.compare import differences
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.relay.shell import shell_prompt
from ordolex.io.link.journal import RecorderLike
from ordolex.io.relay.end import End
from ordolex.io.relay.way import Way, WayView
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.io.transport.base import ModemLines, Transport
from ordolex.io.transport.front import User
from ordolex.io.transport.listen import ListenTransport
from ordolex.io.transport.open import transport_for

_SENT_FIRST_S = 3.0
_BREAK_S = 60.0  # a break that its user does not end
_LOOK_S = 0.01
_NO_LINE = LineSettings(9600)


@dataclass(frozen=True, slots=True)
class RelayView:
    """A relay at a moment. `stopped` says why nobody may come to it now."""

    plan: RelayPlan
    a: EndFacts
    b: EndFacts
    users: tuple[tuple[User, ...], tuple[User, ...]]
    there: WayView
    back: WayView
    settings: Settings
    layers: tuple[Layer, ...]
    proof: Proof | None
    stopped: str
    fault: str


class _Front:
    """What the user of one end asks goes to the other end."""

    def __init__(self, relay: Relay, near: int) -> None:
        self._relay, self._near = relay, near

    @property
    def _ends(self) -> tuple[End, End]:
        ends = self._relay.ends
        return ends[self._near], ends[1 - self._near]

    async def set_line(self, line: LineSettings) -> LineSettings:
        near, far = self._ends
        near.runner.follows(line)
        return await self._relay.wanted(line, near, far)

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        _, far = self._ends
        if far.runner.is_open and far.runner.endpoint.kind in ("serial", "rfc2217") and self._relay.plan.push:
            await far.runner.lines.set_outputs(dtr=dtr, rts=rts)

    async def set_break(self, on: bool) -> None:
        await self._relay.set_break(self._ends[1], on)

    def discard(self, *, to_user: bool, from_user: bool) -> None:
        ways = self._relay.ways
        if ways:
            if to_user:
                ways[1 - self._near].discard()
            if from_user:
                ways[self._near].discard()

    def users_changed(self) -> None:
        near, _ = self._ends
        near.user_changed()

    def said(self, text: str) -> None:
        near, _ = self._ends
        near.runner.note("note", text)


class Relay:
    """`links` are the ids of its two links in the book; `changed` is called, in the loop, when something did."""

    def __init__(
        self, plan: RelayPlan, recorder: RecorderLike, links: tuple[int, int] = (1, 2),
        make_transport: Callable[[Endpoint], Transport] = transport_for, changed: Callable[[], None] = lambda: None,
        pauses: Callable[[float], object] = asyncio.sleep,
    ) -> None:  # fmt: skip
        self.plan = plan
        self._changed = changed
        line = read_line(plan.line).settings if plan.line else _NO_LINE
        a, b = (
            End(link, endpoint.text, line, plan, recorder, _Front(self, number), changed, make_transport, pauses)
            for number, (link, endpoint) in enumerate(zip(links, plan.ends, strict=True))
        )
        self.ends = (a, b)
        self.ways: tuple[Way, Way] | None = None if plan.passive else (Way(a, b), Way(b, a))
        self.program_line: LineSettings | None = None
        self.refused = ""
        self._proof: tuple[Proof, object] | None = None
        self.stopped = ""
        self.stopping = False
        self._tail = bytearray()
        self._break: asyncio.Task[None] | None = None
        self._settling = asyncio.Lock()
        self._tasks: set[asyncio.Task[None]] = set()

    # ---- running

    def start(self) -> None:
        a, b = self.ends
        for way in self.ways or ():
            way.start()
        b.runner.tap.hearers.append(self._look_for_shell)
        b.runner.tap.line_hearers.append(self._modem_lines)
        a.start()
        b.start()

    async def stop(self) -> None:
        self.stopping = True
        for way in self.ways or ():
            await way.emptied(0.5)
            way.stop()
        for task in list(self._tasks):
            task.cancel()
        a, b = self.ends
        if self._look_for_shell in b.runner.tap.hearers:
            b.runner.tap.hearers.remove(self._look_for_shell)
            b.runner.tap.line_hearers.remove(self._modem_lines)
        await a.stop()
        await b.stop()
        self._changed()

    async def standing(self) -> None:
        """Once both ends stand. Raises the fault of one that was given up."""
        while not all(end.stands.is_set() for end in self.ends):
            for end in self.ends:
                if end.gave_up:
                    raise Fault(f"{end.runner.endpoint.text}: {end.error}", "mend that, and start the relay again")
            waits = [asyncio.ensure_future(end.stands.wait()) for end in self.ends if not end.stands.is_set()]
            await asyncio.wait(waits, timeout=0.1, return_when=asyncio.ALL_COMPLETED)
            for wait in waits:
                wait.cancel()

    # ---- what a user sets

    async def wanted(self, line: LineSettings, near: End, far: End) -> LineSettings:
        """Sets it at the far end, after what was sent before it; the settings in force there then."""
        async with self._settling:
            self.program_line = line
            if far.runner.endpoint.is_used or not far.runner.endpoint.has_line or not self.plan.push:
                self._warn_unlike(line, far)
                return line
            if line == far.runner.line and not self.refused:
                return line
            await self._sent_before(near, far)
            try:
                await far.runner.retune(line)
            except Fault as fault:
                self.refused = f"{line.text} was refused: {fault.what}; {far.runner.line.text} stays in force"
                near.runner.note("note", self.refused)
            else:
                self.refused = ""
            self._changed()
            return far.runner.line

    def _warn_unlike(self, line: LineSettings, far: End) -> None:
        self._changed()
        if far.runner.endpoint.has_line and (unlike := differences(line, far.runner.line)):
            far.runner.note("note", f"the program set {line.text}, this end keeps {far.runner.line.text}: {unlike}")

    async def _sent_before(self, near: End, far: End) -> None:
        """Bytes that the program sent before it changed the settings leave at the old ones."""
        if self.ways is None:
            return
        await self.ways[self.ends.index(near)].emptied(_SENT_FIRST_S)
        transport = far.transport
        if transport is None:
            return
        patience = _SENT_FIRST_S + 2 * far.runner.line.seconds_for(transport.waiting_out())
        until_s = mono_s() + patience
        while transport.waiting_out() > 0 and mono_s() < until_s:  # noqa: ASYNC110 - the driver has no event for it
            await asyncio.sleep(_LOOK_S)

    async def set_break(self, far: End, on: bool) -> None:
        if self._break is not None:
            self._break.cancel()
            self._break = None
        if on and far.runner.is_open:
            self._break = asyncio.get_running_loop().create_task(self._send_break(far))
            self._tasks.add(self._break)
            self._break.add_done_callback(self._tasks.discard)

    async def _send_break(self, far: End) -> None:
        try:
            await far.runner.lines.send_break(_BREAK_S)
        except Fault as fault:
            far.runner.note("note", f"the break was not sent: {fault.what}")

    def _modem_lines(self, lines: ModemLines) -> None:
        self.ends[0].tell_modem_lines(lines)

    # ---- a shell without login

    def _look_for_shell(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        offered = self.ends[0].runner.endpoint.beyond_loopback
        if not offered or self.plan.shell_known or self.stopped:
            return
        self._tail = (self._tail + data)[-400:]
        prompt = shell_prompt(bytes(self._tail))
        if prompt:
            self.stopped = f"the prompt of a shell was seen ({prompt}), and others than this computer can come here"
            self.ends[0].runner.note("note", f"the offer was stopped: {self.stopped}")
            task = asyncio.get_running_loop().create_task(self._close_offer())
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)

    async def _close_offer(self) -> None:
        await self.ends[0].stop()
        self._changed()

    async def offer_again(self) -> None:
        """The technician confirmed that the shell may be reached."""
        if self.stopped:
            self.plan = replace(self.plan, shell_known=True)
            self.stopped = ""
            self.ends[0].runner.note("note", "confirmed: the shell may be reached; it listens again")
            self.ends[0].start()
            self._changed()

    # ---- the proof

    def proven(self, proof: Proof | None) -> None:
        """A question through the port itself was answered rightly; it holds for the settings and the ends of now."""
        self._proof = (proof, self._stands_for()) if proof is not None else None
        self._changed()

    def _stands_for(self) -> object:
        a, b = self.ends
        return b.runner.line, a.held_s, b.held_s

    @property
    def proof(self) -> Proof | None:
        """The proof, as long as it holds."""
        return self._proof[0] if self._proof is not None and self._proof[1] == self._stands_for() else None

    @property
    def proof_before(self) -> Proof | None:
        """One that held before the settings were changed, or an end was lost."""
        return self._proof[0] if self._proof is not None and self.proof is None else None

    async def switch(self, endpoint: str) -> None:
        """The device's end goes to another endpoint; the near end, and who uses it, stay. Raises EndpointError."""
        await self.ends[1].go_to(endpoint)
        self.plan = replace(self.plan, b=self.ends[1].runner.endpoint.text)
        self._changed()

    def hand_over(self, name: str) -> bool:
        """Which peer of a listener writes from now on; False where there is none of this name."""
        return any(
            end.transport.company.hand_over(name) for end in self.ends if isinstance(end.transport, ListenTransport)
        )

    # ---- the moment

    def view(self) -> RelayView:
        a, b = self.ends
        facts = (a.facts(), b.facts())
        nothing = WayView(0, 0, 0, 0, 0, None)
        there, back = (way.view() for way in self.ways) if self.ways else (nothing, nothing)
        settings = Settings(self.program_line, b.runner.line, self.plan.push, self.refused, self._settling.locked())
        layers = tuple(chain(*facts, settings, self.proof, self.stopped, self.proof_before))
        failing = next((layer for layer in layers if layer.good is False), None)
        fault = f"{failing.name}: {failing.words}" if failing is not None else ""
        return RelayView(
            self.plan, *facts, (a.users, b.users), there, back, settings, layers, self.proof, self.stopped, fault
        )
