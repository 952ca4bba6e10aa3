"""A channel of a serial server: its mode says what is to be had at its TCP port, and its own line settings hold at the
serial side where the mode passes none on."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable

from ordolex.bench.devices.box_console import ChannelSettings
from ordolex.bench.network_port import PortClient
from ordolex.bench.station import Station
from ordolex.core.line.notation import read_line

_CALL_EVERY_S = 0.3


class Channel:
    """`station` is what is behind it; None where nothing is: it says open, and nobody is there."""

    def __init__(self, station: Station | None, changed: Callable[[], None]) -> None:
        self._station, self._changed = station, changed
        self._server: asyncio.Server | None = None
        self._calling: asyncio.Task[None] | None = None
        self._client: PortClient | None = None
        self._settings = ChannelSettings("off", "9600 8N1")
        self._taken = False
        self.holder = ""

    async def appear(self, settings: ChannelSettings, address: str, port: int) -> None:
        """Raises OSError where the port cannot be had."""
        self._settings = settings
        if settings.mode in ("virtual-port", "raw"):
            self._server = await asyncio.start_server(self._came, address, port)
        elif settings.mode == "call-out":
            self._calling = asyncio.get_running_loop().create_task(self._call())

    async def vanish(self) -> None:
        if self._server is not None:
            self._server.close()
            self._server = None
        if self._calling is not None:
            self._calling.cancel()
            self._calling = None
        self.hang_up()

    def hang_up(self) -> None:
        """Turns out whoever is there."""
        if self._client is not None:
            self._client.cut()

    async def _call(self) -> None:
        """The device starts: it calls its peer again and again."""
        host, _, port = self._settings.peer.rpartition(":")
        while True:
            with contextlib.suppress(OSError, ValueError):
                reader, writer = await asyncio.open_connection(host, int(port))
                await self._came(reader, writer)
            await asyncio.sleep(_CALL_EVERY_S)

    async def _came(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self._taken:
            writer.close()
            return
        self._taken = True
        self.holder = ":".join(str(part) for part in (writer.get_extra_info("peername") or ("?", 0))[:2])
        self._changed()
        try:
            if self._station is None:
                while await reader.read(4096):
                    pass
            else:
                raw = self._settings.mode != "virtual-port"
                line = read_line(self._settings.line).settings
                self._client = PortClient(self._station, writer, line, raw=raw)
                await self._client.serve(reader)
        except (OSError, asyncio.CancelledError):
            pass  # it hung up, or the box restarts
        finally:
            self._client, self._taken, self.holder = None, False, ""
            if self._station is not None:
                self._station.lines_changed = lambda: None
                self._station.detach()
            writer.close()
            self._changed()
