"""Those who came to a listener: who is let in, who writes, who is next, and who is let go."""

from __future__ import annotations

import asyncio
import ipaddress
from collections.abc import Callable
from dataclasses import dataclass, field

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.counts import counted
from ordolex.io.system.clock import mono_s
from ordolex.io.transport.base import ModemLines
from ordolex.io.transport.front import User
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


class Company:
    """One of those who are there writes; the others hear. Where one peer is wanted, the next waits until what the one
    before him sent was passed on.

    make     makes a peer of one who was let in
    said     takes a remark for the record
    changed  is called when somebody came, left, or may write now
    """

    def __init__(
        self, make: Callable[[User, Wire], Peer], said: Callable[[str], None], changed: Callable[[], None]
    ) -> None:
        self._make, self._said, self._changed = make, said, changed
        self.rules = Rules()
        self.peers: list[Peer] = []
        self._next: list[Peer] = []
        self._seeing_off: set[asyncio.Task[None]] = set()
        self._paused = False
        self._room = asyncio.Event()
        self._room.set()
        self._tidying: asyncio.TimerHandle | None = None
        self.turned_away = 0

    @property
    def present(self) -> bool:
        return any(peer.wire.is_open for peer in self.peers)

    @property
    def paused(self) -> bool:
        return self._paused

    # ---- who comes and leaves

    def came(self, wire: Wire) -> Peer | None:
        """The peer at this wire; None where he was turned away."""
        assert wire.carrier is not None
        host, port = (wire.carrier.get_extra_info("peername") or ("?", 0))[:2]
        name = f"{host}:{port}"
        why = self._why_not(host)
        if why:
            self.turned_away += 1
            if self.turned_away & (self.turned_away - 1) == 0:  # 1st, 2nd, 4th …: knocking fills no book
                self._said(f"{name} was turned away: {why} ({self.turned_away} so far)")
            wire.cut()
            return None
        writes = not any(peer.user.writes for peer in self.peers)
        peer = self._make(User(name, mono_s(), writes=writes), wire)
        if self.peers and not self.rules.several:
            wire.stop(True)  # what the one before him sent is passed on first
            self._next.append(peer)
            for one in [one for one in self.peers if one.user.sends_no_more]:
                one.wire.close()
        else:
            self._let_in(peer)
        return peer

    def _let_in(self, peer: Peer) -> None:
        peer.user.writes = not any(one.user.writes for one in self.peers)
        self.peers.append(peer)
        peer.wire.stop(self._paused)
        self._said(f"{peer.user.name} came" + ("" if peer.user.writes else "; another one writes, this one hears"))
        self._changed()

    def _why_not(self, host: str) -> str:
        if not self.rules.lets_in(host):
            return "it is not on the list of those who may come"
        there = next((peer for peer in (*self.peers, *self._next) if not peer.wire.has_hung_up), None)
        if there is not None and not self.rules.several:
            return f"{there.user.name} is there already, and one peer is allowed"
        return ""

    def ended(self, peer: Peer, error: Exception | None) -> None:
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
        self._said(f"{user.name} left{why}: {counted(user.sent, 'byte')} from it, {user.heard} to it; listening again")
        if user.writes and self.peers:
            self._writes(self.peers[0])
        if self._next and not self.peers:
            self._let_in(self._next.pop(0))
        self._changed()

    def half_closed(self, peer: Peer) -> None:
        peer.user.sends_no_more = True
        if self._next and peer in self.peers:
            peer.wire.close()
        peer.last_to_s = mono_s()
        self._changed()

    def tidy(self) -> None:
        """A peer that sends no more may be gone altogether, which nothing tells; he is let go once nothing comes for
        him."""
        for peer in list(self.peers):
            if peer.user.sends_no_more and mono_s() - peer.last_to_s > HALF_CLOSED_S:
                peer.wire.close()
        self._tidying = asyncio.get_running_loop().call_later(HALF_CLOSED_S / 4, self.tidy)

    def hand_over(self, name: str) -> bool:
        """Lets this peer write from now on, and nobody else; False where there is none of this name."""
        peer = next((peer for peer in self.peers if peer.user.name == name), None)
        if peer is not None:
            self._writes(peer)
            self._changed()
        return peer is not None

    def _writes(self, peer: Peer) -> None:
        for one in self.peers:
            one.user.writes = one is peer
        self._said(f"{peer.user.name} writes now")

    def send_off(self) -> None:
        """All leave: the listener closes."""
        if self._tidying is not None:
            self._tidying.cancel()
        peers, self.peers, self._next = [*self.peers, *self._next], [], []
        for peer in peers:
            peer.gone()
            peer.wire.close()
        self._room.set()

    # ---- what goes to them

    async def write(self, data: bytes) -> None:
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
        self._said(f"{peer.user.name} takes nothing and was let go: {counted(peer.wire.waiting, 'byte')} waited for it")
        peer.wire.cut()
        return True

    def room(self) -> None:
        """A peer who held us back lets us go on."""
        self._room.set()

    def pause(self, stop: bool) -> None:
        self._paused = stop
        for peer in self.peers:
            peer.wire.stop(stop)

    def waiting_out(self) -> int:
        return sum(peer.wire.waiting for peer in self.peers if peer.user.writes)
