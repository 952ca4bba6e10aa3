"""A stretch of path in front of something that listens: a fibre with its two converters, a radio, a host that is late.
It has delay, jitter and loss; TCP brings what was lost once more, later."""

from __future__ import annotations

import asyncio
import contextlib
import random

from ordolex.bench.plan import HopPlan

_BROUGHT_AGAIN_S = 0.2  # RFC 6298, 2.4: a retransmission waits at least this long with most systems
_PIECE = 1400


class Hop:
    def __init__(self, plan: HopPlan) -> None:
        self.plan = plan
        self.port = plan.port
        self._dice = random.Random(plan.name)
        self._server: asyncio.Server | None = None
        self._datagrams: asyncio.DatagramTransport | None = None
        self._late: asyncio.Task[None] | None = None
        self._under_way: set[asyncio.Task[None]] = set()

    async def start(self) -> None:
        if self.plan.late_s:
            self._late = asyncio.get_running_loop().create_task(self._listen_later())
        else:
            await self._listen()

    async def _listen_later(self) -> None:
        await asyncio.sleep(self.plan.late_s)
        await self._listen()

    async def _listen(self) -> None:
        if self.plan.udp:
            loop = asyncio.get_running_loop()
            self._datagrams, _ = await loop.create_datagram_endpoint(
                lambda: _Datagrams(self), local_addr=(self.plan.address, self.port)
            )
            self.port = self._datagrams.get_extra_info("sockname")[1]
            return
        self._server = await asyncio.start_server(self._came, self.plan.address, self.port)
        self.port = self._server.sockets[0].getsockname()[1]

    async def stop(self) -> None:
        if self._late is not None:
            self._late.cancel()
        if self._server is not None:
            self._server.close()
        if self._datagrams is not None:
            self._datagrams.close()
        for task in list(self._under_way):
            task.cancel()

    def lost(self) -> bool:
        return self._dice.random() < self.plan.loss

    def delay_s(self) -> float:
        return (self.plan.delay_ms + self._dice.uniform(0, self.plan.jitter_ms)) / 1000

    async def _came(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        task = asyncio.current_task()
        assert task is not None
        self._under_way.add(task)
        host, _, port = self.plan.to.rpartition(":")
        far_writer = None
        try:
            far_reader, far_writer = await asyncio.open_connection(host, int(port))
            there = asyncio.create_task(self._carry(reader, far_writer))
            back = asyncio.create_task(self._carry(far_reader, writer))
            try:
                await asyncio.wait((there, back), return_when=asyncio.FIRST_COMPLETED)
            finally:
                there.cancel()
                back.cancel()
        except (OSError, asyncio.CancelledError):
            pass  # nobody is behind it, or the bench ends
        finally:
            self._under_way.discard(task)
            for one in (writer, far_writer):
                if one is not None:
                    one.close()

    async def _carry(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """In order; what was lost holds up what comes behind it, as TCP does."""
        loop = asyncio.get_running_loop()
        queue: asyncio.Queue[tuple[float, bytes]] = asyncio.Queue()
        delivering = asyncio.create_task(_deliver(queue, writer))
        carried = 0
        try:
            with contextlib.suppress(OSError):
                while data := await reader.read(_PIECE):
                    late = _BROUGHT_AGAIN_S if self.lost() else 0.0
                    queue.put_nowait((loop.time() + self.delay_s() + late, data))
                    carried += len(data)
                    if 0 < self.plan.hangs_up_after <= carried:
                        break
            await queue.join()
        finally:
            delivering.cancel()


async def _deliver(queue: asyncio.Queue[tuple[float, bytes]], writer: asyncio.StreamWriter) -> None:
    loop = asyncio.get_running_loop()
    while True:
        due_s, data = await queue.get()
        await asyncio.sleep(max(0.0, due_s - loop.time()))
        with contextlib.suppress(OSError):
            writer.write(data)
            await writer.drain()
        queue.task_done()


class _Datagrams(asyncio.DatagramProtocol):
    """Datagrams both ways, between whoever came last and the far end; some are lost, as many come twice."""

    def __init__(self, hop: Hop) -> None:
        self._hop = hop
        host, _, port = hop.plan.to.rpartition(":")
        self._far = (host, int(port))
        self._near: tuple[str, int] | None = None
        self._carrier: asyncio.DatagramTransport | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._carrier = transport  # type: ignore[assignment]  # a datagram one, though its class may not say so

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        if addr != self._far:
            self._near = addr
        to = self._near if addr == self._far else self._far
        for _ in range(0 if self._hop.lost() else 2 if self._hop.lost() else 1):
            asyncio.get_running_loop().call_later(self._hop.delay_s(), self._send, data, to)

    def _send(self, data: bytes, to: tuple[str, int] | None) -> None:
        if self._carrier is not None and not self._carrier.is_closing() and to is not None:
            self._carrier.sendto(data, to)
