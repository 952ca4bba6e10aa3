"""What is heard on an open link at one setting: bytes, line errors, and when each came."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Iterator

from ordolex.core.link.judge import LineErrors
from ordolex.core.match.capture import Arrival, Capture, Flags, starts_from_arrivals, times_of
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s

QUIET_S = 0.35
"""Silence after some bytes: what is there is looked at."""
_FEW = 6
_LEAST_SPREAD_S = 0.003  # times are those of reading, not of the wire
_BEAT_S = 0.01


class Ear:
    """`most` bytes of one listen are handed on."""

    def __init__(self, runner: LinkRunner, most: int) -> None:
        self.data = bytearray()
        self.flags: list[Flags] = []
        self.arrived = asyncio.Event()
        self._runner = runner
        self._most = most
        self._arrivals: list[Arrival] = []
        self._late_s = 0.0

    @property
    def late_s(self) -> float:
        """How late this process got to anything since the last `begin`."""
        return self._late_s

    @contextlib.contextmanager
    def listening(self) -> Iterator[None]:
        """Meanwhile it is measured how late this process gets to anything."""
        beat = asyncio.get_running_loop().create_task(self._beat())
        try:
            yield
        finally:
            beat.cancel()

    async def _beat(self) -> None:
        while True:
            due = mono_s() + _BEAT_S
            await asyncio.sleep(_BEAT_S)
            self._late_s = max(self._late_s, mono_s() - due)

    def heard(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        """Takes what the link hands over."""
        first = Flags()
        if errors is not None:
            first = Flags(errors.framing > 0, errors.parity > 0, errors.breaks > 0)
        if data:
            self.data += data
            self.flags += [first, *[Flags()] * (len(data) - 1)]
            self._arrivals.append(Arrival(at_s, len(data)))
        self.arrived.set()

    def capture(self) -> Capture:
        """Everything since `begin`, up to the most that is handed on."""
        return self.whole().first(self._most)

    def whole(self) -> Capture:
        """Everything since `begin`."""
        line = self._runner.line
        flags = tuple(self.flags) if self._runner.places_errors else None
        times, spread = times_of(self._arrivals, line, max(_LEAST_SPREAD_S, self._late_s))
        starts = starts_from_arrivals(self._arrivals, line, self._late_s)
        return Capture(line, bytes(self.data), flags, starts, times, spread)

    def begin(self) -> None:
        """Forgets what was heard."""
        self.data.clear()
        self.flags.clear()
        self._arrivals.clear()
        self._late_s *= 0.7  # what was late a moment ago may be so again
        self.arrived.clear()

    async def until(self, count: int, seconds: float) -> bool:
        """Waits for so many bytes; ends earlier when the device has fallen silent. Whether anything came."""
        end = mono_s() + seconds
        while len(self.data) < count:
            left = end - mono_s()
            if left <= 0:
                break
            self.arrived.clear()
            quiet = QUIET_S + 2 * self._runner.line.bits_per_frame / self._runner.line.baud
            patience = min(left, quiet) if len(self.data) >= _FEW else left
            try:
                async with asyncio.timeout(patience):
                    await self.arrived.wait()
            except TimeoutError:
                break
        return bool(self.data)

    async def quiet(self, seconds: float) -> None:
        """Waits until nothing has come for a while; for at most so many seconds."""
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(seconds):
                heard = -1
                while heard != len(self.data):
                    heard = len(self.data)
                    await asyncio.sleep(QUIET_S)

    async def gather(self, count: int, seconds: float) -> None:
        """Waits for so many bytes, through all pauses."""
        end = mono_s() + seconds
        while len(self.data) < count and (left := end - mono_s()) > 0:
            self.arrived.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(left):
                    await self.arrived.wait()
