"""A port that others come to over TCP: plain bytes, or a serial port served by RFC 2217. It stays when they leave.

One of those who are there writes; the others hear. Who is not allowed is turned away, and so is a second one where only
one is wanted. A listener that bears more says who writes, and can hand that over.
"""

from __future__ import annotations

import asyncio
import errno
import ipaddress
import os
from dataclasses import dataclass, field

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.port.endpoint import Endpoint, read_endpoint
from ordolex.io.ports.holders import listener_of
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, NobodyThere, NoRights, PortHeld, SettingsRefused, Unreachable
from ordolex.io.transport.base import Listener, ModemLines
from ordolex.io.transport.front import Front, NoFront, User
from ordolex.io.transport.tcp import CONNECT_S
from ordolex.io.transport.wire import Wire

_SLOW_BYTES = 256 << 10
HALF_CLOSED_S = 5.0
"""A peer that said it sends no more is sent to until nothing came for it for so long."""


@dataclass(frozen=True, slots=True)
class Rules:
    """Who may come. `allow` names networks; empty for anybody who reaches it."""

    allow: tuple[ipaddress.IPv4Network | ipaddress.IPv6Network, ...] = ()
    several: bool = False

    def lets_in(self, host: str) -> bool:
        try:
            address = ipaddress.ip_address(host.partition("%")[0])
        except ValueError:
            return not self.allow
        return not self.allow or any(address in network for network in self.allow)


@dataclass(eq=False)
class Peer:
    """One who came. `receive` makes stream bytes of what he sent, `encode` the other way."""

    user: User
    wire: Wire
    last_to_s: float = field(default_factory=mono_s)

    def receive(self, data: bytes, at_s: float) -> bytes:
        return data

    def encode(self, data: bytes) -> bytes:
        return data

    def line_errors(self, errors: LineErrors) -> bytes:
        """What tells him of errors on the line, before their bytes."""
        return b""

    def modem_lines(self, lines: ModemLines) -> bytes:
        return b""

    @property
    def holds_back(self) -> bool:
        """Whether he asked us to wait."""
        return False

    async def seen_off(self) -> None:
        """He hung up: once all that he asked before is done."""

    @property
    def is_busy(self) -> bool:
        """Whether there is something to wait for then."""
        return False

    def gone(self) -> None:
        pass


class ListenTransport:
    """`listen+tcp://host:port`. `path` is where it can be reached, with the port that it got."""

    scheme = "tcp"

    def __init__(self, endpoint: Endpoint) -> None:
        self.endpoint = endpoint
        self.opens_low = self.prompt = False
        self.places_errors = False
        self.front: Front = NoFront()
        self.rules = Rules()
        self.dials, self.dial_every_s = "", 2.0
        """host:port that is called in turn while nobody is there; empty for none."""
        self.calls = 0
        self.call_error = ""
        self.path = ""
        self.peers: list[Peer] = []
        self._next: list[Peer] = []
        self._seeing_off: set[asyncio.Task[None]] = set()
        self.turned_away = 0
        self._got = endpoint.port
        self._server: asyncio.Server | None = None
        self._listener: Listener | None = None
        self._paused = False
        self._room = asyncio.Event()
        self._room.set()
        self._tidying: asyncio.TimerHandle | None = None
        self._calling: asyncio.Task[None] | None = None

    @property
    def users(self) -> list[User]:
        return [peer.user for peer in self.peers]

    @property
    def present(self) -> bool:
        return any(peer.wire.is_open for peer in self.peers)

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
        self._tidy()
        if self.dials:
            self._calling = loop.create_task(self._call_on())

    async def _call_on(self) -> None:
        """Calls the other side for as long as nobody is there: whoever is first is taken."""
        called = read_endpoint(f"tcp://{self.dials}")
        while True:
            if not self.peers:
                self.calls += 1
                try:
                    async with asyncio.timeout(CONNECT_S):
                        await asyncio.get_running_loop().create_connection(self._wire, called.host, called.port)
                    self.call_error = ""
                except (OSError, TimeoutError) as error:
                    self.call_error = os.strerror(error.errno) if error.errno else "no answer"
                    self.front.users_changed()
            await asyncio.sleep(self.dial_every_s)

    # ---- who comes and leaves

    def _wire(self) -> Wire:
        made: list[Peer] = []

        def received(data: bytes, at_s: float) -> None:
            if made:
                self._received(made[0], data, at_s)

        def ended(error: Exception | None) -> None:
            if made:
                self._ended(made[0], error)

        def half_closed() -> None:
            if made:
                self._half_closed(made[0])

        def opened(wire: Wire) -> None:
            made.extend(self._came(wire))

        return Wire(received, ended, prompt=self.prompt, stays_half_open=True, half_closed=half_closed, opened=opened)

    def _came(self, wire: Wire) -> list[Peer]:
        assert wire.carrier is not None
        host, port = (wire.carrier.get_extra_info("peername") or ("?", 0))[:2]
        name = f"{host}:{port}"
        why = self._why_not(host)
        if why or self._listener is None:
            self.turned_away += 1
            if self.turned_away & (self.turned_away - 1) == 0:  # 1st, 2nd, 4th …: knocking fills no book
                self.front.said(f"{name} was turned away: {why} ({self.turned_away} so far)")
            wire.cut()
            return []
        writes = not any(peer.user.writes for peer in self.peers)
        peer = self.make_peer(User(name, mono_s(), writes=writes), wire)
        if self.peers and not self.rules.several:
            wire.stop(True)  # what the one before him sent is passed on first
            self._next.append(peer)
            for one in [one for one in self.peers if one.user.sends_no_more]:
                one.wire.close()
        else:
            self._let_in(peer)
        return [peer]

    def _let_in(self, peer: Peer) -> None:
        peer.user.writes = not any(one.user.writes for one in self.peers)
        self.peers.append(peer)
        peer.wire.stop(self._paused)
        self.front.said(f"{peer.user.name} came" + ("" if peer.user.writes else "; another one writes, this one hears"))
        self.front.users_changed()

    def make_peer(self, user: User, wire: Wire) -> Peer:
        return Peer(user, wire)

    def _why_not(self, host: str) -> str:
        if not self.rules.lets_in(host):
            return "it is not on the list of those who may come"
        there = next((peer for peer in (*self.peers, *self._next) if not peer.wire.has_hung_up), None)
        if there is not None and not self.rules.several:
            return f"{there.user.name} is there already, and one peer is allowed"
        return ""

    def _ended(self, peer: Peer, error: Exception | None) -> None:
        if peer in self._next:
            self._next.remove(peer)
        elif peer in self.peers and peer.is_busy:
            task = asyncio.get_running_loop().create_task(self._see_off(peer, error))
            self._seeing_off.add(task)
            task.add_done_callback(self._seeing_off.discard)
        elif peer in self.peers:
            self._left(peer, error)

    async def _see_off(self, peer: Peer, error: Exception | None) -> None:
        await peer.seen_off()
        if peer in self.peers:
            self._left(peer, error)

    def _left(self, peer: Peer, error: Exception | None) -> None:
        self.peers.remove(peer)
        peer.gone()
        self._room.set()
        why = f" ({error})" if error is not None else ""
        user = peer.user
        self.front.said(f"{user.name} left{why}: {user.sent} bytes from it, {user.heard} to it; listening again")
        if user.writes and self.peers:
            self._writes(self.peers[0])
        if self._next and not self.peers:
            self._let_in(self._next.pop(0))
        self.front.users_changed()

    def _half_closed(self, peer: Peer) -> None:
        peer.user.sends_no_more = True
        if self._next and peer in self.peers:
            peer.wire.close()
        peer.last_to_s = mono_s()
        self.front.users_changed()

    def _tidy(self) -> None:
        """A peer that sends no more may be gone altogether, which nothing tells; he is let go once nothing comes for
        him."""
        for peer in list(self.peers):
            if peer.user.sends_no_more and mono_s() - peer.last_to_s > HALF_CLOSED_S:
                peer.wire.close()
        self._tidying = asyncio.get_running_loop().call_later(HALF_CLOSED_S / 4, self._tidy)

    def hand_over(self, name: str) -> bool:
        """Lets this peer write from now on, and nobody else; False where there is none of this name."""
        peer = next((peer for peer in self.peers if peer.user.name == name), None)
        if peer is not None:
            self._writes(peer)
            self.front.users_changed()
        return peer is not None

    def _writes(self, peer: Peer) -> None:
        for one in self.peers:
            one.user.writes = one is peer
        self.front.said(f"{peer.user.name} writes now")

    # ---- bytes

    def _received(self, peer: Peer, data: bytes, at_s: float) -> None:
        self._deliver(peer, peer.receive(data, at_s), at_s)

    def _deliver(self, peer: Peer, data: bytes, at_s: float | None = None) -> None:
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
        writer = None
        for peer in list(self.peers):
            if peer.user.writes or not self._is_slow(peer):
                peer.wire.send(peer.encode(data))
                peer.user.heard += len(data)
                peer.last_to_s = mono_s()
                writer = peer if peer.user.writes else writer
        if writer is not None:
            await writer.wire.write(b"")
            while writer.holds_back and writer.wire.is_open:
                self._room.clear()
                await self._room.wait()

    def _is_slow(self, peer: Peer) -> bool:
        """One who only hears and takes nothing is let go: the one who writes must not wait for him."""
        if peer.wire.waiting < _SLOW_BYTES:
            return False
        self.front.said(f"{peer.user.name} takes nothing and was let go: {peer.wire.waiting} bytes waited for it")
        peer.wire.cut()
        return True

    def room(self) -> None:
        """A peer who held us back lets us go on."""
        self._room.set()

    def tell_errors(self, errors: LineErrors) -> None:
        for peer in self.peers:
            peer.wire.send(peer.line_errors(errors))

    def tell_modem_lines(self, lines: ModemLines) -> None:
        for peer in self.peers:
            peer.wire.send(peer.modem_lines(lines))

    # ---- the rest of a transport

    async def configure(self, line: LineSettings) -> None:
        self._line = line

    async def send_break(self, seconds: float) -> None:
        raise SettingsRefused("a listener carries no break to its peer", "")

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        raise SettingsRefused("a listener has no control lines", "")

    def pause(self, stop: bool) -> None:
        self._paused = stop
        for peer in self.peers:
            peer.wire.stop(stop)

    def waiting_out(self) -> int:
        return sum(peer.wire.waiting for peer in self.peers if peer.user.writes)

    async def close(self, *, keep_dtr: bool = False) -> None:
        server, self._server, self._listener = self._server, None, None
        if self._tidying is not None:
            self._tidying.cancel()
        if self._calling is not None:
            self._calling.cancel()
        peers, self.peers, self._next = [*self.peers, *self._next], [], []
        for peer in peers:
            peer.gone()
            peer.wire.close()
        self._room.set()
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
