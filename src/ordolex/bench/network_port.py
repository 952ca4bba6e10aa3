"""A station's port on the network: an RFC 2217 server for one client at a time, on 127.0.0.1 only."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable

from ordolex.bench.station import Station
from ordolex.core.line.settings import LineSettings
from ordolex.core.netserial.comport import Code, Control, LineState, Message, ModemState, Purge
from ordolex.core.netserial.ends import Command, ComPortServer, Data, Held
from ordolex.core.netserial.served import SETS_LINE, Outputs, concerns_flow, in_force, wanted
from ordolex.core.uart.receiver import Character

_HELD_BACK = 1 << 20
_ALL_ON = ModemState.CTS | ModemState.DSR | ModemState.DCD


class NetworkPort:
    """Listens for a station. `changed` is called when a client comes or goes."""

    def __init__(self, station: Station, changed: Callable[[], None]) -> None:
        self._station = station
        self._changed = changed
        self._server: asyncio.Server | None = None
        self._client: PortClient | None = None
        self.port = 0
        self.barred = False
        """Held by somebody else, or without rights: whoever comes is turned away."""

    async def listen(self, *, renumbered: bool = False) -> None:
        """Takes the plan's TCP port, or any free one where that is in use; another than before if `renumbered`."""
        for port in (0,) if renumbered else (self.port or self._station.plan.port, 0):
            try:
                self._server = await asyncio.start_server(self._came, "127.0.0.1", port)
                break
            except OSError:
                if port == 0:
                    raise
        assert self._server is not None
        self.port = self._server.sockets[0].getsockname()[1]

    @property
    def listening(self) -> bool:
        return self._server is not None

    @property
    def endpoint(self) -> str:
        scheme = "tcp" if self._station.plan.raw else "rfc2217"
        return f"{scheme}://127.0.0.1:{self.port}"

    async def vanish(self) -> None:
        """As if the adapter was pulled: the client is cut off, and nobody listens."""
        if self._server is not None:
            self._server.close()
            self._server = None
        await self.cut_off()

    async def cut_off(self) -> None:
        """Turns out the client that is there."""
        if self._client is not None:
            self._client.cut()

    async def _came(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self._station.taken or self.barred:
            writer.close()  # a serial port has one holder; the second is turned away
            return
        raw = self._station.plan.raw  # served as plain TCP, the device's own settings always fit
        line = self._station.device_line if raw else LineSettings(9600)
        self._client = PortClient(self._station, writer, line, raw=raw)
        self._changed()
        try:
            await self._client.serve(reader)
        except asyncio.CancelledError:
            pass  # the bench ends; a stream's task that ends as cancelled would be shown as a fault
        finally:
            self._client = None
            self._station.lines_changed = lambda: None
            self._station.detach()
            with contextlib.suppress(OSError):
                writer.close()
            self._changed()


class PortClient:
    """Who holds a port. `line` are the settings until he sets others; `raw` serves plain bytes at them."""

    def __init__(self, station: Station, writer: asyncio.StreamWriter, line: LineSettings, *, raw: bool) -> None:
        self._station, self._raw = station, raw
        self._writer = writer
        self._end = ComPortServer()
        self._settings = line
        self._line_mask = LineState(0)
        self._modem_mask = ModemState(0xFF)
        self._outputs = Outputs()
        self._break_since: float | None = None
        self._stopped = False
        self._held_back: list[Character] = []

    async def serve(self, reader: asyncio.StreamReader) -> None:
        if self._raw:
            await self._serve_raw(reader)
            return
        self._station.lines_changed = self._lines_changed
        self._end.start()
        self._flush()
        self._station.attach(self._deliver, self._settings)
        with contextlib.suppress(OSError):
            while data := await reader.read(65_536):
                for event in self._end.receive(data):
                    match event:
                        case Data(payload):
                            self._station.from_laptop(payload)
                        case Command(message):
                            self._obey(message)
                        case Held(stop):
                            self._hold(stop)
                        case _:
                            pass
                self._flush()

    async def _serve_raw(self, reader: asyncio.StreamReader) -> None:
        """Plain TCP: no settings, no control lines."""
        self._station.attach(self._deliver_raw, self._settings)
        with contextlib.suppress(OSError):
            while data := await reader.read(65_536):
                self._station.from_laptop(data)

    def _deliver_raw(self, characters: list[Character]) -> None:
        if not self._writer.is_closing():
            self._writer.write(bytes(character.byte for character in characters))

    def _modem_state(self) -> ModemState:
        if self._station.crossed:
            return ModemState(0)
        return _ALL_ON if self._station.carrier else _ALL_ON & ~ModemState.DCD

    def _lines_changed(self) -> None:
        self._end.notify_modem(self._modem_state() & self._modem_mask)
        self._flush()

    def cut(self) -> None:
        self._writer.transport.abort()

    def _flush(self) -> None:
        out = self._end.take_output()
        if out and not self._writer.is_closing():
            self._writer.write(out)

    # ---- to the client

    def _deliver(self, characters: list[Character]) -> None:
        if self._stopped:
            self._held_back = (self._held_back + characters)[-_HELD_BACK:]
            return
        clean = bytearray()
        for character in characters:
            state = _line_state(character) & self._line_mask
            if state:
                self._end.send(bytes(clean))
                clean.clear()
                self._end.notify_line(state)
            clean.append(character.byte)
        self._end.send(bytes(clean))
        self._flush()

    def _hold(self, stop: bool) -> None:
        self._stopped = stop
        if not stop:
            waiting, self._held_back = self._held_back, []
            self._deliver(waiting)

    # ---- from the client

    def _obey(self, message: Message) -> None:
        match message.code:
            case Code.SIGNATURE:
                if not message.text:
                    self._end.answer(message, text=f"Ordolex bench: {self._station.plan.name}".encode())
            case Code.SET_LINESTATE_MASK:
                self._line_mask = LineState(message.value)
                self._end.answer(message)
            case Code.SET_MODEMSTATE_MASK:
                self._modem_mask = ModemState(message.value)
                self._end.answer(message)
                self._end.notify_modem(self._modem_state() & self._modem_mask)
            case Code.PURGE_DATA:
                if message.value in (Purge.RECEIVE, Purge.BOTH):
                    self._station.purge()
                    self._held_back.clear()
                self._end.answer(message)
            case code if code in SETS_LINE or concerns_flow(message):
                self._end.answer(message, self._set_line(message))
            case Code.SET_CONTROL:
                self._end.answer(message, self._set_output(message.value))
            case _:
                pass

    def _set_line(self, message: Message) -> int:
        """Takes a setting if it can be, and tells the one in force."""
        now = wanted(self._settings, message)
        if now != self._settings:
            self._settings = now
            self._station.retune(now)
        return in_force(now, message.code)

    def _set_output(self, value: int) -> int:
        loop = asyncio.get_running_loop()
        before = self._outputs.dtr
        answer = self._outputs.obey(value)
        if self._outputs.breaking and self._break_since is None:
            self._break_since = loop.time()
        elif not self._outputs.breaking and self._break_since is not None:
            self._station.break_from_laptop(loop.time() - self._break_since)
            self._break_since = None
        if self._outputs.dtr != before or value in (Control.DTR_ON, Control.DTR_OFF):
            self._station.dtr(self._outputs.dtr)
        return answer


def _line_state(character: Character) -> LineState:
    state = LineState(0)
    if character.framing:
        state |= LineState.FRAMING
    if character.parity:
        state |= LineState.PARITY
    if character.overrun:
        state |= LineState.OVERRUN
    if character.broken:
        state |= LineState.BREAK
    return state
