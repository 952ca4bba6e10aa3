"""Fixtures that many tests share: a home of their own, a bench in this process, a bench as a process."""

from __future__ import annotations

import asyncio
import os
import re
import subprocess
import sys
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from importlib.resources import files
from pathlib import Path

os.environ["ORDOLEX_CHECK_OWNERS"] = "1"  # before anything of the program is imported; its children inherit it

import pytest
from hypothesis import settings

from ordolex.bench.plan import Plan
from ordolex.bench.serve import Bench
from ordolex.core.link.judge import LineErrors
from ordolex.core.port.bench_notice import BenchNotice, decode
from ordolex.core.record.items import Event
from ordolex.io.transport.base import ModemLines

settings.register_profile("ordolex", deadline=None)  # no property fails because the machine was busy for a moment
settings.load_profile("ordolex")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Those that mostly wait, for a terminal, are spread among those that reckon, so that there is something to reckon
    while they wait."""
    waits = [item for item in items if item.get_closest_marker("terminal")]
    reckons = [item for item in items if not item.get_closest_marker("terminal")]
    places = [(at / len(kind), item) for kind in (waits, reckons) for at, item in enumerate(kind)]
    items[:] = [item for _, item in sorted(places, key=lambda place: place[0])]


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """No test reads or writes the files of whoever runs it, nor meets another test's bench. None passes over a fault of
    the program's own, wherever it was said."""
    for name in ("XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_RUNTIME_DIR", "XDG_CACHE_HOME", "XDG_CONFIG_HOME"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.setenv("PYTHONFAULTHANDLER", "1")
    yield
    log = tmp_path / ".local" / "state" / "ordolex" / "faults.log"
    assert not log.exists(), log.read_text()


class Notes:
    """A recorder that keeps what it is told, in order."""

    def __init__(self) -> None:
        self.full = False
        self.passed: list[tuple[str, bytes, LineErrors | None]] = []
        self.events: list[Event] = []

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self.passed.append((direction, data, errors))

    def note(self, event: Event) -> None:
        self.events.append(event)

    def bytes(self, direction: str) -> bytes:
        return b"".join(data for way, data, _ in self.passed if way == direction)

    def kinds(self) -> list[str]:
        return [event.kind for event in self.events]


@pytest.fixture
def notes() -> Notes:
    return Notes()


class Ear:
    """A transport's listener that keeps what it hears."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.errors = LineErrors()
        self.arrivals: list[tuple[bytes, LineErrors | None]] = []
        self.lines: ModemLines | None = None
        self.fault: Exception | None = None

    def arrived(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self.arrivals.append((data, errors))
        self.data += data
        if errors is not None:
            self.errors.add(errors)

    def modem_lines(self, lines: ModemLines) -> None:
        self.lines = lines

    def lost(self, fault: Exception) -> None:
        assert self.fault is None, "a transport is lost once"
        self.fault = fault


@pytest.fixture
def ear() -> Ear:
    return Ear()


async def until(condition: Callable[[], object], seconds: float = 30.0) -> None:
    """Waits for a condition under a limit; never a bare sleep."""
    async with asyncio.timeout(seconds):
        while not condition():
            await asyncio.sleep(0.005)


ServeBench = Callable[..., Awaitable[Bench]]


@pytest.fixture
async def serve_bench() -> AsyncIterator[ServeBench]:
    """`await serve_bench({name, kind, line, …}, …)`: a bench in this event loop."""
    benches: list[Bench] = []

    async def serve(*devices: dict[str, object]) -> Bench:
        bench = Bench(Plan.model_validate({"device": list(devices)}), lambda notice: None)
        await bench.start()
        benches.append(bench)
        return bench

    yield serve
    for bench in benches:
        await bench.stop()


OXYGEN: dict[str, object] = {"name": "oxygen", "kind": "oxygen", "line": "19200 8N1"}
TALKER: dict[str, object] = {"name": "talker", "kind": "temperature", "line": "4800 8N1", "interval_s": 0.2}
PLUG: dict[str, object] = {"name": "plug", "kind": "echo", "line": "any"}


def own_network() -> str:
    """Three numbers of a loopback network that no other test uses at the same time."""
    number = os.getpid()
    return f"127.{20 + number % 200}.{number // 200 % 250}"


def program(*arguments: str) -> list[str]:
    return [sys.executable, "-m", "ordolex", *arguments]


@pytest.fixture
def bench_process(tmp_path: Path) -> Iterator[BenchNotice]:
    """The demo bench as a process of its own, on free ports: a fixed one that is let go for a moment, as when a port is
    pulled, could be taken by the bench of a test that runs beside this one."""
    ready, plan = tmp_path / "ready.json", tmp_path / "plan.toml"
    demo = files("ordolex.bench").joinpath("alder_brook.toml").read_text()
    plan.write_text(re.sub(r"port = \d+", "port = 0", demo).replace("127.20.0.44", f"{own_network()}.44"))
    silent = (
        'name = "Weir box"\nannounced = false'  # two boxes of one name on one network would have to agree who it is
    )
    plan.write_text(plan.read_text().replace('name = "Weir box"\n', silent + "\n"))
    process = subprocess.Popen(
        program("bench", "--with-parent", "--ready-file", str(ready), "--plan", str(plan)),
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        env=os.environ.copy(),
    )
    deadline = time.monotonic() + 20
    while not ready.exists():
        assert process.poll() is None, "the bench ended before it was ready"
        assert time.monotonic() < deadline
        time.sleep(0.02)
    yield decode(ready.read_text())
    assert process.stdin is not None
    process.stdin.close()
    assert process.wait(timeout=10) == 0
