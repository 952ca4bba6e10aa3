"""`telnet://host:port`: a text console by telnet (RFC 854). Its options are answered, and what is left is the
console's."""

from __future__ import annotations

from ordolex.core.line.settings import LineSettings
from ordolex.core.netserial.telnet import BINARY, ECHO, SUPPRESS_GO_AHEAD, Payload, Telnet
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.transport.base import Listener
from ordolex.io.transport.tcp import TcpTransport


class TelnetTransport(TcpTransport):
    def __init__(self, endpoint: Endpoint) -> None:
        super().__init__(endpoint)
        self._end = Telnet(frozenset())

    async def open(self, line: LineSettings, listener: Listener) -> None:
        self._end = Telnet(frozenset({BINARY, ECHO, SUPPRESS_GO_AHEAD}))
        await super().open(line, listener)

    def received(self, data: bytes, at_s: float) -> None:
        said = b"".join(event.data for event in self._end.receive(data) if isinstance(event, Payload))
        out = self._end.take_output()
        if out and self._wire is not None:
            self._wire.send(out)
        if said:
            super().received(said, at_s)

    async def write(self, data: bytes) -> None:
        self._end.send(data)
        await super().write(self._end.take_output())
