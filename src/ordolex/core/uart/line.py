"""One direction of a line: bytes go in at the sender's setting, characters come out at the receiver's.

Owns the pacing (a byte is not read before it has been on the wire) and one shortcut: where both ends agree and
nothing disturbs the line, bytes pass without their levels being worked out. A test holds the shortcut against the
full model.
"""

from __future__ import annotations

from collections import deque

from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.levels import MARK, SPACE, Edge, Transmitter
from ordolex.core.uart.receiver import Character, Receiver
from ordolex.core.uart.shared import SharedWire

MAX_WAITING = 1 << 20
"""Bytes that may wait for the wire: 1 MiB is 87 s at 115200 baud; a sender that piles up more loses the rest."""

_AHEAD_S = 0.02  # levels are worked out this far ahead, so that a change of settings takes hold soon


class Line:
    """Bytes on their way from a sender to a receiver."""

    def __init__(self, sender: Transmitter, receiver: Receiver) -> None:
        self.sender = sender
        self.receiver = receiver
        self._waiting: deque[tuple[float, bytes]] = deque()
        self._waiting_bytes = 0
        self._passing: deque[tuple[float, int]] = deque()  # unharmed bytes with the time they are handed over
        self.lost = 0
        self.rival: Transmitter | None = None
        """A second sender on the same wire."""
        self._shared: SharedWire | None = None

    def share(self, rival: Transmitter) -> None:
        """From now on the wire is shared: with this sender, and with whatever holds it down."""
        self.rival = rival
        self._shared = SharedWire(3)

    def say_between(self, data: bytes, now_s: float) -> None:
        """What the second sender says, whoever speaks already."""
        if self._shared is not None and self.rival is not None:
            self._shared.drive(1, self.rival.send(data, now_s))

    def hold(self, *, low: bool, now_s: float) -> None:
        """Something holds the wire down, or lets go of it."""
        if self._shared is not None:
            self._shared.drive(2, [Edge(now_s, SPACE if low else MARK)])

    def send(self, data: bytes, now_s: float) -> None:
        room = MAX_WAITING - self._waiting_bytes
        self.lost += max(0, len(data) - room)
        kept = data[:room]
        if kept:
            self._waiting.append((now_s, kept))
            self._waiting_bytes += len(kept)

    def send_break(self, now_s: float, length_s: float) -> None:
        edges = self.sender.send_break(now_s, length_s)
        if self._shared is not None:
            self._shared.drive(0, edges)
        else:
            self.receiver.receive(edges)

    def purge(self) -> None:
        """Forgets what has not been on the wire yet."""
        self._waiting.clear()
        self._waiting_bytes = 0

    @property
    def busy(self) -> bool:
        return bool(self._waiting or self._passing)

    def next_deadline(self) -> float | None:
        """When `advance` has something to do next; None while the line rests."""
        times = [self.receiver.next_deadline()]
        if self._passing:
            times.append(self._passing[0][0])
        if self._shared is not None:
            times.append(self._shared.next_edge_s())
        if self._waiting:
            times.append(max(self._waiting[0][0], self.sender.free_at_s - _AHEAD_S / 2))
        return min((t for t in times if t is not None), default=None)

    def advance(self, now_s: float) -> list[Character]:
        """The characters that the receiver has by `now_s`."""
        self._put_on_wire(now_s + _AHEAD_S)
        done: list[Character] = []
        while self._passing and self._passing[0][0] <= now_s:
            done.append(Character(*self._passing.popleft()))
        if self._shared is not None:
            self.receiver.receive(self._shared.edges(now_s))
        if not self._passing:
            done += self.receiver.advance(now_s)
        return done

    def _put_on_wire(self, until_s: float) -> None:
        while self._waiting and max(self._waiting[0][0], self.sender.free_at_s) <= until_s:
            asked_s, data = self._waiting.popleft()
            start_s = max(asked_s, self.sender.free_at_s)
            count = max(1, int((until_s - start_s) / self.sender.character_s))
            now, later = data[:count], data[count:]
            if later:
                self._waiting.appendleft((asked_s, later))
            self._waiting_bytes -= len(now)
            self._carry(now, start_s)

    def _carry(self, data: bytes, start_s: float) -> None:
        if self._unharmed():
            sender, settings = self.sender, self.sender.settings
            first = (
                sender.skip(len(data), start_s) + (settings.bits_per_frame - settings.stop_bits + 0.5) * sender.bit_s
            )
            mask = (1 << settings.data_bits) - 1
            self._passing.extend((first + i * sender.character_s, b & mask) for i, b in enumerate(data))
        elif self._shared is not None:
            self._shared.drive(0, self.sender.send(data, start_s))
        else:
            self.receiver.receive(self.sender.send(data, start_s))

    def _unharmed(self) -> bool:
        sender, receiver = self.sender, self.receiver
        return (
            self._shared is None
            and same_frame(sender.settings, receiver.settings)
            and sender.clock == receiver.clock == 1.0
            and not sender.inverted
            and sender.flip is None
            and receiver.resting
        )


def same_frame(a: LineSettings, b: LineSettings) -> bool:
    """Whether two settings put the same bits on the wire; flow control does not show there."""
    return (a.baud, a.format) == (b.baud, b.format)
