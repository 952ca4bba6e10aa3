"""One TCP connection: what arrives is handed on, small pieces collect, a writer waits while the peer takes nothing, and
a peer that is gone without a word is noticed."""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
from collections.abc import Callable

from ordolex.io.system.clock import mono_s
from ordolex.io.transport.base import READ_SIZE, Pacer

_IDLE_S, _PROBE_S, _PROBES = 10, 5, 3
DEAD_AFTER_S = _IDLE_S + _PROBE_S * _PROBES
"""A peer that neither answers keep-alive probes (RFC 9293, 3.8.4) nor takes bytes is given up after this long."""


_ENDED = (7, 8)  # TCP_CLOSE, TCP_CLOSE_WAIT


class Wire(asyncio.Protocol):
    """`received` gets bytes and their time; `ended` what ended it, None where the peer closed it properly.
    `stays_half_open` says that a peer who sends no more may still be sent to; `half_closed` is called then."""

    def __init__(
        self, received: Callable[[bytes, float], None], ended: Callable[[Exception | None], None], *,
        prompt: bool = False, stays_half_open: bool = False, half_closed: Callable[[], None] = lambda: None,
        opened: Callable[[Wire], None] = lambda wire: None,
    ) -> None:  # fmt: skip
        self._received, self._ended, self._half_closed, self._opened = received, ended, half_closed, opened
        self._stays_half_open = stays_half_open
        self._pacer = Pacer(prompt=prompt)
        self.carrier: asyncio.Transport | None = None
        self._writable = asyncio.Event()
        self._writable.set()
        self._stopped = False

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)
        self.carrier = transport
        transport.set_write_buffer_limits(high=READ_SIZE)
        no_delay_and_noticed_dead(transport.get_extra_info("socket"))
        self._opened(self)

    def data_received(self, data: bytes) -> None:
        now = mono_s()
        pause = 0.0 if self._stopped else self._pacer.pause_s(len(data), now)
        if pause:
            self._reading(False)
            asyncio.get_running_loop().call_later(pause, self._go_on)
        self._received(data, now)

    def eof_received(self) -> bool:
        if self._stays_half_open:
            self._half_closed()
        return self._stays_half_open

    def connection_lost(self, exc: Exception | None) -> None:
        if exc is not None:
            self._read_rest()
        self._writable.set()
        self._ended(exc)

    def _read_rest(self) -> None:
        """A peer that hung up hard is noticed by what is sent to it, and then nobody reads any more; what it had sent
        before lies in the system and is its last word."""
        if self.carrier is None:
            return
        sock = self.carrier.get_extra_info("socket")
        with contextlib.suppress(OSError):
            while data := os.read(sock.fileno(), READ_SIZE):
                self._received(data, mono_s())

    def pause_writing(self) -> None:
        self._writable.clear()

    def resume_writing(self) -> None:
        self._writable.set()

    @property
    def is_open(self) -> bool:
        return self.carrier is not None and not self.carrier.is_closing()

    @property
    def has_hung_up(self) -> bool:
        """Whether the peer has ended the connection, or its own sending, also where what it sent is not all read; False
        where the system does not tell (tcp(7): TCP_INFO)."""
        if self.carrier is None or self.carrier.is_closing():
            return True
        sock = self.carrier.get_extra_info("socket")
        try:
            return sock.getsockopt(socket.IPPROTO_TCP, socket.TCP_INFO, 1)[0] in _ENDED
        except (AttributeError, OSError, IndexError):
            return False

    @property
    def waiting(self) -> int:
        """Bytes that the system has not taken yet."""
        return self.carrier.get_write_buffer_size() if self.carrier is not None else 0

    def send(self, data: bytes) -> None:
        """Does not wait; what the peer does not take waits in memory."""
        if data and self.is_open:
            assert self.carrier is not None
            self._pacer.wrote(len(data))
            self.carrier.write(data)

    def take_now(self, data: bytes) -> int:
        """How many bytes were taken: all, or none while the peer takes nothing."""
        if not (self.is_open and self._writable.is_set()):
            return 0
        self.send(data)
        return len(data)

    async def write(self, data: bytes) -> None:
        """Waits while the peer takes nothing."""
        self.send(data)
        await self._writable.wait()

    def stop(self, stop: bool) -> None:
        self._stopped = stop
        self._reading(not stop)

    def close(self) -> None:
        if self.carrier is not None:
            self.carrier.close() if self._writable.is_set() else self.carrier.abort()

    def cut(self) -> None:
        if self.carrier is not None:
            self.carrier.abort()

    def _go_on(self) -> None:
        if not self._stopped:
            self._reading(True)

    def _reading(self, on: bool) -> None:
        if self.carrier is not None and not self.carrier.is_closing():
            (self.carrier.resume_reading if on else self.carrier.pause_reading)()


def no_delay_and_noticed_dead(sock: socket.socket) -> None:
    """Small pieces go out at once (RFC 9293, 3.7.4: the Nagle algorithm is off), and a dead peer is noticed after
    DEAD_AFTER_S as far as the system can be told so."""
    options = [
        (socket.IPPROTO_TCP, socket.TCP_NODELAY, 1),
        (socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1),
        (socket.IPPROTO_TCP, getattr(socket, "TCP_KEEPIDLE", None), _IDLE_S),
        (socket.IPPROTO_TCP, getattr(socket, "TCP_KEEPINTVL", None), _PROBE_S),
        (socket.IPPROTO_TCP, getattr(socket, "TCP_KEEPCNT", None), _PROBES),
        (socket.IPPROTO_TCP, getattr(socket, "TCP_USER_TIMEOUT", None), DEAD_AFTER_S * 1000),
    ]
    for level, name, value in options:
        if name is not None:
            with contextlib.suppress(OSError):
                sock.setsockopt(level, name, value)
