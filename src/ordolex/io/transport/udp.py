"""UDP: datagrams to one peer, or of whoever sends some here. They may be lost or come twice, and nothing tells."""

from __future__ import annotations

import asyncio
import os
import socket

from ordolex.core.line.settings import LineSettings
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import NobodyThere, PortLost, SettingsRefused, Unreachable
from ordolex.io.transport.base import Listener
from ordolex.io.transport.company import Rules
from ordolex.io.transport.front import Front, NoFront, User
from ordolex.io.transport.listen import listen_fault

_LARGEST = 1400
"""Bytes of a datagram: what an Ethernet frame carries with IP and UDP headers, and a little less for tunnels."""
_HELD_BACK = 256
_GONE_S = 60.0


class UdpTransport(asyncio.DatagramProtocol):
    """`udp://host:port` sends there and hears that one only; `listen+udp://host:port` hears whoever is allowed, and
    sends to the one heard last."""

    def __init__(self, endpoint: Endpoint) -> None:
        self.endpoint = endpoint
        self.opens_low = self.prompt = False
        self.places_errors = False
        self.front: Front = NoFront()
        self.rules = Rules(several=True)
        self.path = ""
        self.turned_away = 0
        self._got = endpoint.port
        self._carrier: asyncio.DatagramTransport | None = None
        self._listener: Listener | None = None
        self._peers: dict[tuple[str, int], tuple[User, float]] = {}
        self._last: tuple[str, int] | None = None
        self._paused = self._told_error = False
        self._waiting: list[bytes] = []
        self._writable = asyncio.Event()
        self._writable.set()

    @property
    def users(self) -> list[User]:
        """Those who were heard within a minute: a datagram has no goodbye."""
        return [user for user, last_s in self._peers.values() if mono_s() - last_s < _GONE_S]

    @property
    def present(self) -> bool:
        return self._last is not None or not self.endpoint.listens

    async def open(self, line: LineSettings, listener: Listener) -> None:
        loop = asyncio.get_running_loop()
        host, port = self.endpoint.host, self._got
        try:
            if self.endpoint.listens:
                carrier, _ = await loop.create_datagram_endpoint(lambda: self, local_addr=(host, port))
            else:
                carrier, _ = await loop.create_datagram_endpoint(lambda: self, remote_addr=(host, port))
        except socket.gaierror as error:
            raise Unreachable(f"the name {host} is not known", "check the spelling, or give the IP address") from error
        except OSError as error:
            if self.endpoint.listens:
                raise listen_fault(f"{host}:{port}", error) from error
            raise Unreachable(f"{host}:{port}: {os.strerror(error.errno or 0)}", "check the address") from error
        self._carrier, self._listener = carrier, listener
        if self.endpoint.listens:
            self._got = carrier.get_extra_info("sockname")[1]
            self.path = Endpoint("udp", host, self._got).text

    # ---- the protocol

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        addr = (addr[0], addr[1])
        self._told_error = False
        if self.endpoint.listens and not self.rules.lets_in(addr[0]):
            self.turned_away += 1
            return
        if self.endpoint.listens:
            user, _ = self._peers.get(addr, (None, 0.0))
            if user is None:
                user = User(f"{addr[0]}:{addr[1]}", mono_s())
                self.front.said(f"{user.name} sent its first datagram")
            user.sent += len(data)
            self._peers[addr] = (user, mono_s())
            if self._last != addr:
                self._last = addr
                for other, _ in self._peers.values():
                    other.writes = other is user
                self.front.users_changed()
        if self._paused:
            self._waiting = [*self._waiting, data][-_HELD_BACK:]
        elif self._listener is not None:
            self._listener.arrived(data, None, mono_s())

    def error_received(self, exc: Exception) -> None:
        """An ICMP message came back: nobody takes the datagrams there. Nothing else tells that."""
        if not self._told_error:  # once, until something comes again
            self._told_error = True
            self.front.said(f"{self.endpoint.text}: {exc}")

    def pause_writing(self) -> None:
        self._writable.clear()

    def resume_writing(self) -> None:
        self._writable.set()

    def connection_lost(self, exc: Exception | None) -> None:
        self._writable.set()
        if self._listener is not None:
            self._listener.lost(PortLost(f"{self.endpoint.text} was closed", "it is opened again by itself"))

    # ---- the rest of a transport

    async def write(self, data: bytes) -> None:
        if self._carrier is None:
            raise NobodyThere(f"{self.endpoint.text} is not open", "open it first")
        if not self.present:
            raise NobodyThere(f"nobody sent anything to {self.path} yet", "it is not known where to send to")
        for at in range(0, len(data), _LARGEST):
            piece = data[at : at + _LARGEST]
            self._carrier.sendto(piece, self._last if self.endpoint.listens else None)
            if self._last in self._peers:
                self._peers[self._last][0].heard += len(piece)
            await self._writable.wait()

    async def configure(self, line: LineSettings) -> None:
        """UDP has no line settings."""

    async def send_break(self, seconds: float) -> None:
        raise SettingsRefused("UDP carries no break", "use rfc2217:// if the server speaks it")

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        raise SettingsRefused("UDP has no control lines", "use rfc2217:// if the server speaks it")

    def pause(self, stop: bool) -> None:
        self._paused = stop
        if not stop:
            waiting, self._waiting = self._waiting, []
            for data in waiting:
                if self._listener is not None:
                    self._listener.arrived(data, None, mono_s())

    def waiting_out(self) -> int:
        return 0

    async def close(self, *, keep_dtr: bool = False) -> None:
        carrier, self._carrier, self._listener = self._carrier, None, None
        if carrier is not None:
            carrier.close()
            await asyncio.sleep(0)
