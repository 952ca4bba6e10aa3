"""A port that others come to over TCP: plain bytes, or a serial port served by RFC 2217. It stays when they leave.

One of those who are there writes; the others hear. Who is not allowed is turned away, and so is a second one where only
one is wanted. A listener that bears more says who writes, and can hand that over.
"""

from __future__ import annotations

import asyncio
import errno
import os

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.port.endpoint import Endpoint, read_endpoint
from ordolex.io.ports.holders import listener_of
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, NobodyThere, NoRights, PortHeld, SettingsRefused, Unreachable
from ordolex.io.transport.base import Listener, ModemLines
from ordolex.io.transport.company import Company, Peer
from ordolex.io.transport.front import Front, NoFront, User
from ordolex.io.transport.tcp import CONNECT_S
from ordolex.io.transport.wire import Wire


class ListenTransport:
    """`listen+tcp://host:port`. `path` is where it can be reached, with the port that it got."""

    scheme = "tcp"

    def __init__(self, endpoint: Endpoint) -> None:
        self.endpoint = endpoint
        self.opens_low = self.prompt = False
        self.places_errors = False
        self.front: Front = NoFront()
        self.company = Company(self.make_peer, lambda text: self.front.said(text), lambda: self.front.users_changed())
        self.dials, self.dial_every_s = "", 2.0
        """host:port that is called in turn while nobody is there; empty for none."""
        self.calls = 0
        self.call_error = ""
        self.path = ""
        self._got = endpoint.port
        self._server: asyncio.Server | None = None
        self._listener: Listener | None = None
        self._calling: asyncio.Task[None] | None = None

    @property
    def users(self) -> list[User]:
        return [peer.user for peer in self.company.peers]

    @property
    def present(self) -> bool:
        return self.company.present

    async def open(self, line: LineSettings, listener: Listener) -> None:
        self._line = line
        host, port = self.endpoint.host, self._got
        loop = asyncio.get_running_loop()
        try:
            self._server = await loop.create_server(self._wire, host, port, reuse_address=os.name == "posix")
        except OSError as error:
            whose = await asyncio.to_thread(listener_of, port)
            raise listen_fault(f"{host}:{port}", error, whose) from error
        self._got = self._server.sockets[0].getsockname()[1]
        self.path = Endpoint(self.scheme, host, self._got).text
        self._listener = listener
        self.company.tidy()
        if self.dials:
            self._calling = loop.create_task(self._call_on())

    async def _call_on(self) -> None:
        """Calls the other side for as long as nobody is there: whoever is first is taken."""
        called = read_endpoint(f"tcp://{self.dials}")
        while True:
            if not self.company.peers:
                self.calls += 1
                try:
                    async with asyncio.timeout(CONNECT_S):
                        await asyncio.get_running_loop().create_connection(self._wire, called.host, called.port)
                    self.call_error = ""
                except (OSError, TimeoutError) as error:
                    self.call_error = os.strerror(error.errno) if error.errno else "no answer"
                    self.front.users_changed()
            await asyncio.sleep(self.dial_every_s)

    # ---- who comes

    def _wire(self) -> Wire:
        made: list[Peer] = []

        def received(data: bytes, at_s: float) -> None:
            if made:
                self.deliver(made[0], made[0].receive(data, at_s), at_s)

        def ended(error: Exception | None) -> None:
            if made:
                self.company.ended(made[0], error)

        def half_closed() -> None:
            if made:
                self.company.half_closed(made[0])

        def opened(wire: Wire) -> None:
            if self._listener is None:  # it came while the listener closed
                wire.cut()
                return
            peer = self.company.came(wire)
            if peer is not None:
                made.append(peer)

        return Wire(received, ended, prompt=self.prompt, stays_half_open=True, half_closed=half_closed, opened=opened)

    def make_peer(self, user: User, wire: Wire) -> Peer:
        return Peer(user, wire)

    # ---- bytes

    def deliver(self, peer: Peer, data: bytes, at_s: float | None = None) -> None:
        """Stream bytes of a peer, passed on if he is the one who writes."""
        if not peer.user.writes:
            peer.user.passed_over += len(data)
            return
        peer.user.sent += len(data)
        if data and self._listener is not None:
            self._listener.arrived(data, None, mono_s() if at_s is None else at_s)

    async def write(self, data: bytes) -> None:
        if self._server is None:
            raise NobodyThere(f"{self.endpoint.text} is not open", "open it first")
        if not self.present:
            raise NobodyThere(f"nobody is at {self.path}", "it listens; what is sent now reaches nobody")
        await self.company.write(data)

    def tell_errors(self, errors: LineErrors) -> None:
        for peer in self.company.peers:
            peer.wire.send(peer.line_errors(errors))

    def tell_modem_lines(self, lines: ModemLines) -> None:
        for peer in self.company.peers:
            peer.wire.send(peer.modem_lines(lines))

    # ---- the rest of a transport

    async def configure(self, line: LineSettings) -> None:
        self._line = line

    async def send_break(self, seconds: float) -> None:
        raise SettingsRefused("a listener carries no break to its peer", "")

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        raise SettingsRefused("a listener has no control lines", "")

    def pause(self, stop: bool) -> None:
        self.company.pause(stop)

    def waiting_out(self) -> int:
        return self.company.waiting_out()

    async def close(self, *, keep_dtr: bool = False) -> None:
        server, self._server, self._listener = self._server, None, None
        if self._calling is not None:
            self._calling.cancel()
        self.company.send_off()
        if server is not None:
            server.close()
            await asyncio.sleep(0)


def listen_fault(where: str, error: OSError, whose: str = "") -> Fault:
    """Why a listener did not come to be, and what to do."""
    if error.errno == errno.EADDRINUSE:
        holder = whose or "another program"
        return PortHeld(f"{where} is taken by {holder}", "choose another port, 0 for any free one, or end that one")
    if error.errno in (errno.EACCES, errno.EPERM):
        return NoRights(f"no rights to listen at {where}: ports below 1024 are the system's", "choose one from 1024 on")
    if error.errno == errno.EADDRNOTAVAIL:
        return Unreachable(f"{where}: this computer has no such address", "listen at one of its own, or at 0.0.0.0")
    return Unreachable(f"cannot listen at {where}: {error.strerror or error}", "check address and port")
