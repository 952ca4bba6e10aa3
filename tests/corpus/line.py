"""The corpus on a line: what a receiver gets of it, and a device that talks while a port is tuned."""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Character, Receiver, Resync
from ordolex.io.transport.base import Listener
from ordolex.io.transport.twins import MemoryTransport

_CLOCK_S = 0.001


@dataclass(frozen=True)
class Heard:
    sender: LineSettings
    inverted: bool
    text: bytes
    capture: Capture

    def reads_alike(self, settings: LineSettings, inverted: bool) -> bool:
        """Whether a receiver at these settings would get byte for byte what was sent."""
        if inverted != self.inverted:
            return False
        probe = self.text[:80]
        receiver = Receiver(settings)
        receiver.receive(Transmitter(self.sender).send(probe, 0.0))
        return bytes(character.byte for character in receiver.advance(1e9)) == probe


def heard(
    rng: random.Random, told: list[bytes], sender: LineSettings, heard_at: LineSettings, count: int, *,
    inverted: bool = False, wrong: float = 0.0, flags: bool = True,
) -> Heard:  # fmt: skip
    """`told` are messages; who listens comes in the middle of them."""
    clock, gap = rng.uniform(0.985, 1.015), rng.choice((0.0, 0.0, 0.0, 1.0, rng.uniform(0.2, 20)))
    out = Transmitter(sender, inverted=inverted, clock=clock, gap_bits=gap)
    receiver = Receiver(heard_at, resync=rng.choice((Resync.EDGE, Resync.CLASSIC)), idle_level=out.idle_level)
    at = 1.0
    for message in told:
        receiver.receive(out.send(message, at))
        at = out.free_at_s + rng.choice((20 / sender.baud, rng.uniform(0.05, 0.6)))
    got = receiver.advance(at + 10)
    got = got[rng.randrange(max(1, len(got) // 4)) :][:count]
    data, marks = bytearray(), []
    for one in got:
        byte, mark = one.byte, Flags(one.framing, one.parity, one.broken)
        if wrong and rng.random() < wrong:
            byte, mark = rng.randrange(256), Flags(rng.random() < 0.5)
        data.append(byte)
        marks.append(mark)
    times = [one.at_s for one in got]
    whole_ms = tuple(round(time, 3) for time in times)
    starts = starts_from_times(times, heard_at)
    capture = Capture(heard_at, bytes(data), tuple(marks) if flags else None, starts, whole_ms, _CLOCK_S / 12**0.5)
    return Heard(sender, inverted, b"".join(told), capture)


class Talker(MemoryTransport):
    """Says a message every `period_s` at `settings`, whatever the port is set to; or answers what it is asked there.
    `asked` gives the answer to a line that was read at the device's own settings."""

    def __init__(
        self, settings: LineSettings, say: Callable[[], bytes] | None, period_s: float = 1.0, *,
        inverted: bool = False, asked: Callable[[bytes], bytes] | None = None, seed: int = 0,
    ) -> None:  # fmt: skip
        super().__init__(self._written)
        self.settings, self._say, self._period_s, self._asked = settings, say, period_s, asked
        rng = random.Random(seed)
        self._sender = Transmitter(settings, inverted=inverted, clock=rng.uniform(0.99, 1.01))
        self._begins_s = rng.uniform(0, period_s)
        self._receiver: Receiver | None = None
        self._own = Receiver(settings)
        self._work: list[asyncio.Task[None]] = []
        self._more = asyncio.Event()

    async def open(self, line: LineSettings, listener: Listener) -> None:
        await super().open(line, listener)
        self._receiver = Receiver(line, idle_level=self._sender.idle_level)
        loop = asyncio.get_running_loop()
        self._work = [loop.create_task(self._hand_over())]
        if self._say is not None:
            self._work.append(loop.create_task(self._talk()))

    async def configure(self, line: LineSettings) -> None:
        await super().configure(line)
        assert self._receiver is not None
        self._receiver.advance(asyncio.get_running_loop().time())
        self._receiver.settings = line

    async def close(self, *, keep_dtr: bool = False) -> None:
        for task in self._work:
            task.cancel()
        await super().close(keep_dtr=keep_dtr)

    async def _talk(self) -> None:
        assert self._say is not None
        await asyncio.sleep(self._begins_s)
        while True:
            took = self._transmit(self._say())
            await asyncio.sleep(max(took, self._period_s))

    def _transmit(self, data: bytes) -> float:
        now = asyncio.get_running_loop().time()
        assert self._receiver is not None
        self._receiver.receive(self._sender.send(data, max(now, self._sender.free_at_s)))
        self._more.set()
        return self._sender.free_at_s - now

    async def _hand_over(self) -> None:
        loop = asyncio.get_running_loop()
        while True:
            assert self._receiver is not None
            due = self._receiver.next_deadline()
            self._more.clear()
            if due is None or due > loop.time():
                try:
                    async with asyncio.timeout(None if due is None else max(0.0, due - loop.time())):
                        await self._more.wait()
                except TimeoutError:
                    pass
            for one in self._receiver.advance(loop.time()):
                self.say(bytes([one.byte]), _errors(one))

    def _written(self, transport: MemoryTransport, data: bytes) -> None:
        if self._asked is None:
            return
        loop = asyncio.get_running_loop()
        assert self.line is not None
        self._own.receive(Transmitter(self.line).send(data, loop.time()))
        got = self._own.advance(loop.time() + 10)
        answer = self._asked(bytes(one.byte for one in got if not (one.framing or one.parity)))
        if answer:
            loop.call_later(0.02 + len(data) * 10 / self.line.baud, self._transmit, answer)


def _errors(one: Character) -> LineErrors | None:
    if not (one.framing or one.parity or one.broken):
        return None
    return LineErrors(framing=int(one.framing and not one.broken), parity=int(one.parity), breaks=int(one.broken))
