"""`rfc2217://host:port`: a serial port behind a network, with its settings, line errors and control lines."""

from __future__ import annotations

import asyncio

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.netserial.comport import (
    FLOW_VALUES,
    PARITY_VALUES,
    STOP_VALUES,
    Code,
    Control,
    LineState,
    Message,
    ModemState,
)
from ordolex.core.netserial.ends import Agreed, Command, ComPortClient, Data, Held, NotSpoken
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.system.faults import NotNetworkSerial, PortHeld, PortLost, SettingsRefused
from ordolex.io.transport.base import Listener
from ordolex.io.transport.com_port import Commands, LineNotices, fail, modem_lines
from ordolex.io.transport.tcp import TcpTransport

AGREE_S = 3.0
_WATCHED = LineState.BREAK | LineState.FRAMING | LineState.PARITY | LineState.OVERRUN
_BREAK_OUTPUTS = {True: Control.BREAK_ON, False: Control.BREAK_OFF}


class Rfc2217Transport(TcpTransport):
    def __init__(self, endpoint: Endpoint) -> None:
        super().__init__(endpoint)
        self._com = ComPortClient()
        self._agreed: asyncio.Future[bool] | None = None
        self._commands = Commands(self._flush)
        self._notices = LineNotices(self._deliver)
        self.places_errors = True  # a notice stands right before its byte
        self._may_send = asyncio.Event()
        self._may_send.set()

    async def open(self, line: LineSettings, listener: Listener) -> None:
        self._com = ComPortClient()  # each opening negotiates from the beginning
        self._commands, self._notices = Commands(self._flush), LineNotices(self._deliver)
        self._may_send.set()
        self._agreed = asyncio.get_running_loop().create_future()
        await self._connect()
        try:
            self._com.start()
            await self._flush()
            await self._agree()
            self._listener = listener
            if self.opens_low:
                await self.set_outputs(dtr=False, rts=False)
            await self.configure(line)
            self._com.watch(_WATCHED, ModemState(0xFF))
            await self._flush()
        except BaseException:
            await self.close()
            raise

    async def _agree(self) -> None:
        assert self._agreed is not None
        where = self.endpoint.text
        raw = f"tcp://{self.endpoint.host}:{self.endpoint.port}"
        try:
            async with asyncio.timeout(AGREE_S):
                agreed = await self._agreed
        except TimeoutError:
            agreed = False
        if not agreed:
            raise NotNetworkSerial(f"{where} does not speak RFC 2217", f"try {raw} for its raw bytes")

    async def configure(self, line: LineSettings) -> None:
        wanted, got = await self._commands.ask(lambda: self._com.configure(line))
        for message in wanted:
            value = got[message.code]
            if value != message.value and message.code is not Code.SET_CONTROL:
                raise SettingsRefused(
                    f"the server set {_says(message.code, value)} where {_says(message.code, message.value)} was asked",
                    "choose settings that this port has",
                )

    def received(self, data: bytes, at_s: float) -> None:
        for event in self._com.receive(data):
            match event:
                case Data(payload):
                    self._notices.data(payload, at_s)
                case Command(message):
                    self._answered(message, at_s)
                case Agreed() | NotSpoken():
                    self._settle(isinstance(event, Agreed))
                case Held(stop):
                    (self._may_send.clear if stop else self._may_send.set)()
        out = self._com.take_output()
        if out and self._wire is not None:
            self._wire.send(out)

    def _settle(self, agreed: bool) -> None:
        if self._agreed is not None and not self._agreed.done():
            self._agreed.set_result(agreed)

    def _deliver(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if self._listener is not None:
            self._listener.arrived(data, errors, at_s)

    def _answered(self, message: Message, at_s: float) -> None:
        if message.code is Code.NOTIFY_LINESTATE:
            self._notices.noticed(LineState(message.value), at_s)
        elif message.code is not Code.NOTIFY_MODEMSTATE:
            self._commands.answered(message)
        elif self._listener is not None:
            self._listener.modem_lines(modem_lines(ModemState(message.value)))

    def hung_up(self, error: Exception | None) -> None:
        held = PortHeld(f"{self.endpoint.text} hung up at once", "another client may hold it; let it go there first")
        fail(self._agreed, held)
        self._commands.fail(PortLost(f"{self.endpoint.text} hung up", "open it again"))
        super().hung_up(error)

    async def write(self, data: bytes) -> None:
        await self._may_send.wait()
        self._com.send(data)
        await self._flush()

    def take_now(self, data: bytes) -> int:
        return 0  # a suspended far end, and telnet's own bytes, have to be waited for

    async def _flush(self) -> None:
        out = self._com.take_output()
        if out:
            await super().write(out)

    async def send_break(self, seconds: float) -> None:
        try:
            self._com.set_control(_BREAK_OUTPUTS[True])
            await self._flush()
            await asyncio.sleep(seconds)
        finally:  # also when it is cancelled: a line that stays in break is dead
            self._com.set_control(_BREAK_OUTPUTS[False])
            await asyncio.shield(self._flush())

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        if dtr is not None:
            self._com.set_control(Control.DTR_ON if dtr else Control.DTR_OFF)
        if rts is not None:
            self._com.set_control(Control.RTS_ON if rts else Control.RTS_OFF)
        await self._flush()

    async def close(self, *, keep_dtr: bool = False) -> None:
        if self._agreed is not None and not self._agreed.done():
            self._agreed.cancel()
        await super().close(keep_dtr=keep_dtr)


def _says(code: Code, value: int) -> str:
    match code:
        case Code.SET_BAUDRATE:
            return f"{value} baud"
        case Code.SET_DATASIZE:
            return f"{value} data bits"
        case Code.SET_PARITY:
            return next((f"{p.word} parity" for p, v in PARITY_VALUES.items() if v == value), f"parity {value}")
        case Code.SET_STOPSIZE:
            return next((f"{s:g} stop bits" for s, v in STOP_VALUES.items() if v == value), f"stop bits {value}")
        case _:
            return next((f"flow control {f.value}" for f, v in FLOW_VALUES.items() if v == value), f"flow {value}")
