"""Relays between real ends on this computer: pseudo-terminals, sockets, and stand-ins behind RFC 2217."""

from __future__ import annotations

import asyncio
import contextlib
import os
import random
import socket
import termios
import tty
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.relay.plan import RelayPlan, check
from ordolex.io.book.nowhere import NoBook
from ordolex.io.link.journal import RecorderLike
from ordolex.io.relay import way
from ordolex.io.relay.relay import Relay
from ordolex.io.system.faults import Fault, PortHeld, SettingsRefused
from ordolex.io.transport.front import User
from ordolex.io.transport.listen import ListenTransport
from tests.conftest import OXYGEN, Ear, Notes, ServeBench, until


@asynccontextmanager
async def running(plan: RelayPlan, recorder: RecorderLike | None = None) -> AsyncIterator[Relay]:
    relay = Relay(check(plan), recorder or NoBook())
    relay.start()
    try:
        await relay.standing()
        yield relay
    finally:
        await relay.stop()


class Far:
    """A TCP server that keeps what each caller sent; `echoes` sends it back."""

    def __init__(self, *, echoes: bool = False) -> None:
        self.echoes = echoes
        self.got = bytearray()
        self.writers: list[asyncio.StreamWriter] = []
        self.port = 0
        self._server: asyncio.Server | None = None

    async def listen(self, port: int = 0) -> None:
        self._server = await asyncio.start_server(self._came, "127.0.0.1", port)
        self.port = self._server.sockets[0].getsockname()[1]

    async def _came(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.writers.append(writer)
        try:
            while data := await reader.read(65_536):
                self.got += data
                if self.echoes:
                    writer.write(data)
        except (OSError, asyncio.CancelledError):
            pass
        finally:
            writer.close()

    def hang_up(self) -> None:
        for writer in self.writers:
            writer.close()
        self.writers.clear()

    def end(self) -> None:
        if self._server is not None:
            self._server.close()
        self.hang_up()


@pytest.fixture
async def far() -> AsyncIterator[Far]:
    far = Far()
    await far.listen()
    yield far
    far.end()


class Program:
    """A program that knows ttys only: it opens a name, sets it raw, reads and writes."""

    def __init__(self, path: str) -> None:
        self.fd = os.open(path, os.O_RDWR | os.O_NOCTTY)
        tty.setraw(self.fd, termios.TCSANOW)  # its default throws away what came before

    def set(self, rate: int, *, stop2: bool = False) -> None:
        modes = termios.tcgetattr(self.fd)
        modes[4] = modes[5] = rate
        modes[2] = modes[2] | termios.CSTOPB if stop2 else modes[2] & ~termios.CSTOPB
        termios.tcsetattr(self.fd, termios.TCSADRAIN, modes)

    def rate(self) -> int:
        return int(termios.tcgetattr(self.fd)[5])

    def write(self, data: bytes) -> None:
        view = memoryview(data)
        while view:
            view = view[os.write(self.fd, view) :]

    async def read_until(self, end: bytes) -> bytes:
        def read() -> bytes:
            got = b""
            while not got.endswith(end):
                got += os.read(self.fd, 4096)
            return got

        async with asyncio.timeout(30):
            return await asyncio.to_thread(read)

    def close(self) -> None:
        os.close(self.fd)


def peer(path: str) -> socket.socket:
    host, _, port = path.rpartition("://")[2].rpartition(":")
    sock = socket.create_connection((host, int(port)), timeout=10)
    sock.setblocking(True)
    return sock


def open_files() -> int:
    return len(list(Path("/proc/self/fd").iterdir()))


def live(relay: Relay) -> list[User]:
    """Those at the near end who have not hung up."""
    return [user for user in relay.ends[0].users if not user.sends_no_more]


async def read_all(sock: socket.socket, count: int) -> bytes:
    def read() -> bytes:
        got = b""
        sock.settimeout(20)
        while len(got) < count and (data := sock.recv(65_536)):
            got += data
        return got

    return await asyncio.to_thread(read)


# ---- a virtual port


async def test_a_program_asks_a_device_through_a_virtual_port(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench(OXYGEN)
    endpoint = bench.notice().devices[0].endpoint
    async with running(RelayPlan("o", "virtual:oxygen", endpoint, line="19200 8N1"), notes) as relay:
        program = Program(relay.ends[0].path)
        assert program.rate() == termios.B19200, "the port shows the settings in force"
        program.write(b"MEAS:OXYG?\n")
        assert b"." in await program.read_until(b"\n")
        await until(lambda: relay.ends[0].users)
        await until(lambda: str(os.getpid()) in relay.ends[0].users[0].name)
        view = relay.view()
        assert (view.there.came, view.there.gone) == (11, 11)
        assert view.back.gone == view.back.came > 0
        program.close()
        await until(lambda: not relay.ends[0].users)
    assert notes.bytes("rx").startswith(b"MEAS:OXYG?\n") and b"MEAS:OXYG?\n" in notes.bytes("tx")


async def test_the_proof_is_asked_through_the_port_and_holds_as_long_as_the_settings_do(
    serve_bench: ServeBench,
) -> None:
    from ordolex.core.link.question import Question
    from ordolex.io.relay.prove import prove

    bench = await serve_bench(OXYGEN)
    async with running(RelayPlan("o", "virtual:o", bench.notice().devices[0].endpoint, line="19200 8N1")) as relay:
        proof, words = await prove(relay, Question(b"*IDN?\n"))
        assert proof is not None and "Brookmade" in proof.answer and "proven through" in words
        assert relay.view().layers[-1].good is True and relay.ends[1].runner.rung is Rung.PROVEN
        program = Program(relay.ends[0].path)
        await until(lambda: relay.ends[0].users)
        with pytest.raises(PortHeld, match="uses it"):
            await prove(relay, Question(b"*IDN?\n"))
        program.set(termios.B9600)
        await until(lambda: relay.proof is None)
        assert "before the settings changed" in relay.view().layers[-1].words
        program.close()
        await until(lambda: not relay.ends[0].users)
        none, words = await prove(relay, Question(b"*IDN?\n", timeout_s=0.3))
        assert none is None and "proven through" not in words
        assert relay.view().layers[-1].good is not True


async def test_what_the_program_sets_is_set_at_the_far_end(serve_bench: ServeBench) -> None:
    bench = await serve_bench(OXYGEN)
    station = bench._benches[0].station
    async with running(RelayPlan("o", "virtual:o", bench.notice().devices[0].endpoint, line="19200 8N1")) as relay:
        program = Program(relay.ends[0].path)
        for rate, number, stop2 in ((termios.B9600, 9600, True), (termios.B115200, 115200, False)):
            program.set(rate, stop2=stop2)
            wanted = LineSettings(number, stop_bits=2.0 if stop2 else 1.0)
            await until(lambda wanted=wanted: station._laptop == wanted)
            await until(lambda wanted=wanted: relay.view().settings.far == wanted)
        program.set(termios.B19200)
        program.write(b"*IDN?\n")  # right behind the change, and still for the line as it is then
        assert b"Brookmade" in await program.read_until(b"\n")
        program.close()


async def test_a_rate_that_the_far_end_refuses_is_said_and_shown_to_the_program() -> None:
    from ordolex.io.transport.open import transport_for
    from ordolex.io.transport.twins import MemoryTransport

    class Slow(MemoryTransport):
        async def configure(self, line: LineSettings) -> None:
            if line.baud > 38400:
                raise SettingsRefused(f"cannot do {line.baud} baud", "choose another")
            await super().configure(line)

    twin = Slow()
    plan = RelayPlan("o", "virtual:o", "/dev/made-up", line="19200 8N1")
    relay = Relay(plan, NoBook(), make_transport=lambda e: twin if e.kind == "serial" else transport_for(e))
    relay.start()
    await relay.standing()
    program = Program(relay.ends[0].path)
    program.set(termios.B115200)
    await until(lambda: relay.refused)
    await until(lambda: program.rate() == termios.B19200)
    failing = next(layer for layer in relay.view().layers if layer.good is False)
    assert failing.name == "line settings" and "115200" in failing.words and failing.test
    program.set(termios.B9600)
    await until(lambda: twin.line == LineSettings(9600))
    await until(lambda: not relay.refused)
    program.close()
    await relay.stop()


async def test_settings_are_not_passed_on_where_the_box_keeps_its_own(serve_bench: ServeBench) -> None:
    bench = await serve_bench(OXYGEN)
    plan = RelayPlan("o", "virtual:o", bench.notice().devices[0].endpoint, line="19200 8N1", push=False)
    async with running(plan) as relay:
        program = Program(relay.ends[0].path)
        program.set(termios.B9600)
        await until(lambda: relay.program_line is not None)
        assert relay.view().settings.far.baud == 19200
        failing = next(layer for layer in relay.view().layers if layer.good is False)
        assert "baud 9600 ≠ 19200" in failing.words
        assert program.rate() == termios.B9600
        program.close()


async def test_hang_ups_of_the_program_lose_nothing_either_way(far: Far) -> None:
    """Bytes written before the program leaves arrive; bytes that come while it is away are there when it is back."""
    far.echoes = True
    dice = random.Random(1604)
    async with running(RelayPlan("h", "virtual:h", f"tcp://127.0.0.1:{far.port}")) as relay:
        path, descriptors, tasks = relay.ends[0].path, open_files(), len(asyncio.all_tasks())
        sent, back = bytearray(), bytearray()
        for _ in range(150):
            program = Program(path)
            piece = dice.randbytes(dice.randrange(1, 700))
            program.write(piece)
            sent += piece
            os.set_blocking(program.fd, False)
            if dice.random() < 0.5:
                await until(lambda sent=sent: len(far.got) >= len(sent))
            with contextlib.suppress(BlockingIOError):
                back += os.read(program.fd, 65_536)
            program.close()
        await until(lambda: len(far.got) == len(sent))
        assert far.got == sent
        program = Program(path)
        while len(back) < len(sent):
            back += await asyncio.to_thread(os.read, program.fd, 65_536)
        assert back == sent
        program.close()
        await until(lambda: not relay.ends[0].users)
        await until(lambda: open_files() <= descriptors and len(asyncio.all_tasks()) <= tasks)


async def test_hang_ups_of_the_far_end_are_survived_and_counted(far: Far, monkeypatch: pytest.MonkeyPatch) -> None:
    plan = RelayPlan("h", "virtual:h", f"tcp://127.0.0.1:{far.port}", retry_s=0.02)
    async with running(plan) as relay:
        program = Program(relay.ends[0].path)
        sent = bytearray()
        for number in range(40):
            piece = f"block {number} ".encode()
            program.write(piece)
            sent += piece
            await until(lambda sent=sent: len(far.got) == len(sent))
            far.hang_up()
            await until(lambda: far.writers)
        assert far.got == sent
        port = far.port
        far.end()
        await until(lambda: relay.ends[1].tries >= 3)
        view = relay.view()
        assert "nothing listens" in view.fault and "tries" in view.fault
        program.write(b"kept while it is away")
        await far.listen(port)
        await until(lambda: far.got.endswith(b"kept while it is away"))
        assert "at try " in relay.ends[1].took and relay.ends[1].tries == 0
        program.close()


async def test_a_stuck_reader_holds_the_sender_back_and_memory_stays_bounded(far: Far) -> None:
    async with running(RelayPlan("s", "virtual:s", f"tcp://127.0.0.1:{far.port}")) as relay:
        program = Program(relay.ends[0].path)
        await until(lambda: relay.ends[0].users and far.writers)
        writer = far.writers[0]
        block = random.Random(7).randbytes(1 << 20)
        for _ in range(16):
            writer.write(block)  # the program reads nothing of it yet
        await until(lambda: relay.view().back.waiting > way.HIGH)
        for _ in range(50):
            await asyncio.sleep(0)
            assert relay.view().back.waiting < way.HIGH + (1 << 20)
        got = bytearray()

        def read() -> None:
            while len(got) < 16 << 20:
                got.extend(os.read(program.fd, 65_536))

        async with asyncio.timeout(60):
            await asyncio.to_thread(read)
        assert bytes(got) == block * 16
        program.close()


async def test_what_nobody_hears_for_long_is_let_go_and_said(
    far: Far, notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(way, "WAITS_S", 0.05)
    async with running(RelayPlan("u", "virtual:u", f"tcp://127.0.0.1:{far.port}"), notes) as relay:
        await until(lambda: far.writers)
        far.writers[0].write(b"old news")
        await until(lambda: relay.view().back.unheard == 8)
        program = Program(relay.ends[0].path)
        await until(lambda: relay.ends[0].users)
        far.writers[0].write(b"new\n")
        assert await program.read_until(b"\n") == b"new\n"
        assert any("8 bytes waited" in event.text for event in notes.events)
        program.close()


@pytest.mark.parametrize("there", [True, False], ids=["while it reads nothing", "while it is away"])
async def test_a_program_that_throws_its_input_away_gets_nothing_of_before(far: Far, there: bool) -> None:
    async with running(RelayPlan("f", "virtual:f", f"tcp://127.0.0.1:{far.port}")) as relay:
        await until(lambda: far.writers)
        program = Program(relay.ends[0].path)
        await until(lambda: relay.ends[0].users)
        if not there:
            program.close()
            await until(lambda: not relay.ends[0].users)
        for _ in range(40):
            far.writers[0].write(b"old " * 250)
        await until(lambda: relay.view().back.came == 40_000)
        await until(lambda: relay.view().back.waiting)
        if not there:
            program = Program(relay.ends[0].path)
        termios.tcflush(program.fd, termios.TCIFLUSH)
        await until(lambda: not relay.view().back.waiting)  # what stood in the way is gone, but for one piece
        termios.tcflush(program.fd, termios.TCIFLUSH)
        far.writers[0].write(b"new\n")
        assert await program.read_until(b"\n") == b"new\n"
        program.close()


async def test_a_name_that_is_not_ours_is_never_overwritten(far: Far, tmp_path: object) -> None:
    from ordolex.io.own import places

    async with running(RelayPlan("one", "virtual:same", f"tcp://127.0.0.1:{far.port}")) as relay:
        there = places.virtual_ports() / "same"
        assert there.is_symlink() and str(there) == relay.ends[0].path
        second = Relay(RelayPlan("two", "virtual:same", f"tcp://127.0.0.1:{far.port}", tries=1), NoBook())
        second.start()
        with pytest.raises(Fault, match="there already"):
            await second.standing()
        await second.stop()
        assert there.resolve() == there.resolve() and there.is_symlink()
    assert not there.is_symlink()
    there.write_text("precious")
    third = Relay(RelayPlan("three", "virtual:same", f"tcp://127.0.0.1:{far.port}", tries=1), NoBook())
    third.start()
    with pytest.raises(Fault, match="not ours"):
        await third.standing()
    await third.stop()
    assert there.read_text() == "precious"
    there.unlink()
    there.symlink_to("/dev/pts/999999")  # what a killed process left
    async with running(RelayPlan("four", "virtual:same", f"tcp://127.0.0.1:{far.port}")):
        assert there.exists()


async def test_a_live_line_is_handed_to_another_device_and_the_program_does_not_see_it(far: Far) -> None:
    other = Far()
    await other.listen()
    async with running(RelayPlan("s", "virtual:s", f"tcp://127.0.0.1:{far.port}")) as relay:
        program = Program(relay.ends[0].path)
        program.write(b"to the first")
        await until(lambda: far.got == b"to the first")
        await relay.switch(f"tcp://127.0.0.1:{other.port}")
        program.write(b"to the second")
        await until(lambda: other.got == b"to the second" and other.writers)
        other.writers[0].write(b"from it\n")
        assert await program.read_until(b"\n") == b"from it\n"
        assert far.got == b"to the first"
        program.close()
    other.end()


async def test_a_real_shell_works_on_a_virtual_port_and_is_typed_at_through_the_relay(far: Far) -> None:
    """A program that wants a whole terminal: job control, echo, line editing by the kernel, a hang-up at the end."""
    async with running(RelayPlan("sh", "virtual:sh", f"tcp://127.0.0.1:{far.port}")) as relay:
        await until(lambda: far.writers)
        script = 'exec <"$0" >"$0" 2>&1; stty sane -echo; PS1="ready> "; export PS1; exec sh -i'
        shell = await asyncio.create_subprocess_exec("setsid", "sh", "-c", script, relay.ends[0].path)
        await until(lambda: b"ready> " in far.got)
        far.writers[0].write(b"stty -a | head -1; echo $((6 * 7))\r")
        await until(lambda: b"speed 9600 baud" in far.got and b"42\r\n" in far.got)
        far.writers[0].write(b"exit\r")
        assert await shell.wait() == 0
        await until(lambda: not relay.ends[0].users)
        far.writers[0].write(b"")


async def test_a_full_disk_does_not_stop_a_relay_and_the_gap_is_said(far: Far, tmp_path: Path) -> None:
    from ordolex.io.book.book import Book

    book = Book(tmp_path / "b.ordolex")
    book.recorder.page_limit = 8
    async with running(RelayPlan("d", "virtual:d", f"tcp://127.0.0.1:{far.port}"), book.recorder) as relay:
        program = Program(relay.ends[0].path)
        block = random.Random(3).randbytes(60_000)
        for number in range(4):
            await asyncio.to_thread(program.write, block)
            await until(lambda number=number: len(far.got) == (number + 1) * len(block))
        await until(lambda: not book.recorder.status.keeping)
        await asyncio.to_thread(program.write, b"goes on")
        await until(lambda: far.got.endswith(b"goes on"))
        assert "full" in book.recorder.status.why
        program.close()
    book.close()


# ---- listeners


async def test_a_peer_leaves_and_the_next_one_is_let_in_at_once(far: Far) -> None:
    async with running(RelayPlan("l", "listen+tcp://:0", f"tcp://127.0.0.1:{far.port}")) as relay:
        for number in range(30):
            sock = peer(relay.ends[0].path)
            sock.sendall(f"peer {number}\n".encode())
            await until(lambda number=number: far.got.endswith(f"peer {number}\n".encode()))
            if number % 2:
                sock.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\1\0\0\0\0\0\0\0")  # leaves with a reset
            sock.close()
            await until(lambda: not live(relay))
        assert far.got.count(b"peer") == 30


async def test_the_last_word_of_a_peer_that_hangs_up_hard_is_heard() -> None:
    """Its reset is noticed by what is sent to it, before what it had sent is read."""
    from ordolex.io.transport.wire import Wire

    heard, ended = bytearray(), asyncio.Event()
    wires: list[Wire] = []

    def make() -> Wire:
        wires.append(Wire(lambda data, at_s: heard.extend(data), lambda error: ended.set()))
        return wires[0]

    server = await asyncio.get_running_loop().create_server(make, "127.0.0.1", 0)
    sock = socket.create_connection(server.sockets[0].getsockname())
    await until(lambda: wires and wires[0].is_open)
    wires[0].stop(True)
    sock.sendall(b"last word")
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\1\0\0\0\0\0\0\0")
    sock.close()
    await until(lambda: wires[0].has_hung_up)
    wires[0].send(b"an answer, in vain")
    await until(ended.is_set)
    assert heard == b"last word"
    server.close()


async def test_one_peer_writes_the_others_hear_and_who_writes_is_handed_over(far: Far) -> None:
    plan = RelayPlan("l", "listen+tcp://:0", f"tcp://127.0.0.1:{far.port}", several=True)
    async with running(plan) as relay:
        first, second = peer(relay.ends[0].path), peer(relay.ends[0].path)
        await until(lambda: len(relay.ends[0].users) == 2 and far.writers)
        second.sendall(b"not mine to say")
        await until(lambda: relay.ends[0].users[1].passed_over == 15)
        first.sendall(b"said")
        await until(lambda: far.got == b"said")
        far.writers[0].write(b"to both")
        assert await read_all(first, 7) == await read_all(second, 7) == b"to both"
        assert relay.hand_over(relay.ends[0].users[1].name) and not relay.hand_over("nobody")
        second.sendall(b" mine")
        await until(lambda: far.got == b"said mine")
        second.close()
        await until(lambda: len(relay.ends[0].users) == 1 and relay.ends[0].users[0].writes)
        first.close()


async def test_only_those_on_the_list_and_only_one_are_let_in(far: Far, notes: Notes) -> None:
    plan = RelayPlan("l", "listen+tcp://:0", f"tcp://127.0.0.1:{far.port}", allow=("192.0.2.0/24",))
    async with running(plan, notes) as relay:
        assert await read_all(peer(relay.ends[0].path), 1) == b""
        assert any("not on the list" in event.text for event in notes.events)
    async with running(RelayPlan("l", "listen+tcp://:0", f"tcp://127.0.0.1:{far.port}"), notes) as relay:
        held = peer(relay.ends[0].path)
        await until(lambda: relay.ends[0].users)
        second = peer(relay.ends[0].path)
        with contextlib.suppress(ConnectionResetError):
            assert await read_all(second, 1) == b""
        assert any("is there already" in event.text for event in notes.events)
        held.close()


async def test_a_peer_that_sends_no_more_still_hears_the_answer(far: Far) -> None:
    async with running(RelayPlan("l", "listen+tcp://:0", f"tcp://127.0.0.1:{far.port}")) as relay:
        sock = peer(relay.ends[0].path)
        sock.sendall(b"question")
        sock.shutdown(socket.SHUT_WR)
        await until(lambda: far.got == b"question" and far.writers)
        far.writers[0].write(b"answer")
        assert await read_all(sock, 6) == b"answer"
        nxt = peer(relay.ends[0].path)  # the next one need not wait for the first to be gone
        nxt.sendall(b"!")
        await until(lambda: far.got == b"question!")
        nxt.close()
        sock.close()


async def test_a_shell_prompt_beyond_this_computer_stops_the_offer(far: Far) -> None:
    async with running(RelayPlan("l", "listen+tcp://0.0.0.0:0", f"tcp://127.0.0.1:{far.port}")) as relay:
        sock = peer(relay.ends[0].path.replace("0.0.0.0", "127.0.0.1"))
        await until(lambda: far.writers)
        far.writers[0].write(b"Welcome\r\nkeeper@weir-gateway:~$ ")
        await until(lambda: relay.stopped)
        assert "keeper@weir-gateway" in relay.view().fault
        await until(lambda: not relay.ends[0].stands.is_set())
        port = relay.ends[0].path.rpartition(":")[2]
        with pytest.raises(OSError, match="refused"):
            socket.create_connection(("127.0.0.1", int(port)), timeout=5)
        await relay.offer_again()
        await until(relay.ends[0].stands.is_set)
        peer(f"tcp://127.0.0.1:{port}").close()
        sock.close()


async def test_either_side_may_start(far: Far) -> None:
    plan = RelayPlan("e", "virtual:e", "listen+tcp://:0", dials=f"127.0.0.1:{far.port}", retry_s=0.02)
    async with running(plan) as relay:
        await until(lambda: far.writers)  # we were first
        far.writers[0].write(b"hello\n")
        program = Program(relay.ends[0].path)
        assert await program.read_until(b"\n") == b"hello\n"
        far.end()
        await until(lambda: isinstance(relay.ends[1].transport, ListenTransport) and relay.ends[1].transport.call_error)
        caller = peer(relay.ends[1].path)  # now it is
        program.write(b"who calls?")
        assert await read_all(caller, 10) == b"who calls?"
        caller.close()
        program.close()


async def test_a_port_that_is_taken_is_said(far: Far) -> None:
    from ordolex.core.port.endpoint import read_endpoint
    from ordolex.io.transport.listen_rfc2217 import ListenRfc2217Transport

    for transport in (ListenTransport, ListenRfc2217Transport):
        with pytest.raises(PortHeld, match=rf"is taken by \S+ \(process {os.getpid()}\).*choose another port"):
            await transport(read_endpoint(f"listen+tcp://:{far.port}")).open(LineSettings(9600), Ear())


async def test_datagrams_go_to_whoever_sent_last(far: Far) -> None:
    async with running(RelayPlan("d", "listen+udp://:0", f"tcp://127.0.0.1:{far.port}")) as relay:
        host, _, port = relay.ends[0].path.removeprefix("udp://").rpartition(":")
        socks = [socket.socket(socket.AF_INET, socket.SOCK_DGRAM) for _ in range(2)]
        for number, sock in enumerate(socks):
            sock.settimeout(20)
            sock.sendto(f"from {number}".encode(), (host, int(port)))
            await until(lambda number=number: far.got.endswith(f"from {number}".encode()))
            far.writers[0].write(b"to %d" % number)
            assert await asyncio.to_thread(sock.recv, 100) == b"to %d" % number
        assert len(relay.ends[0].users) == 2
        for sock in socks:
            sock.close()


# ---- our own RFC 2217 server, against our own client, and against commands written by hand


async def test_a_port_is_lent_and_its_borrower_sets_it(serve_bench: ServeBench) -> None:
    from ordolex.core.port.endpoint import read_endpoint
    from ordolex.io.transport.rfc2217 import Rfc2217Transport

    bench = await serve_bench(OXYGEN)
    station = bench._benches[0].station
    plan = RelayPlan("r", "listen+rfc2217://:0", bench.notice().devices[0].endpoint, line="9600 8N1")
    async with running(plan) as relay:
        client, ear = Rfc2217Transport(read_endpoint(relay.ends[0].path)), Ear()
        await client.open(LineSettings(19200), ear)
        await until(lambda: station._laptop == LineSettings(19200))
        await client.write(b"*IDN?\n")
        await until(lambda: b"Brookmade" in ear.data)
        assert ear.lines is not None and ear.lines.dcd
        await client.configure(LineSettings(4800))
        await client.write(b"*IDN?\n*IDN?\n")
        await client.configure(LineSettings(19200))
        while True:  # what fell among the bytes of the wrong rate is complained of, once the line was quiet
            ear.data.clear()
            await client.write(b"\n*IDN?\n")
            await until(lambda: ear.data.endswith(b"\n"))
            if b"Brookmade" in ear.data:
                break
        await client.close()
        await until(lambda: not live(relay))


async def test_line_errors_and_breaks_go_through_to_the_borrower(serve_bench: ServeBench) -> None:
    from ordolex.core.port.endpoint import read_endpoint
    from ordolex.io.transport.rfc2217 import Rfc2217Transport

    bench = await serve_bench({"name": "t", "kind": "temperature", "line": "4800 8E1", "interval_s": 0.1})
    plan = RelayPlan("r", "listen+rfc2217://:0", bench.notice().devices[0].endpoint, line="4800 8E1")
    async with running(plan) as relay:
        client, ear = Rfc2217Transport(read_endpoint(relay.ends[0].path)), Ear()
        await client.open(LineSettings(4800), ear)  # parity is not what the device has
        await until(lambda: len(ear.data) > 100)
        await client.configure(LineSettings(9600))
        await until(lambda: ear.errors.framing > 0)
        await client.send_break(0.05)
        await client.close()


async def test_a_storm_of_options_and_nonsense_does_not_stop_the_relay(far: Far) -> None:
    dice = random.Random(2217)
    async with running(RelayPlan("r", "listen+rfc2217://:0", f"tcp://127.0.0.1:{far.port}")) as relay:
        for _ in range(6):
            sock = peer(relay.ends[0].path)
            sock.setblocking(False)
            verbs = bytes((251, 252, 253, 254))
            storm = b"".join(bytes((255, dice.choice(verbs), dice.randrange(256))) for _ in range(5000))
            storm += b"".join(
                b"\xff\xfa\x2c" + dice.randbytes(dice.randrange(0, 9)).replace(b"\xff", b"") + b"\xff\xf0"
                for _ in range(2000)
            )
            sent = 0
            while sent < len(storm):
                try:
                    sent += sock.send(storm[sent:])
                except BlockingIOError:
                    await asyncio.sleep(0.001)
                except OSError:
                    break
            sock.close()
            await until(lambda: not live(relay))
        sock = peer(relay.ends[0].path)
        sock.sendall(b"still here")
        await until(lambda: far.got.endswith(b"still here"))
        sock.close()


SERVED: list[tuple[str, bytes, bytes]] = [
    ("rate asked for", b"\xff\xfa\x2c\x01\x00\x00\x00\x00\xff\xf0", b"\xff\xfa\x2c\x65\x00\x00\x25\x80\xff\xf0"),
    ("rate set", b"\xff\xfa\x2c\x01\x00\x00\x4b\x00\xff\xf0", b"\xff\xfa\x2c\x65\x00\x00\x4b\x00\xff\xf0"),
    ("data bits", b"\xff\xfa\x2c\x02\x07\xff\xf0", b"\xff\xfa\x2c\x66\x07\xff\xf0"),
    ("parity", b"\xff\xfa\x2c\x03\x03\xff\xf0", b"\xff\xfa\x2c\x67\x03\xff\xf0"),
    ("stop bits", b"\xff\xfa\x2c\x04\x02\xff\xf0", b"\xff\xfa\x2c\x68\x02\xff\xf0"),
    ("flow control asked for", b"\xff\xfa\x2c\x05\x00\xff\xf0", b"\xff\xfa\x2c\x69\x01\xff\xf0"),
    ("DTR off", b"\xff\xfa\x2c\x05\x09\xff\xf0", b"\xff\xfa\x2c\x69\x09\xff\xf0"),
    ("DTR asked for", b"\xff\xfa\x2c\x05\x07\xff\xf0", b"\xff\xfa\x2c\x69\x08\xff\xf0"),
    ("purge", b"\xff\xfa\x2c\x0c\x03\xff\xf0", b"\xff\xfa\x2c\x70\x03\xff\xf0"),
    ("signature", b"\xff\xfa\x2c\x00\xff\xf0", b"\xff\xfa\x2c\x64Ordolex relay\xff\xf0"),
]


@pytest.mark.parametrize(("command", "answer"), [row[1:] for row in SERVED], ids=[row[0] for row in SERVED])
async def test_our_server_answers_as_the_standard_says(command: bytes, answer: bytes, serve_bench: ServeBench) -> None:
    """Bytes by RFC 2217 section 3, not by our own encoder."""
    bench = await serve_bench(OXYGEN)
    plan = RelayPlan("r", "listen+rfc2217://:0", bench.notice().devices[0].endpoint, line="9600 8N1")
    async with running(plan) as relay:
        reader, writer = await asyncio.open_connection("127.0.0.1", int(relay.ends[0].path.rpartition(":")[2]))
        writer.write(b"\xff\xfb\x2c" + command)
        got = bytearray()
        async with asyncio.timeout(20):
            while answer not in got:
                got += await reader.read(4096)
        writer.close()


# ---- two ports of ours joined, and listened to


async def test_passive_listening_passes_nothing_on(notes: Notes) -> None:
    from ordolex.io.transport.twins import MemoryTransport

    made: list[MemoryTransport] = []

    def make(endpoint: object) -> MemoryTransport:
        made.append(MemoryTransport())
        return made[-1]

    relay = Relay(RelayPlan("p", "/dev/a", "/dev/b", passive=True), notes, make_transport=make)
    relay.start()
    await relay.standing()
    made[0].say(b"asked")
    made[1].say(b"answered")
    assert notes.bytes("rx") == b"askedanswered" and not made[0].written and not made[1].written
    await relay.stop()


@pytest.mark.parametrize(
    ("a", "b", "why"),
    [
        ("virtual:x y", "tcp://h:1", "no name"),
        ("virtual:x", "virtual:x", "two different"),
        ("tcp://h", "tcp://h:1", "port"),
        ("listen+tcp://here", "tcp://h:1", "port to listen"),
        ("listen+foo://:1", "tcp://h:1", "not known"),
    ],
)
def test_ends_that_cannot_be_are_refused_with_what_would(a: str, b: str, why: str) -> None:
    with pytest.raises(ValueError, match=why):
        check(RelayPlan("n", a, b))
