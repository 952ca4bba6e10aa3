"""A serial server: a box with several channels on the network, its console by telnet and by a serial port, and a name
that it announces by multicast DNS. It lives in the loopback network and can be given another address there."""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import Callable
from typing import Any

from ordolex.bench.channel import Channel
from ordolex.bench.devices.box_console import BoxConsole, BoxSettings, ChannelSettings
from ordolex.bench.plan import BoxPlan
from ordolex.bench.station import Station
from ordolex.core.netserial.telnet import ECHO, SUPPRESS_GO_AHEAD, Payload, Telnet

_TICK_S = 0.02
_TELNET = "_telnet._tcp.local."


class Box:
    """`stations` are those behind its channels, in order; None where a channel has nothing behind it. `changed` is
    called when somebody came to a channel or left it."""

    def __init__(self, plan: BoxPlan, stations: list[Station | None], changed: Callable[[], None]) -> None:
        self.plan = plan
        self.settings = BoxSettings(
            plan.name, plan.address, base=plan.base,
            channels=[ChannelSettings(one.mode, one.line, one.peer) for one in plan.channel],
        )  # fmt: skip
        self._changed = changed
        self._loop = asyncio.get_running_loop()
        self.channels = [Channel(station, changed) for station in stations]
        self._servers: list[asyncio.Server] = []
        self._consoles: set[asyncio.Task[None]] = set()
        self._later: set[asyncio.Task[None]] = set()
        self._zeroconf: Any = None
        self.console_port = plan.console
        self.listens_at = ""

    def console(self) -> BoxConsole:
        """Another session at its console."""
        return BoxConsole(self.settings, self._restarted, lambda number: self.channels[number - 1].holder)

    async def appear(self) -> None:
        """Listens at its address. Raises OSError where the system has no such one."""
        address = self.settings.address
        console = await asyncio.start_server(self._telnet, address, self.console_port)
        self._servers.append(console)
        self.console_port = console.sockets[0].getsockname()[1]
        for number, (channel, one) in enumerate(zip(self.channels, self.settings.channels, strict=True), 1):
            await channel.appear(one, address, self.settings.base + number)
        self.listens_at = address
        if self.plan.announced:
            self._go(self._announce())
        self._changed()

    async def vanish(self) -> None:
        for server in self._servers:
            server.close()
        self._servers.clear()
        for task in list(self._consoles):
            task.cancel()
        for channel in self.channels:
            await channel.vanish()
        await self._withdraw()
        self.listens_at = ""

    def _restarted(self) -> None:
        """It works by what it has stored; in the middle of a console's turn, so a little later."""
        self._go(self._appear_anew())

    async def _appear_anew(self) -> None:
        await self.vanish()
        with contextlib.suppress(OSError):  # an address that this machine does not have: then it is nowhere
            await self.appear()

    def _go(self, work: Any) -> None:
        task = self._loop.create_task(work)
        self._later.add(task)
        task.add_done_callback(self._later.discard)

    # ---- multicast DNS

    async def _announce(self) -> None:
        from zeroconf import IPVersion, ServiceInfo
        from zeroconf.asyncio import AsyncZeroconf

        name = self.plan.name.replace(".", " ")
        with contextlib.suppress(OSError, RuntimeError):  # without multicast it is found by the sweep all the same
            self._zeroconf = AsyncZeroconf(interfaces=["127.0.0.1"], ip_version=IPVersion.V4Only)
            info = ServiceInfo(
                _TELNET,
                f"{name}.{_TELNET}",
                addresses=[socket.inet_aton(self.settings.address)],
                port=self.console_port,
                properties={"channels": str(len(self.channels))},
                server=f"{'-'.join(name.lower().split())}.local.",
            )
            await self._zeroconf.async_register_service(info, allow_name_change=True)

    async def _withdraw(self) -> None:
        zeroconf, self._zeroconf = self._zeroconf, None
        if zeroconf is not None:
            with contextlib.suppress(OSError, RuntimeError):
                await zeroconf.async_close()

    # ---- the console by telnet

    async def _telnet(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        task = asyncio.current_task()
        assert task is not None
        self._consoles.add(task)
        end = Telnet(frozenset({SUPPRESS_GO_AHEAD, ECHO}))
        console = self.console()

        def say(text: str) -> None:
            end.send(text.encode())
            writer.write(end.take_output())

        try:
            end.offer(ECHO)
            end.offer(SUPPRESS_GO_AHEAD)
            say(console.greeting())
            while True:
                try:
                    async with asyncio.timeout(_TICK_S if console.next_deadline() is not None else None):
                        data = await reader.read(4096)
                except TimeoutError:
                    for said in console.tick(self._loop.time()):
                        say(said.data.decode())
                    continue
                if not data:
                    return
                typed = b"".join(event.data for event in end.receive(data) if isinstance(event, Payload))
                say(console.keys(typed, self._loop.time()))
        except (OSError, asyncio.CancelledError):
            pass  # it hung up, or the box restarts
        finally:
            self._consoles.discard(task)
            writer.close()
