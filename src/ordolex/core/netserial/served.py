"""What a client asks of a port that is served by RFC 2217 (section 3): settings wanted, and the values in force."""

from __future__ import annotations

from ordolex.core.line.settings import Flow, LineSettings, Parity
from ordolex.core.netserial.comport import FLOW_VALUES, PARITY_VALUES, STOP_VALUES, Code, Control, Message

_PARITIES: dict[int, Parity] = {value: parity for parity, value in PARITY_VALUES.items()}
_STOPS: dict[int, float] = {value: stop for stop, value in STOP_VALUES.items()}
_FLOWS: dict[int, Flow] = {int(value): flow for flow, value in FLOW_VALUES.items()}
SETS_LINE = frozenset({Code.SET_BAUDRATE, Code.SET_DATASIZE, Code.SET_PARITY, Code.SET_STOPSIZE})


def concerns_flow(message: Message) -> bool:
    """Whether it sets the flow control, or asks for it."""
    return message.code is Code.SET_CONTROL and (message.value in _FLOWS or message.value == Control.ASK_FLOW)


def wanted(now: LineSettings, message: Message) -> LineSettings:
    """The settings as a command wants them; as they are, for a question and for what cannot be."""
    value = message.value
    match message.code:
        case Code.SET_BAUDRATE if value:
            return now.changed(baud=value)
        case Code.SET_DATASIZE if value in (5, 6, 7, 8):
            return now.changed(data_bits=value)
        case Code.SET_PARITY if value in _PARITIES:
            return now.changed(parity=_PARITIES[value])
        case Code.SET_STOPSIZE if value in _STOPS:
            return now.changed(stop_bits=_STOPS[value])
        case Code.SET_CONTROL if value in _FLOWS:
            return now.changed(flow=_FLOWS[value])
        case _:
            return now


def in_force(now: LineSettings, code: Code) -> int:
    """The value that answers a command which sets a part of the line settings, or the flow control."""
    return {
        Code.SET_BAUDRATE: now.baud,
        Code.SET_DATASIZE: now.data_bits,
        Code.SET_PARITY: PARITY_VALUES[now.parity],
        Code.SET_STOPSIZE: STOP_VALUES[now.stop_bits],
        Code.SET_CONTROL: int(FLOW_VALUES[now.flow]),
    }[code]


class Outputs:
    """DTR, RTS and break as the client set them by SET-CONTROL (its values 4 to 12)."""

    def __init__(self) -> None:
        self.dtr, self.rts, self.breaking = True, True, False

    def obey(self, value: int) -> int:
        """Takes a value; the one in force of the same kind. A value of another kind is given back as it is."""
        match value:
            case Control.BREAK_ON | Control.BREAK_OFF:
                self.breaking = value == Control.BREAK_ON
            case Control.DTR_ON | Control.DTR_OFF:
                self.dtr = value == Control.DTR_ON
            case Control.RTS_ON | Control.RTS_OFF:
                self.rts = value == Control.RTS_ON
        match value:
            case Control.ASK_BREAK | Control.BREAK_ON | Control.BREAK_OFF:
                return int(Control.BREAK_ON if self.breaking else Control.BREAK_OFF)
            case Control.ASK_DTR | Control.DTR_ON | Control.DTR_OFF:
                return int(Control.DTR_ON if self.dtr else Control.DTR_OFF)
            case Control.ASK_RTS | Control.RTS_ON | Control.RTS_OFF:
                return int(Control.RTS_ON if self.rts else Control.RTS_OFF)
            case _:
                return value
