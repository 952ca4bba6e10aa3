"""`rfc2217://host:port`: a serial port behind a network, with its settings, line errors and control lines."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Callable
from typing import Any

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
from ordolex.io.transport.base import Listener, ModemLines
from ordolex.io.transport.tcp import TcpTransport

AGREE_S = 3.0
ANSWER_S = 3.0
_NOTICE_ALONE_S = 0.05  # a line-state notice whose byte has not come by then stands for itself
_WATCHED = LineState.BREAK | LineState.FRAMING | LineState.PARITY | LineState.OVERRUN
_BREAK_OUTPUTS = {True: Control.BREAK_ON, False: Control.BREAK_OFF}


class Rfc2217Transport(TcpTransport):
    def __init__(self, endpoint: Endpoint) -> None:
        super().__init__(endpoint)
        self._com = ComPortClient()
        self._agreed: asyncio.Future[bool] | None = None
        self._answers: dict[Code, asyncio.Future[int]] = {}
        self._wanted: dict[Code, int] = {}
        self._owed = Counter[Code]()
        """Answers that did not come in time, and may come yet."""
        self._asking = asyncio.Lock()
        self._line_errors: LineErrors | None = None
        self.places_errors = True  # a notice stands right before its byte
        self._may_send = asyncio.Event()
        self._may_send.set()

    async def open(self, line: LineSettings, listener: Listener) -> None:
        self._com = ComPortClient()  # each opening negotiates from the beginning
        self._line_errors = None
        self._asking, self._owed, self._wanted = asyncio.Lock(), Counter[Code](), {}
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
        wanted, got = await self._answers_to(lambda: self._com.configure(line))
        for message in wanted:
            value = got[message.code]
            if value != message.value and message.code is not Code.SET_CONTROL:
                raise SettingsRefused(
                    f"the server set {_says(message.code, value)} where {_says(message.code, message.value)} was asked",
                    "choose settings that this port has",
                )

    async def _answers_to(self, give: Callable[[], list[Message]]) -> tuple[list[Message], dict[Code, int]]:
        """An answer carries no number. So one command waits for the other's end, also where whoever gave that one was
        stopped meanwhile; and what is still owed after a time-out is not taken for the next one's."""
        asked = asyncio.ensure_future(self._ask_server(give))
        asked.add_done_callback(lambda done: done.cancelled() or done.exception())  # it may be that nobody waits for it
        return await asyncio.shield(asked)

    async def _ask_server(self, give: Callable[[], list[Message]]) -> tuple[list[Message], dict[Code, int]]:
        async with self._asking:
            wanted = give()
            loop = asyncio.get_running_loop()
            self._wanted = {message.code: message.value for message in wanted}
            self._answers = {message.code: loop.create_future() for message in wanted}
            await self._flush()
            try:
                async with asyncio.timeout(ANSWER_S):
                    return wanted, {code: await future for code, future in self._answers.items()}
            except TimeoutError:
                silent = [code for code, future in self._answers.items() if not future.done()]
                self._owed.update(silent)
                names = ", ".join(code.name for code in silent)
                raise SettingsRefused(f"the server did not answer {names}", "its port may be in use or dead") from None
            finally:
                self._answers = {}

    def received(self, data: bytes, at_s: float) -> None:
        for event in self._com.receive(data):
            match event:
                case Data(payload):
                    self._deliver(payload, at_s)
                case Command(message):
                    self._answered(message, at_s)
                case Agreed() | NotSpoken():
                    self._settle(isinstance(event, Agreed))
                case Held(stop):
                    (self._may_send.clear if stop else self._may_send.set)()
        out = self._com.take_output()
        if out and self._wire is not None and self._wire.carrier is not None:
            self._wire.carrier.write(out)

    def _settle(self, agreed: bool) -> None:
        if self._agreed is not None and not self._agreed.done():
            self._agreed.set_result(agreed)

    def _deliver(self, data: bytes, at_s: float) -> None:
        errors, self._line_errors = self._line_errors, None
        if self._listener is not None:
            self._listener.arrived(data, errors, at_s)

    def _answered(self, message: Message, at_s: float) -> None:
        if message.code is Code.NOTIFY_LINESTATE:
            self._note_errors(LineState(message.value), at_s)
        elif message.code is Code.NOTIFY_MODEMSTATE:
            state = ModemState(message.value)
            lines = ModemLines(
                cts=bool(state & ModemState.CTS),
                dsr=bool(state & ModemState.DSR),
                ri=bool(state & ModemState.RI),
                dcd=bool(state & ModemState.DCD),
            )
            if self._listener is not None:
                self._listener.modem_lines(lines)
        else:
            if self._owed[message.code] and message.value != self._wanted.get(message.code):
                self._owed[message.code] -= 1  # the answer to an earlier command, which was given up
                return
            future = self._answers.get(message.code)
            if future is not None and not future.done():
                future.set_result(message.value)

    def _note_errors(self, state: LineState, at_s: float) -> None:
        if self._line_errors is not None:
            self._deliver(b"", at_s)  # two notices in a row: the first had no byte
        errors = LineErrors(
            framing=int(LineState.FRAMING in state),
            parity=int(LineState.PARITY in state),
            breaks=int(LineState.BREAK in state),
            overruns=int(LineState.OVERRUN in state),
        )
        if errors.total:
            self._line_errors = errors
            asyncio.get_running_loop().call_later(_NOTICE_ALONE_S, self._deliver_alone, errors, at_s)

    def _deliver_alone(self, errors: LineErrors, at_s: float) -> None:
        if self._line_errors is errors:
            self._deliver(b"", at_s)

    def hung_up(self, error: Exception | None) -> None:
        held = PortHeld(f"{self.endpoint.text} hung up at once", "another client may hold it; let it go there first")
        _fail(self._agreed, held)
        for future in self._answers.values():
            _fail(future, PortLost(f"{self.endpoint.text} hung up", "open it again"))
        super().hung_up(error)

    async def write(self, data: bytes) -> None:
        await self._may_send.wait()
        self._com.send(data)
        await self._flush()

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

    def waiting_out(self) -> int:
        return 0  # what the box at the far end has not sent yet it does not tell

    async def close(self, *, keep_dtr: bool = False) -> None:
        if self._agreed is not None and not self._agreed.done():
            self._agreed.cancel()
        await super().close(keep_dtr=keep_dtr)


def _fail(future: asyncio.Future[Any] | None, fault: Exception) -> None:
    if future is not None and not future.done():
        future.set_exception(fault)
        future.exception()  # marks it as seen: not every future is waited for


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
