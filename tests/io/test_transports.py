"""One conformance suite for everything that carries bytes: the twins, ports read both ways, TCP and RFC 2217."""

import asyncio
import os
import pty
import tty
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.core.port.endpoint import read_endpoint
from ordolex.io.system.faults import Fault, PortLost
from ordolex.io.transport.base import Transport
from ordolex.io.transport.rfc2217 import Rfc2217Transport
from ordolex.io.transport.serial_port import SerialTransport
from ordolex.io.transport.tcp import TcpTransport
from ordolex.io.transport.twins import FaultyTransport, MemoryTransport
from tests.conftest import PLUG, Ear, ServeBench, until

LINE = LineSettings(115200)


@dataclass
class Rig:
    """A transport whose far side echoes, and a way to pull it."""

    transport: Transport
    pull: Callable[[], Awaitable[None]]


async def memory() -> AsyncIterator[Rig]:
    twin = MemoryTransport(lambda port, data: port.say(data))

    async def pull() -> None:
        twin.vanish()

    yield Rig(twin, pull)


async def faulty() -> AsyncIterator[Rig]:
    twin = MemoryTransport(lambda port, data: port.say(data))

    async def pull() -> None:
        twin.vanish()

    yield Rig(FaultyTransport(twin, single_bytes=True), pull)


async def serial_port(threaded: bool) -> AsyncIterator[Rig]:
    master, slave = pty.openpty()
    tty.setraw(slave)
    path = os.ttyname(slave)
    os.set_blocking(master, False)
    loop = asyncio.get_running_loop()
    waiting = bytearray()

    def write() -> None:
        while waiting:
            try:
                del waiting[: os.write(master, waiting)]
            except BlockingIOError:
                loop.call_later(0.002, write)
                return

    def echo() -> None:
        try:
            waiting.extend(os.read(master, 65_536))
        except OSError:
            loop.remove_reader(master)
            return
        write()

    loop.add_reader(master, echo)
    closed = False

    async def pull() -> None:
        nonlocal closed
        closed = True
        loop.remove_reader(master)
        os.close(slave)
        os.close(master)

    os.close(os.dup(slave))
    yield Rig(SerialTransport(path, threaded=threaded), pull)
    if not closed:
        await pull()


async def tcp() -> AsyncIterator[Rig]:
    writers: list[asyncio.StreamWriter] = []

    async def echo(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writers.append(writer)
        try:
            while data := await reader.read(65_536):
                writer.write(data)
                await writer.drain()
        except OSError:
            pass
        finally:
            writer.close()

    server = await asyncio.start_server(echo, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]

    async def pull() -> None:
        for writer in writers:
            writer.transport.abort()

    yield Rig(TcpTransport(read_endpoint(f"tcp://127.0.0.1:{port}")), pull)
    server.close()


@pytest.fixture(params=["memory", "faulty", "serial, loop", "serial, thread", "tcp", "rfc2217"])
async def rig(request: pytest.FixtureRequest, serve_bench: ServeBench) -> AsyncIterator[Rig]:
    kinds = {
        "memory": memory,
        "faulty": faulty,
        "serial, loop": lambda: serial_port(False),
        "serial, thread": lambda: serial_port(True),
        "tcp": tcp,
    }
    if request.param in kinds:
        async for made in kinds[request.param]():
            yield made
        return
    bench = await serve_bench(PLUG)

    async def pull() -> None:
        await bench.obey("vanish plug")

    yield Rig(Rfc2217Transport(read_endpoint(bench.notice().devices[0].endpoint)), pull)


async def test_every_byte_comes_back_in_order(rig: Rig, ear: Ear) -> None:
    await rig.transport.open(LINE, ear)
    data = bytes(range(256)) * 8
    for start in range(0, len(data), 500):
        await rig.transport.write(data[start : start + 500])
    await until(lambda: len(ear.data) >= len(data))
    assert bytes(ear.data) == data
    assert ear.fault is None
    await rig.transport.close()


async def test_what_is_paused_is_held_back_and_not_lost(rig: Rig, ear: Ear) -> None:
    await rig.transport.open(LINE, ear)
    rig.transport.pause(True)
    await rig.transport.write(b"held back")
    await asyncio.sleep(0.15)
    assert not ear.data
    rig.transport.pause(False)
    await until(lambda: bytes(ear.data) == b"held back")
    await rig.transport.close()


async def test_settings_change_while_open(rig: Rig, ear: Ear) -> None:
    await rig.transport.open(LINE, ear)
    for line in (LineSettings(9600, stop_bits=2.0), LineSettings(31250), LINE):
        await rig.transport.configure(line)
    await rig.transport.write(b"still here")
    await until(lambda: bytes(ear.data) == b"still here")
    await rig.transport.close()


async def test_a_pulled_port_is_told_once_and_takes_no_more(rig: Rig, ear: Ear) -> None:
    await rig.transport.open(LINE, ear)
    await rig.transport.write(b"x")
    await until(lambda: ear.data)
    await rig.pull()
    await until(lambda: ear.fault is not None)
    assert isinstance(ear.fault, PortLost)
    with pytest.raises(Fault):
        await rig.transport.write(b"y")
    await rig.transport.close()


async def test_closing_twice_does_nothing_and_is_no_loss(rig: Rig, ear: Ear) -> None:
    await rig.transport.open(LINE, ear)
    await rig.transport.close()
    await rig.transport.close()
    await asyncio.sleep(0.02)
    assert ear.fault is None
    with pytest.raises(Fault):
        await rig.transport.write(b"y")


async def test_a_closed_port_is_free_for_the_next(rig: Rig, ear: Ear) -> None:
    for _ in range(3):
        await rig.transport.open(LINE, ear)
        await rig.transport.close()
        await asyncio.sleep(0.05)  # a server learns of it a moment later
    assert ear.fault is None


# ---- what only the twins can show


async def test_the_faulty_twin_loses_the_port_in_the_middle(ear: Ear) -> None:
    twin = MemoryTransport()
    faulty_twin = FaultyTransport(twin, lose_after=5)
    await faulty_twin.open(LINE, ear)
    twin.say(b"0123456789", LineErrors(parity=1))
    assert bytes(ear.data) == b"01234" and ear.errors.parity == 1
    assert isinstance(ear.fault, PortLost)


# ---- RFC 2217 in particular


async def test_a_silent_listener_is_told_apart_and_raw_tcp_is_offered(
    ear: Ear, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.transport.rfc2217.AGREE_S", 0.2)
    server = await asyncio.start_server(lambda r, w: None, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    with pytest.raises(Fault, match=f"does not speak RFC 2217; try tcp://127.0.0.1:{port}"):
        await Rfc2217Transport(read_endpoint(f"rfc2217://127.0.0.1:{port}")).open(LINE, ear)
    server.close()


async def test_a_plain_telnet_server_is_told_apart_at_once(ear: Ear) -> None:
    async def refuse(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.read(100)
        writer.write(bytes((255, 254, 44)) + b"login: ")

    server = await asyncio.start_server(refuse, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    with pytest.raises(Fault, match="does not speak RFC 2217"):
        async with asyncio.timeout(2):
            await Rfc2217Transport(read_endpoint(f"rfc2217://127.0.0.1:{port}")).open(LINE, ear)
    server.close()


async def test_a_taken_port_says_so(serve_bench: ServeBench, ear: Ear) -> None:
    bench = await serve_bench(PLUG)
    endpoint = read_endpoint(bench.notice().devices[0].endpoint)
    first, second = Rfc2217Transport(endpoint), Rfc2217Transport(endpoint)
    await first.open(LINE, ear)
    with pytest.raises(Fault, match="another client may hold it"):
        await second.open(LINE, Ear())
    await first.close()


@pytest.mark.parametrize("endpoint", ["tcp://127.0.0.1:1", "rfc2217://127.0.0.1:1"])
async def test_nobody_listening_says_so(endpoint: str, ear: Ear) -> None:
    kind = TcpTransport if endpoint.startswith("tcp") else Rfc2217Transport
    with pytest.raises(Fault, match=r"nothing listens at 127\.0\.0\.1:1; check the TCP port"):
        await kind(read_endpoint(endpoint)).open(LINE, ear)


async def test_control_lines_and_break_reach_the_far_port(serve_bench: ServeBench, ear: Ear) -> None:
    bench = await serve_bench(PLUG)
    transport = Rfc2217Transport(read_endpoint(bench.notice().devices[0].endpoint))
    await transport.open(LINE, ear)
    await until(lambda: ear.lines is not None)
    assert ear.lines is not None and ear.lines.words() == "CTS DSR DCD"
    await transport.set_outputs(dtr=False, rts=True)
    await transport.send_break(0.05)
    await transport.write(b"after")
    await until(lambda: ear.data.endswith(b"after"))
    assert ear.data == b"\x00after", "a plug turns a break into a zero byte on its way back"
    await transport.close()
