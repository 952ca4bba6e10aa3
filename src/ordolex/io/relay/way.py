"""One direction of a relay: bytes of one end, in order, to the other.

What cannot go on waits, up to a bound, and then the end where it comes from is held back. What nobody is there to hear
waits a while and is let go, counted and said.
"""

from __future__ import annotations

import asyncio
from collections import deque
from dataclasses import dataclass
from statistics import median

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.counts import counted
from ordolex.io.relay.end import End
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, NobodyThere

HIGH, LOW = 256 << 10, 64 << 10
"""Bytes that wait: above the first the end they come from is held back, until below the second."""
WAITS_S = 10.0
"""How long bytes wait for somebody to be there."""
_DELAYS = 256


@dataclass(frozen=True, slots=True)
class WayView:
    """came and gone are bytes; `unheard` those that nobody was there for, `lost` those whose end failed them
    half-way."""

    came: int
    gone: int
    waiting: int
    unheard: int
    lost: int
    delay_ms: float | None
    """How long they lay here, at the median of the latest."""


class Way:
    def __init__(self, source: End, to: End) -> None:
        self._source, self._to = source, to
        self._queue: deque[tuple[bytes, LineErrors | None, float, bool]] = (
            deque()
        )  # the last: whether it is sent in part
        self._waiting = 0
        self._some = asyncio.Event()
        self._empty = asyncio.Event()
        self._empty.set()
        self._delays: deque[float] = deque(maxlen=_DELAYS)
        self._came = self._gone = self._unheard = self._lost = 0
        self._untold = 0
        self._handing_on = False
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        self._source.runner.tap.hearers.append(self._hear)
        self._task = asyncio.get_running_loop().create_task(self._pass_on())

    def stop(self) -> None:
        if self._hear in self._source.runner.tap.hearers:
            self._source.runner.tap.hearers.remove(self._hear)
        if self._task is not None:
            self._task.cancel()
            self._task = None
        self._tell_unheard()

    def _hear(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if not (data or errors):
            return
        self._came += len(data)
        begun = False
        if not (self._queue or errors or self._untold) and self._to.present:
            rest = self._to.runner.out.send_now(data)  # mostly nothing has to wait, and then nobody is woken
            if rest is not None:
                self._gone += len(data) - len(rest)
                if not rest:
                    self._delays.append(mono_s() - at_s)
                    return
                data, begun = rest, True
        self._queue.append((data, errors, at_s, begun))
        self._waiting += len(data)
        self._empty.clear()
        self._some.set()
        if self._waiting > HIGH:
            self._source.runner.tap.hold("relay", True)

    async def _pass_on(self) -> None:
        while True:
            if not self._queue:
                self._some.clear()
                self._empty.set()
                await self._some.wait()
            first = data, errors, at_s, begun = self._queue[0]
            there = self._to.present or await self._is_heard(at_s)
            if not (self._queue and self._queue[0] is first):
                continue  # it was thrown away meanwhile
            if not there:
                self._unheard += len(data)
                self._untold += len(data)
                self._done(len(data))
                continue
            self._tell_unheard()
            self._handing_on = True
            try:
                await self._hand_on(data, errors, at_s, begun=begun)
            finally:
                self._handing_on = False

    async def _hand_on(self, data: bytes, errors: LineErrors | None, at_s: float, *, begun: bool) -> None:
        try:
            if errors is not None:
                self._to.tell_errors(errors)
            if begun:
                await self._to.runner.out.send_rest(data)
            elif data:
                await self._to.runner.out.send(data)
        except NobodyThere:  # it left in this moment: the bytes wait for who comes next
            self._to.user_changed()
            await asyncio.sleep(0)
            return
        except Fault:
            self._lost += len(data)
        else:
            self._gone += len(data)
            self._delays.append(mono_s() - at_s)
        self._done(len(data))

    async def _is_heard(self, at_s: float) -> bool:
        """Whether somebody is there before the bytes have waited too long."""
        try:
            async with asyncio.timeout(max(0.0, at_s + WAITS_S - mono_s())):
                await self._to.until_present()
        except TimeoutError:
            return self._to.present
        return True

    def _done(self, count: int) -> None:
        if self._queue:  # it may have been discarded meanwhile
            self._queue.popleft()
            self._waiting -= count
        if self._waiting < LOW:
            self._source.runner.tap.hold("relay", False)

    def _tell_unheard(self) -> None:
        if self._untold:
            words = (
                f"{counted(self._untold, 'byte')} waited {WAITS_S:g} s and reached nobody: none was there to hear them"
            )
            self._to.runner.note("note", words)
            self._untold = 0

    def discard(self) -> None:
        """Throws away what waits; not what is being handed on just now."""
        thrown = 0
        while len(self._queue) > self._handing_on:
            thrown += len(self._queue.pop()[0])
        self._waiting -= thrown
        if self._waiting < LOW:
            self._source.runner.tap.hold("relay", False)

    async def emptied(self, patience_s: float) -> bool:
        """Waits until all that came has gone on; whether it has."""
        try:
            async with asyncio.timeout(patience_s):
                await self._empty.wait()
        except TimeoutError:
            return False
        return True

    def view(self) -> WayView:
        delay = median(self._delays) * 1000 if self._delays else None
        return WayView(self._came, self._gone, self._waiting, self._unheard, self._lost, delay)
