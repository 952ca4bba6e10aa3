"""How fast a relay is, all as ratios within one run, or against what the same machine does without one.

python benchmarks/relay.py            everything, about two minutes
python benchmarks/relay.py delay      one of: delay, set, throughput, eight, survey, hangups
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import random
import socket
import statistics
import subprocess
import sys
import tempfile
import termios
import threading
import time
import tty
from ipaddress import IPv4Network
from pathlib import Path

from ordolex.core.line.settings import LineSettings
from ordolex.core.record.items import LinkRecord
from ordolex.core.relay.plan import RelayPlan
from ordolex.io.book.book import Book
from ordolex.io.book.nowhere import NoBook
from ordolex.io.net.survey import survey
from ordolex.io.relay.relay import Relay
from ordolex.io.transport.open import transport_for
from ordolex.io.transport.twins import MemoryTransport

TRIPS = 2000
BLOCK = 64 << 20
RATE = 92_160  # bytes a second of 921600 8N1


def opened(path: str) -> int:
    fd = os.open(path, os.O_RDWR | os.O_NOCTTY)
    tty.setraw(fd)
    return fd


def write_all(fd: int, data: bytes) -> None:
    view = memoryview(data)
    while view:
        view = view[os.write(fd, view) :]


def echoing() -> tuple[socket.socket, int]:
    """A server that gives back what it is told, in a thread of its own."""
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                peer, _ = listener.accept()
            except OSError:
                return
            peer.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            with peer:
                while data := peer.recv(65_536):
                    peer.sendall(data)

    threading.Thread(target=serve, daemon=True).start()
    return listener, listener.getsockname()[1]


class InThread:
    """A relay in an event loop of its own, as the interface has it."""

    def __init__(self, plan: RelayPlan, book: Book | None = None, **more: object) -> None:
        self.loop = asyncio.new_event_loop()
        threading.Thread(target=self.loop.run_forever, daemon=True).start()
        links = (1, 2)
        if book is not None:
            made = [book.add_link(LinkRecord(0, end.text, end.text)) for end in plan.ends]
            links = (made[0].id, made[1].id)
        self.relay = Relay(plan, book.recorder if book is not None else NoBook(), links, **more)  # type: ignore[arg-type]
        self.run(self._start())

    async def _start(self) -> None:
        self.relay.start()
        await self.relay.standing()

    def run(self, work: object) -> object:
        return asyncio.run_coroutine_threadsafe(work, self.loop).result(60)  # type: ignore[arg-type]

    def stop(self) -> None:
        self.run(self.relay.stop())
        self.loop.call_soon_threadsafe(self.loop.stop)


def trips(write: object, read: object) -> list[float]:
    took = []
    for _ in range(TRIPS):
        began = time.perf_counter()
        write(b"x")  # type: ignore[operator]
        read(1)  # type: ignore[operator]
        took.append((time.perf_counter() - began) * 1000)
    return took


def delay() -> None:
    listener, port = echoing()
    bare = socket.create_connection(("127.0.0.1", port))
    bare.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    plain = statistics.median(trips(bare.sendall, bare.recv))
    bare.close()
    print(f"1 byte there and back, median of {TRIPS}: bare socket {plain:.3f} ms")
    for near in ("listen+tcp://:0", "virtual:bench-delay"):
        going = InThread(RelayPlan("d", near, f"tcp://127.0.0.1:{port}"))
        path = going.relay.ends[0].path
        if near.startswith("virtual"):
            fd = opened(path)
            took = trips(lambda data, fd=fd: os.write(fd, data), lambda n, fd=fd: os.read(fd, n))
            os.close(fd)
        else:
            sock = socket.create_connection(("127.0.0.1", int(path.rpartition(":")[2])))
            sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            took = trips(sock.sendall, sock.recv)
            sock.close()
        middle = statistics.median(took)
        print(f"  {near:22} {middle:.3f} ms: {(middle - plain) / 2:.3f} ms added each way at the median (aim: 1 ms)")
        going.stop()
    listener.close()


def settings() -> None:
    """From tcsetattr until the far end was told."""
    told: list[float] = []

    class Told(MemoryTransport):
        async def configure(self, line: LineSettings) -> None:
            told.append(time.perf_counter())
            await super().configure(line)

    twin = Told()
    going = InThread(
        RelayPlan("s", "virtual:bench-set", "/dev/made-up"),
        make_transport=lambda e: twin if e.kind == "serial" else transport_for(e),
    )
    fd = opened(going.relay.ends[0].path)
    time.sleep(0.3)
    took = []
    for number in range(200):
        modes = termios.tcgetattr(fd)
        modes[4] = modes[5] = (termios.B19200, termios.B9600)[number % 2]
        told.clear()
        began = time.perf_counter()
        termios.tcsetattr(fd, termios.TCSANOW, modes)
        while not told:
            time.sleep(0.0002)
        took.append((told[0] - began) * 1000)
    took.sort()
    print(f"from tcsetattr to the far end: median {took[100]:.2f} ms, 95 % {took[190]:.2f} ms, worst {took[-1]:.2f} ms")
    os.close(fd)
    going.stop()


def throughput() -> None:
    """A virtual port to TCP, recorded, beside `cat` between the same two."""
    size = BLOCK
    for name in ("cat", "relay, recorded"):
        listener = socket.create_server(("127.0.0.1", 0))
        port = listener.getsockname()[1]
        counted = []

        def count(listener: socket.socket = listener, counted: list[int] = counted) -> None:
            peer, _ = listener.accept()
            got = 0
            with peer:
                while got < size and (data := peer.recv(1 << 16)):
                    got += len(data)
            counted.append(got)

        counting = threading.Thread(target=count)
        counting.start()
        with tempfile.TemporaryDirectory() as folder:
            book, going, cat = None, None, None
            if name == "cat":
                master, slave = os.openpty()
                tty.setraw(slave)
                cat = subprocess.Popen(["bash", "-c", f"exec cat > /dev/tcp/127.0.0.1/{port}"], stdin=master)
                fd = slave
            else:
                book = Book(Path(folder) / "b.ordolex")
                going = InThread(RelayPlan("t", "virtual:bench-through", f"tcp://127.0.0.1:{port}"), book)
                fd = opened(going.relay.ends[0].path)
            block = random.Random(1).randbytes(1 << 20)
            began = time.perf_counter()
            for _ in range(size >> 20):
                write_all(fd, block)
            counting.join()
            rate = size / (time.perf_counter() - began) / 1e6
            print(f"virtual port → TCP, {name:16} {rate:7.1f} MB/s   {counted[0] == size}")
            os.close(fd)
            if cat is not None:
                cat.kill()
                os.close(master)
            if going is not None:
                going.stop()
            if book is not None:
                book.close()
        listener.close()


def eight() -> None:
    """Eight relays at 921600 both ways in a process of their own: every byte, and the share of a core. Programs and
    devices are played by one thread that comes round every 4 ms, as adapters do."""
    seconds, tick_s = 10, 0.004
    listeners = [socket.create_server(("127.0.0.1", 0)) for _ in range(8)]
    ports = [listener.getsockname()[1] for listener in listeners]
    with tempfile.TemporaryDirectory() as folder:
        code = (
            "import sys, asyncio; sys.path.insert(0, 'benchmarks'); from relay import serve_eight;"
            f"asyncio.run(serve_eight({ports}, {folder!r}))"
        )
        serving = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
        assert serving.stdout is not None
        programs = [opened(path) for path in serving.stdout.readline().split()]
        devices = [listener.accept()[0].detach() for listener in listeners]
        for fd in (*programs, *devices):
            os.set_blocking(fd, False)
        dice = random.Random(8)
        flows = [(one, other) for pair in zip(programs, devices, strict=True) for one, other in (pair, pair[::-1])]
        sent, got = [bytearray() for _ in flows], [bytearray() for _ in flows]
        time.sleep(0.5)
        before, began = cpu(serving.pid), time.perf_counter()
        while True:
            now = time.perf_counter() - began
            for number, (source, to) in enumerate(flows):
                due = int(min(now, seconds) * RATE) - len(sent[number])
                with contextlib.suppress(BlockingIOError):
                    if due > 0:
                        piece = dice.randbytes(due)
                        sent[number] += piece[: os.write(source, piece)]
                with contextlib.suppress(BlockingIOError):
                    got[number] += os.read(to, 65_536)
            if now > seconds + 10 or (now > seconds and all(map(len_of_same, sent, got))):
                break
            time.sleep(max(0.0, tick_s - (time.perf_counter() - began - now)))
        share = (cpu(serving.pid) - before) / (time.perf_counter() - began)
        whole = sent == got and all(len(one) > 0.98 * seconds * RATE for one in sent)
        print(f"eight relays at 921600 both ways, recorded: every byte {whole}, {share:.0%} of a core (aim: 60 %)")
        serving.kill()
        serving.wait()
    for fd in (*programs, *devices):
        os.close(fd)
    for listener in listeners:
        listener.close()


def len_of_same(one: bytearray, other: bytearray) -> bool:
    return len(one) == len(other)


async def serve_eight(ports: list[int], folder: str) -> None:
    book = Book(Path(folder) / "b.ordolex")
    relays = []
    for number, port in enumerate(ports):
        plan = RelayPlan(f"e{number}", f"virtual:bench-{number}", f"tcp://127.0.0.1:{port}")
        made = [book.add_link(LinkRecord(0, end.text, end.text)) for end in plan.ends]
        relays.append(Relay(plan, book.recorder, (made[0].id, made[1].id)))
    for relay in relays:
        relay.start()
        await relay.standing()
    print(" ".join(relay.ends[0].path for relay in relays), flush=True)
    await asyncio.sleep(120)


def cpu(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def sweep() -> None:
    began = time.perf_counter()
    hosts = asyncio.run(survey(IPv4Network("127.88.0.0/24"), lambda host: None))
    print(f"survey of a /24 on loopback: {time.perf_counter() - began:.2f} s, {len(hosts)} hosts (aim: 5 s)")


def hangups() -> None:
    """1,000 hang-ups of the program and 1,000 of the far end: every byte, descriptors and tasks."""
    got, writers = bytearray(), []
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                peer, _ = listener.accept()
            except OSError:
                return
            writers.append(peer)
            with contextlib.suppress(OSError):  # hung up under its feet
                while data := peer.recv(65_536):
                    got.extend(data)

    threading.Thread(target=serve, daemon=True).start()
    going = InThread(RelayPlan("h", "virtual:bench-hang", f"tcp://127.0.0.1:{listener.getsockname()[1]}", retry_s=0.01))
    path = going.relay.ends[0].path

    def standing() -> tuple[int, int]:
        return len(list(Path("/proc/self/fd").iterdir())), len(asyncio.all_tasks(going.loop))

    time.sleep(0.5)
    before = standing()
    program_hangs_up(path, got)
    got.clear()
    far_end_hangs_up(path, got, writers)
    until = time.perf_counter() + 10
    while time.perf_counter() < until and standing() > before:
        time.sleep(0.1)
    print(f"descriptors and tasks before {before}, after {standing()}")
    going.stop()
    listener.close()


def program_hangs_up(path: str, got: bytearray) -> None:
    sent, dice, began = bytearray(), random.Random(9), time.perf_counter()
    for _ in range(1000):
        fd = opened(path)
        piece = dice.randbytes(dice.randrange(1, 2000))
        write_all(fd, piece)
        sent += piece
        os.close(fd)
    while len(got) < len(sent) and time.perf_counter() - began < 60:
        time.sleep(0.01)
    print(f"1,000 hang-ups of the program in {time.perf_counter() - began:.1f} s: every byte {got == sent}")


def far_end_hangs_up(path: str, got: bytearray, writers: list[socket.socket]) -> None:
    fd, sent, began = opened(path), bytearray(), time.perf_counter()
    for number in range(1000):
        piece = f"block {number} ".encode()
        write_all(fd, piece)
        sent += piece
        while len(got) < len(sent):
            time.sleep(0.0005)
        count = len(writers)
        writers[-1].shutdown(socket.SHUT_RDWR)
        while len(writers) == count:
            time.sleep(0.0005)
    os.close(fd)
    print(f"1,000 hang-ups of the far end in {time.perf_counter() - began:.1f} s: every byte {got == sent}")
    for one in writers[:-1]:
        one.close()


PARTS = {"delay": delay, "set": settings, "throughput": throughput, "eight": eight, "survey": sweep, "hangups": hangups}

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as home:
        os.environ["HOME"] = os.environ["XDG_STATE_HOME"] = home
        for part in sys.argv[1:] or PARTS:
            PARTS[part]()
