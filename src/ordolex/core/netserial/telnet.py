"""Telnet (RFC 854, RFC 855) without I/O, with option negotiation after RFC 1143, so that it cannot loop.

Both ends of a connection use the same class. Bytes from the peer go in through `receive` and come out as events;
what is to be sent collects in `take_output`.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

IAC, DONT, DO, WONT, WILL, SB, SE = 255, 254, 253, 252, 251, 250, 240
BINARY, ECHO, SUPPRESS_GO_AHEAD, COM_PORT = 0, 1, 3, 44

MAX_SUBNEGOTIATION = 4096
"""Longest subnegotiation kept. The longest in RFC 2217 is a signature of a line or two; more is a broken peer."""


@dataclass(frozen=True, slots=True)
class Payload:
    """Bytes of the stream itself."""

    data: bytes


@dataclass(frozen=True, slots=True)
class OptionChanged:
    """An option came into force or ended, at our side (`ours`) or at the peer's."""

    option: int
    ours: bool
    enabled: bool


@dataclass(frozen=True, slots=True)
class OptionRefused:
    """The peer said no to an option that we asked for."""

    option: int
    ours: bool


@dataclass(frozen=True, slots=True)
class Subnegotiation:
    option: int
    data: bytes


@dataclass(frozen=True, slots=True)
class Overlong:
    """A subnegotiation larger than MAX_SUBNEGOTIATION was passed over."""

    option: int


TelnetEvent = Payload | OptionChanged | OptionRefused | Subnegotiation | Overlong


class _Q(Enum):
    """The states of one option at one side (RFC 1143 section 7). We ask options on and never off, so its WANTNO
    states do not occur."""

    NO = "no"
    YES = "yes"
    WANT_YES = "want yes"


# state x what the peer said (True: WILL or DO) -> next state, our answer (None: say nothing), for an option that we
# would accept. An answer goes out only where the state changes: that is what keeps two ends from looping.
_ACCEPTING: dict[tuple[_Q, bool], tuple[_Q, bool | None]] = {
    (_Q.NO, True): (_Q.YES, True),
    (_Q.YES, True): (_Q.YES, None),
    (_Q.WANT_YES, True): (_Q.YES, None),
    (_Q.NO, False): (_Q.NO, None),
    (_Q.YES, False): (_Q.NO, False),
    (_Q.WANT_YES, False): (_Q.NO, None),
}


class Telnet:
    """One end of a telnet stream. `accepts` names the options that the peer may switch on, at either side."""

    def __init__(self, accepts: frozenset[int]) -> None:
        self._accepts = accepts
        self._ours: dict[int, _Q] = {}
        self._theirs: dict[int, _Q] = {}
        self._out = bytearray()
        self._held = b""  # the beginning of a command whose end has not come yet
        self._sub: bytearray | None = None
        self._sub_overlong = False
        self._after_cr = False

    # ---- options

    def offer(self, option: int) -> None:
        """Asks to switch the option on at our side (WILL)."""
        self._want(self._ours, option, ours=True)

    def demand(self, option: int) -> None:
        """Asks the peer to switch the option on at its side (DO)."""
        self._want(self._theirs, option, ours=False)

    def enabled(self, option: int, *, ours: bool) -> bool:
        return (self._ours if ours else self._theirs).get(option) is _Q.YES

    def _want(self, table: dict[int, _Q], option: int, *, ours: bool) -> None:
        if table.get(option, _Q.NO) is _Q.NO:
            table[option] = _Q.WANT_YES
            self._say(option, ours, True)

    def _say(self, option: int, ours: bool, yes: bool) -> None:
        verb = (WILL if yes else WONT) if ours else (DO if yes else DONT)
        self._out += bytes((IAC, verb, option))

    def _heard(self, verb: int, option: int) -> list[TelnetEvent]:
        ours = verb in (DO, DONT)
        yes = verb in (DO, WILL)
        table = self._ours if ours else self._theirs
        state = table.get(option, _Q.NO)
        if yes and state is _Q.NO and option not in self._accepts:
            self._say(option, ours, False)
            return []
        new, answer = _ACCEPTING[state, yes]
        table[option] = new
        if answer is not None:
            self._say(option, ours, answer)
        if state is _Q.WANT_YES and not yes:
            return [OptionRefused(option, ours)]
        if (new is _Q.YES) != (state is _Q.YES):
            return [OptionChanged(option, ours, new is _Q.YES)]
        return []

    # ---- sending

    def send(self, data: bytes) -> None:
        """Queues stream bytes; 0xFF is doubled, and CR gets a NUL behind it until our side is binary (RFC 854, 856)."""
        if not self.enabled(BINARY, ours=True) and b"\r" in data:
            data = data.replace(b"\r", b"\r\0")
        self._out += data.replace(b"\xff", b"\xff\xff") if b"\xff" in data else data

    def send_subnegotiation(self, option: int, data: bytes) -> None:
        self._out += bytes((IAC, SB, option)) + data.replace(b"\xff", b"\xff\xff") + bytes((IAC, SE))

    def take_output(self) -> bytes:
        out = bytes(self._out)
        self._out.clear()
        return out

    # ---- receiving

    def receive(self, data: bytes) -> list[TelnetEvent]:
        """What the peer's bytes say, in order. An unfinished command waits for the rest."""
        if not self._held and self._sub is None and IAC not in data:
            return self._payload(data)
        data, self._held = self._held + data, b""
        events: list[TelnetEvent] = []
        at = 0
        while at < len(data):
            mark = data.find(IAC, at)
            end = len(data) if mark < 0 else mark
            if end > at:
                events += self._plain(data[at:end])
            if mark < 0:
                break
            length = self._command_length(data, mark)
            if mark + length > len(data):
                self._held = data[mark:]
                break
            events += self._command(data[mark : mark + length])
            at = mark + length
        return _joined(events)

    @staticmethod
    def _command_length(data: bytes, mark: int) -> int:
        if mark + 1 >= len(data):
            return 2
        return 3 if data[mark + 1] in (WILL, WONT, DO, DONT, SB) else 2

    def _plain(self, data: bytes) -> list[TelnetEvent]:
        if self._sub is None:
            return self._payload(data)
        room = MAX_SUBNEGOTIATION - len(self._sub)
        self._sub += data[:room]
        self._sub_overlong |= len(data) > room
        return []

    def _payload(self, data: bytes) -> list[TelnetEvent]:
        after_cr, self._after_cr = self._after_cr, data[-1:] == b"\r"  # as it came: a CR whose NUL is here has had it
        if not self.enabled(BINARY, ours=False) and (after_cr or b"\r\0" in data):
            if after_cr and data[:1] == b"\0":
                data = data[1:]
            data = data.replace(b"\r\0", b"\r")
        return [Payload(data)] if data else []

    def _command(self, command: bytes) -> list[TelnetEvent]:
        verb = command[1]
        if verb == IAC:
            return self._plain(b"\xff")
        if verb == SB:
            self._sub, self._sub_overlong = bytearray(command[2:3]), False
            return []
        if verb == SE and self._sub is not None:
            done, overlong = bytes(self._sub), self._sub_overlong
            self._sub = None
            return [Overlong(done[0])] if overlong else [Subnegotiation(done[0], done[1:])]
        if verb in (WILL, WONT, DO, DONT):
            return self._heard(verb, command[2])
        return []  # NOP, GA, AYT and the like mean nothing to a serial line


def _joined(events: list[TelnetEvent]) -> list[TelnetEvent]:
    """Neighbouring payloads made one: a doubled 0xFF must not cut the stream into small pieces."""
    out: list[TelnetEvent] = []
    parts: list[bytes] = []
    for event in events:
        if isinstance(event, Payload):
            parts.append(event.data)
            continue
        if parts:
            out.append(Payload(b"".join(parts)))
            parts = []
        out.append(event)
    if parts:
        out.append(Payload(b"".join(parts)))
    return out
