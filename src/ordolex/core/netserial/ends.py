"""The two ends of an RFC 2217 connection, without I/O: telnet below, COM-PORT commands above.

The client sets the far port and is told what it really got. The server is told what to set, and answers with what it
set. Both turn the peer's bytes into the same few events.
"""

from __future__ import annotations

from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.netserial.comport import (
    FLOW_VALUES,
    PARITY_VALUES,
    STOP_VALUES,
    Code,
    Control,
    LineState,
    Message,
    ModemState,
    Purge,
    decode,
)
from ordolex.core.netserial.telnet import (
    BINARY,
    COM_PORT,
    ECHO,
    SUPPRESS_GO_AHEAD,
    OptionChanged,
    OptionRefused,
    Payload,
    Subnegotiation,
    Telnet,
)


@dataclass(frozen=True, slots=True)
class Data:
    data: bytes


@dataclass(frozen=True, slots=True)
class Agreed:
    """Both sides speak RFC 2217: commands may be sent from now on."""


@dataclass(frozen=True, slots=True)
class NotSpoken:
    """The peer is a telnet peer that refuses RFC 2217."""


@dataclass(frozen=True, slots=True)
class Command:
    """A command from the peer. At the client it is an answer or a notice, at the server something to do."""

    message: Message


@dataclass(frozen=True, slots=True)
class Held:
    """The peer asks us to stop sending (True) or lets us go on (False): FLOWCONTROL-SUSPEND and -RESUME."""

    stop: bool


EndEvent = Data | Agreed | NotSpoken | Command | Held


class _End:
    _is_server: bool

    def __init__(self) -> None:
        self._telnet = Telnet(frozenset({BINARY, SUPPRESS_GO_AHEAD, COM_PORT}) | self._also_accepts())
        self.agreed = False

    def _also_accepts(self) -> frozenset[int]:
        return frozenset()

    def take_output(self) -> bytes:
        return self._telnet.take_output()

    def send(self, data: bytes) -> None:
        self._telnet.send(data)

    def command(self, code: Code, value: int = 0, text: bytes = b"") -> None:
        message = Message(code, value, text, from_server=self._is_server)
        self._telnet.send_subnegotiation(COM_PORT, message.encode())

    def receive(self, data: bytes) -> list[EndEvent]:
        events: list[EndEvent] = []
        for event in self._telnet.receive(data):
            match event:
                case Payload(payload):
                    events.append(Data(payload))
                case OptionChanged(option=44, ours=ours, enabled=True) if ours is not self._is_server:
                    self.agreed = True
                    events.append(Agreed())
                case OptionChanged(option=44, ours=ours, enabled=False) | OptionRefused(option=44, ours=ours) if (
                    ours is not self._is_server
                ):
                    self.agreed = False
                    events.append(NotSpoken())
                case Subnegotiation(option=44, data=body):
                    events += self._com_port(body)
                case _:
                    pass
        return events

    def _com_port(self, body: bytes) -> list[EndEvent]:
        message = decode(body)
        if message is None or message.from_server is self._is_server:
            return []
        if message.code is Code.FLOWCONTROL_SUSPEND:
            return [Held(True)]
        if message.code is Code.FLOWCONTROL_RESUME:
            return [Held(False)]
        return [Command(message)]


class ComPortClient(_End):
    """The laptop's end (the RFC's access client)."""

    _is_server = False

    def _also_accepts(self) -> frozenset[int]:
        return frozenset({ECHO})  # a server's offer to echo is harmless and often made

    def start(self) -> None:
        """Opens the negotiation: RFC 2217 section 2 has the client say WILL COM-PORT-OPTION."""
        self._telnet.offer(COM_PORT)
        self._telnet.offer(BINARY)
        self._telnet.demand(BINARY)
        self._telnet.offer(SUPPRESS_GO_AHEAD)
        self._telnet.demand(SUPPRESS_GO_AHEAD)

    def offer(self) -> None:
        """Only says WILL COM-PORT-OPTION: for whoever wants to know whether the other side takes it."""
        self._telnet.offer(COM_PORT)

    def configure(self, settings: LineSettings) -> list[Message]:
        """Queues the commands for all settings; the answers that mean they were taken."""
        wanted = [
            Message(Code.SET_BAUDRATE, settings.baud),
            Message(Code.SET_DATASIZE, settings.data_bits),
            Message(Code.SET_PARITY, PARITY_VALUES[settings.parity]),
            Message(Code.SET_STOPSIZE, STOP_VALUES[settings.stop_bits]),
            Message(Code.SET_CONTROL, FLOW_VALUES[settings.flow]),
        ]
        for message in wanted:
            self.command(message.code, message.value)
        return wanted

    def watch(self, lines: LineState, modem: ModemState) -> None:
        """Says which notices are wanted."""
        self.command(Code.SET_LINESTATE_MASK, lines)
        self.command(Code.SET_MODEMSTATE_MASK, modem)

    def set_control(self, control: Control) -> None:
        self.command(Code.SET_CONTROL, control)

    def purge(self, what: Purge) -> None:
        self.command(Code.PURGE_DATA, what)

    def suspend(self, stop: bool) -> None:
        """Asks the server to hold back what it receives (RFC 2217 section 3, FLOWCONTROL-SUSPEND)."""
        self.command(Code.FLOWCONTROL_SUSPEND if stop else Code.FLOWCONTROL_RESUME)


class ComPortServer(_End):
    """The port's end (the RFC's access server)."""

    _is_server = True

    def start(self) -> None:
        self._telnet.offer(BINARY)
        self._telnet.demand(BINARY)
        self._telnet.offer(SUPPRESS_GO_AHEAD)
        self._telnet.demand(COM_PORT)

    def answer(self, asked: Message, value: int | None = None, text: bytes = b"") -> None:
        """Answers a command with the value that is in force now."""
        self.command(asked.code, asked.value if value is None else value, text)

    def notify_line(self, state: LineState) -> None:
        """A notice placed just before the byte that it speaks of."""
        self.command(Code.NOTIFY_LINESTATE, state)

    def notify_modem(self, state: ModemState) -> None:
        self.command(Code.NOTIFY_MODEMSTATE, state)
