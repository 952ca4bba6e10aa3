"""Stretches of path that delay, lose, come late and hang up, with relays and measured runs across them."""

from __future__ import annotations

import asyncio
import os
import socket
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress

import pytest

from ordolex.bench.plan import Plan
from ordolex.bench.serve import Bench
from ordolex.core.relay.path_runs import PathRun, figures
from ordolex.core.relay.plan import RelayPlan, check
from ordolex.io.book.nowhere import NoBook
from ordolex.io.relay import measuring
from ordolex.io.relay.prove import used
from ordolex.io.relay.relay import Relay
from tests.conftest import OXYGEN, until


@asynccontextmanager
async def echo() -> AsyncIterator[int]:
    async def give_back(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with suppress(OSError):
            while data := await reader.read(65_536):
                writer.write(data)
        writer.close()

    server = await asyncio.start_server(give_back, "127.0.0.1", 0)
    yield server.sockets[0].getsockname()[1]
    server.close()


class DatagramEcho(asyncio.DatagramProtocol):
    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        self._transport.sendto(data, addr)  # type: ignore[attr-defined]


@asynccontextmanager
async def bench_of(**more: object) -> AsyncIterator[Bench]:
    bench = Bench(Plan.model_validate({"device": [OXYGEN], **more}), lambda notice: None)
    await bench.start()
    try:
        yield bench
    finally:
        await bench.stop()


async def measured(far: str, times: int, flood: int = 0) -> PathRun:
    relay = Relay(check(RelayPlan("m", f"virtual:hop-{os.getpid()}", far)), NoBook())
    relay.start()
    try:
        await relay.standing()
        async with used(relay) as runner:
            return await measuring.measure_loop(runner, "run", {}, times, flood=flood)
    finally:
        await relay.stop()


async def test_a_measured_run_by_loop_shows_the_delay_of_a_path_and_counts_every_block() -> None:
    async with echo() as port:
        hop = {"name": "fibre", "to": f"127.0.0.1:{port}", "delay_ms": 15, "jitter_ms": 4}
        async with bench_of(hop=[hop]) as bench:
            run = await measured(f"tcp://127.0.0.1:{bench.hops[0].port}", 8, flood=20_000)
    assert (run.sent, run.lost, run.wrong, run.doubled) == (8 + 20_000 // 512, 0, 0, 0)
    assert len(run.trips_ms) == 8 and min(run.trips_ms) >= 30
    median = figures(run)["median_ms"]
    assert median is not None and median >= 30
    assert run.out_bytes_s and run.back_bytes_s


async def test_lost_and_doubled_datagrams_are_told_by_a_loop_run(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(measuring, "_COME_BACK_S", 0.3)
    transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(DatagramEcho, ("127.0.0.1", 0))
    to = transport.get_extra_info("sockname")[1]
    hop = {"name": "radio", "to": f"127.0.0.1:{to}", "loss": 0.25, "udp": True}
    async with bench_of(hop=[hop]) as bench:
        run = await measured(f"udp://127.0.0.1:{bench.hops[0].port}", 30)
    transport.close()
    assert run.sent == 30 and run.wrong == 0
    assert run.lost > 0 and run.doubled > 0 and len(run.trips_ms) <= 30 - run.lost


async def test_a_relay_outlives_a_path_that_comes_late_and_hangs_up() -> None:
    with socket.socket() as spare:
        spare.bind(("127.0.0.1", 0))
        at = spare.getsockname()[1]
    async with echo() as port:
        hop = {"name": "late", "to": f"127.0.0.1:{port}", "port": at, "late_s": 0.5, "hangs_up_after": 40}
        relay = Relay(RelayPlan("late", f"virtual:late-{os.getpid()}", f"tcp://127.0.0.1:{at}", retry_s=0.05), NoBook())
        relay.start()
        await until(lambda: relay.ends[1].tries > 1)  # it called before anybody listened
        async with bench_of(hop=[hop]):
            await relay.standing()
            async with used(relay) as runner:
                heard = bytearray()
                with runner.tap.heard_by(lambda data, errors, at_s: heard.extend(data)):
                    stood_s = relay.ends[1].held_s
                    await runner.out.send(b"x" * 40)
                    await until(lambda: relay.ends[1].held_s not in (None, stood_s))
                    heard.clear()
                    await runner.out.send(b"after it hung up")
                    await until(lambda: b"after it hung up" in heard)
        await relay.stop()


async def test_the_bench_shell_is_a_real_one() -> None:
    async with bench_of(shell=True) as bench:
        assert bench.shell is not None
        fd = os.open(bench.shell.path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        heard = bytearray()

        def came() -> bool:
            with suppress(BlockingIOError):
                heard.extend(os.read(fd, 500))
            return b"42" in heard

        os.write(fd, b"echo $((6*7))\n")
        await until(came)
        os.close(fd)
