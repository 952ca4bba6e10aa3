"""The words of the COM-PORT-OPTION (RFC 2217 section 3): its commands as data, and their form as bytes.

A client's command and the server's answer carry the same fields; the server's code is 100 higher.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from enum import IntEnum, IntFlag

from ordolex.core.line.settings import Flow, Parity

SERVER_OFFSET = 100


class Code(IntEnum):
    SIGNATURE = 0
    SET_BAUDRATE = 1
    SET_DATASIZE = 2
    SET_PARITY = 3
    SET_STOPSIZE = 4
    SET_CONTROL = 5
    NOTIFY_LINESTATE = 6
    NOTIFY_MODEMSTATE = 7
    FLOWCONTROL_SUSPEND = 8
    FLOWCONTROL_RESUME = 9
    SET_LINESTATE_MASK = 10
    SET_MODEMSTATE_MASK = 11
    PURGE_DATA = 12


class Control(IntEnum):
    """Values of SET-CONTROL (RFC 2217 section 3, table there)."""

    ASK_FLOW = 0
    FLOW_NONE = 1
    FLOW_XON_XOFF = 2
    FLOW_RTS_CTS = 3
    ASK_BREAK = 4
    BREAK_ON = 5
    BREAK_OFF = 6
    ASK_DTR = 7
    DTR_ON = 8
    DTR_OFF = 9
    ASK_RTS = 10
    RTS_ON = 11
    RTS_OFF = 12
    ASK_FLOW_IN = 13
    FLOW_IN_NONE = 14
    FLOW_IN_XON_XOFF = 15
    FLOW_IN_RTS_CTS = 16
    FLOW_DCD = 17
    FLOW_IN_DTR = 18
    FLOW_DSR = 19


class LineState(IntFlag):
    """NOTIFY-LINESTATE bits; they follow the line status register that the RFC names."""

    DATA_READY = 1
    OVERRUN = 2
    PARITY = 4
    FRAMING = 8
    BREAK = 16
    HOLDING_EMPTY = 32
    SHIFT_EMPTY = 64
    TIMEOUT = 128


class ModemState(IntFlag):
    DELTA_CTS = 1
    DELTA_DSR = 2
    TRAILING_RI = 4
    DELTA_DCD = 8
    CTS = 16
    DSR = 32
    RI = 64
    DCD = 128


class Purge(IntEnum):
    RECEIVE = 1
    TRANSMIT = 2
    BOTH = 3


@dataclass(frozen=True, slots=True)
class Message:
    """One COM-PORT command. `value` is the number it carries, 0 for none; `text` is used by SIGNATURE only."""

    code: Code
    value: int = 0
    text: bytes = b""
    from_server: bool = False

    def encode(self) -> bytes:
        """The subnegotiation's data, before telnet escapes it."""
        head = bytes((self.code + (SERVER_OFFSET if self.from_server else 0),))
        match self.code:
            case Code.SIGNATURE:
                return head + self.text
            case Code.SET_BAUDRATE:
                return head + struct.pack(">I", self.value)
            case Code.FLOWCONTROL_SUSPEND | Code.FLOWCONTROL_RESUME:
                return head
            case _:
                return head + bytes((self.value,))


def decode(data: bytes) -> Message | None:
    """The command in a subnegotiation's data; None for one that RFC 2217 does not know or whose length is wrong."""
    if not data:
        return None
    from_server = data[0] >= SERVER_OFFSET
    try:
        code = Code(data[0] - (SERVER_OFFSET if from_server else 0))
    except ValueError:
        return None
    body = data[1:]
    if code is Code.SIGNATURE:
        return Message(code, text=body, from_server=from_server)
    wanted = {Code.SET_BAUDRATE: 4, Code.FLOWCONTROL_SUSPEND: 0, Code.FLOWCONTROL_RESUME: 0}.get(code, 1)
    if len(body) != wanted:
        return None
    return Message(code, int.from_bytes(body, "big"), from_server=from_server)


PARITY_VALUES = {Parity.NONE: 1, Parity.ODD: 2, Parity.EVEN: 3, Parity.MARK: 4, Parity.SPACE: 5}
STOP_VALUES = {1.0: 1, 2.0: 2, 1.5: 3}
FLOW_VALUES = {
    Flow.NONE: Control.FLOW_NONE,
    Flow.XON_XOFF: Control.FLOW_XON_XOFF,
    Flow.RTS_CTS: Control.FLOW_RTS_CTS,
    Flow.DTR_DSR: Control.FLOW_DSR,
}
