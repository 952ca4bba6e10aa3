"""What is heard on an open link at one setting: bytes, line errors, and when each came."""

from __future__ import annotations

import asyncio

from ordolex.core.link.judge import LineErrors
from ordolex.core.match.capture import Capture, Flags, spread_of, starts_from_times
from ordolex.io.clock import mono_s
from ordolex.io.runner import LinkRunner

QUIET_S = 0.35
"""Silence after some bytes: what is there is looked at."""
_FEW = 6
_LEAST_SPREAD_S = 0.003  # times are those of reading, not of the wire


class Ear:
    """`most` bytes of one listen are handed on. While `busy` is set the inference keeps the processor busy, and bytes
    may be late."""

    def __init__(self, runner: LinkRunner, most: int) -> None:
        self.data = bytearray()
        self.flags: list[Flags] = []
        self.busy = False
        self.arrived = asyncio.Event()
        self._runner = runner
        self._most = most
        self._times: list[float] = []

    def heard(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        """Takes what the link hands over."""
        first = Flags()
        if errors is not None:
            first = Flags(errors.framing > 0, errors.parity > 0, errors.breaks > 0)
        character_s = self._runner.line.bits_per_frame / self._runner.line.baud
        for place, byte in enumerate(data):
            self.data.append(byte)
            self.flags.append(first if place == 0 else Flags())
            self._times.append(at_s - (len(data) - 1 - place) * character_s)
        if self.busy and len(self._times) > len(data):
            # the inference keeps the processor busy, bytes may be late: no rest of the line is read from that
            late = self._times[-len(data)] - self._times[-len(data) - 1]
            self._times[-len(data) :] = [time - late + character_s for time in self._times[-len(data) :]]
        self.arrived.set()

    def capture(self) -> Capture:
        """Everything since `begin`."""
        line = self._runner.line
        flags = tuple(self.flags) if self._runner.endpoint.kind == "rfc2217" else None
        starts, spread = starts_from_times(self._times, line), spread_of(self._times, line, _LEAST_SPREAD_S)
        return Capture(line, bytes(self.data), flags, starts, tuple(self._times), spread).first(self._most)

    def begin(self) -> None:
        """Forgets what was heard."""
        self.data.clear()
        self.flags.clear()
        self._times.clear()
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
