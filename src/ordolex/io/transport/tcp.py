"""Raw TCP: the bytes of a socket, without line settings. Also the carrier below RFC 2217."""

from __future__ import annotations

import asyncio
import errno
import os
import socket

from ordolex.core.line.settings import LineSettings
from ordolex.core.port.endpoint import Endpoint
from ordolex.io.system.faults import Fault, NobodyThere, PortLost, SettingsRefused, Unreachable
from ordolex.io.transport.base import Listener
from ordolex.io.transport.wire import Wire

CONNECT_S = 5.0


class TcpTransport:
    """`tcp://host:port`."""

    def __init__(self, endpoint: Endpoint) -> None:
        self.endpoint = endpoint
        self.opens_low = self.prompt = False
        self.places_errors = False
        self._wire: Wire | None = None
        self._listener: Listener | None = None

    async def open(self, line: LineSettings, listener: Listener) -> None:
        await self._connect()
        self._listener = listener

    async def _connect(self) -> None:
        loop = asyncio.get_running_loop()
        where = f"{self.endpoint.host}:{self.endpoint.port}"
        try:
            async with asyncio.timeout(CONNECT_S):
                _, wire = await loop.create_connection(
                    lambda: Wire(self.received, self.hung_up, prompt=self.prompt),
                    self.endpoint.host,
                    self.endpoint.port,
                )
        except TimeoutError:
            raise Unreachable(
                f"{where} does not answer within {CONNECT_S:g} s", "check address, cable and power"
            ) from None
        except OSError as error:
            raise _unreachable(where, error) from error
        self._wire = wire

    def received(self, data: bytes, at_s: float) -> None:
        if self._listener is not None:
            self._listener.arrived(data, None, at_s)

    def hung_up(self, error: Exception | None) -> None:
        if self._wire is None:
            return
        self._wire = None
        if self._listener is not None:
            why = f" ({error})" if error else ""
            self._listener.lost(PortLost(f"{self.endpoint.text} hung up{why}", "it is opened again when it is back"))

    async def write(self, data: bytes) -> None:
        wire = self._wire
        if wire is None:
            raise NobodyThere(f"{self.endpoint.text} is not open", "open it first")
        await wire.write(data)

    def take_now(self, data: bytes) -> int:
        return self._wire.take_now(data) if self._wire is not None else 0

    async def configure(self, line: LineSettings) -> None:
        """Raw TCP has no line settings: nothing to do, and nothing to claim."""

    async def send_break(self, seconds: float) -> None:
        raise SettingsRefused("raw TCP carries no break", "use rfc2217:// if the server speaks it")

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None:
        raise SettingsRefused("raw TCP has no control lines", "use rfc2217:// if the server speaks it")

    def pause(self, stop: bool) -> None:
        if self._wire is not None:
            self._wire.stop(stop)

    def waiting_out(self) -> int:
        return 0  # what the box at the far end has not sent yet it does not tell

    async def close(self, *, keep_dtr: bool = False) -> None:
        wire, self._wire, self._listener = self._wire, None, None
        if wire is not None:
            wire.close()
            await asyncio.sleep(0)


def _unreachable(where: str, error: OSError) -> Fault:
    refused = error.errno == errno.ECONNREFUSED or "Connect call failed" in str(error)
    if isinstance(error, socket.gaierror):
        return Unreachable(f"the name in {where} is not known", "check the spelling, or give the IP address")
    if refused:
        return Unreachable(f"nothing listens at {where}", "check the TCP port, and that the server is on")
    return Unreachable(f"{where}: {os.strerror(error.errno or 0)}", "check address, cable and the PC's own address")
