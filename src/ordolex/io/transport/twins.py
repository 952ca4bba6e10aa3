"""Transports without an outside: a memory twin that a script plays the device of, and a faulty twin around any.

They pass the same conformance tests as the real ones, and everything above the seam is tested on them.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, PortLost
from ordolex.io.transport.base import Listener, ModemLines, Transport


class MemoryTransport:
    """`device` is called with what is written and may answer by `say`. What was written is kept in `written`."""

    def __init__(self, device: Callable[[MemoryTransport, bytes], None] | None = None) -> None:
        self.device = device
        self.opens_low = self.prompt = False
        self.places_errors = True
        self.written = bytearray()
        self.line: LineSettings | None = None
        self.breaks = 0
        self.outputs: dict[str, bool] = {}
        self._listener: Listener | None = None
        self._paused = False
        self._held_back: list[tuple[bytes, LineErrors | None]] = []
        self.fault_at_open: Fault | None = None
        self.held_back = 0

    @property
    def is_open(self) -> bool:
        return self._listener is not None

    async def open(self, line: LineSettings, listener: Listener) -> None:
        if self.fault_at_open is not None:
            raise self.fault_at_open
        self.line, self._listener = line, listener
        if self.opens_low:
            self.outputs |= {"dtr": False, "rts": False}

    def say(self, data: bytes, errors: LineErrors | None = None) -> None:
        """The device's side: bytes arrive."""
        if self._paused:
            self._held_back.append((data, errors))
        elif self._listener is not None:
            self._listener.arrived(data, errors, mono_s())

    def say_lines(self, lines: ModemLines) -> None:
        if self._listener is not None:
            self._listener.modem_lines(lines)

    def vanish(self, why: str = "unplugged") -> None:
        listener, self._listener = self._listener, None
        if listener is not None:
            listener.lost(PortLost(f"the port was {why}", "plug it in again"))

    async def write(self, data: bytes) -> None:
        if self._listener is None:
            raise PortLost("the port is not open", "open it first")
        self.written += data
        if self.device is not None:
            asyncio.get_running_loop().call_soon(self.device, self, data)

    async def configure(self, line: LineSettings) -> None:
        if self._listener is None:
            raise PortLost("the port is not open", "open it first")
        self.line = line

    async def send_break(self, seconds: float) -> None:
        self.breaks += 1

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        self.outputs |= {name: on for name, on in (("dtr", dtr), ("rts", rts)) if on is not None}

    def pause(self, stop: bool) -> None:
        self._paused = stop
        while not self._paused and self._held_back:
            self.say(*self._held_back.pop(0))

    def waiting_out(self) -> int:
        return self.held_back

    async def close(self, *, keep_dtr: bool = False) -> None:
        self._listener = None


class FaultyTransport:
    """Another transport with faults: arrivals cut into single bytes, writes that hang or fail, a loss after n bytes."""

    def __init__(
        self,
        inner: Transport,
        *,
        single_bytes: bool = False,
        lose_after: int | None = None,
        write_fault: Fault | None = None,
        write_hangs: bool = False,
    ) -> None:
        self.opens_low = self.prompt = False
        self.places_errors = True
        self._inner = inner
        self._single_bytes = single_bytes
        self._left = lose_after
        self._write_fault = write_fault
        self._write_hangs = write_hangs
        self._listener: Listener | None = None

    async def open(self, line: LineSettings, listener: Listener) -> None:
        self._listener = listener
        await self._inner.open(line, self)

    def arrived(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if self._left is not None:
            data, self._left = data[: self._left], self._left - len(data)
        pieces = [data[i : i + 1] for i in range(len(data))] if self._single_bytes and data else [data]
        for piece in pieces:
            if self._listener is not None:
                self._listener.arrived(piece, errors, at_s)
            errors = None
        if self._left is not None and self._left <= 0:
            self.lost(PortLost("the port went away in the middle", "plug it in again"))

    def modem_lines(self, lines: ModemLines) -> None:
        if self._listener is not None:
            self._listener.modem_lines(lines)

    def lost(self, fault: Fault) -> None:
        listener, self._listener = self._listener, None
        if listener is not None:
            listener.lost(fault)

    async def write(self, data: bytes) -> None:
        if self._write_hangs:
            await asyncio.Event().wait()
        if self._write_fault is not None:
            raise self._write_fault
        await self._inner.write(data)

    async def configure(self, line: LineSettings) -> None:
        await self._inner.configure(line)

    async def send_break(self, seconds: float) -> None:
        await self._inner.send_break(seconds)

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        await self._inner.set_outputs(dtr=dtr, rts=rts)

    def pause(self, stop: bool) -> None:
        self._inner.pause(stop)

    def waiting_out(self) -> int:
        return self._inner.waiting_out()

    async def close(self, *, keep_dtr: bool = False) -> None:
        self._listener = None
        await self._inner.close(keep_dtr=keep_dtr)
