"""Rounds: how late the scheduler is and what it costs, how near a line comes to what it can carry, and what the store
takes. Ratios within one run; nothing here passes or fails.

    python benchmarks/watch.py [schedule|screen|line|store|memory|kill] …
"""

from __future__ import annotations

import asyncio
import fcntl
import json
import os
import pty
import random
import signal
import sqlite3
import statistics
import struct
import subprocess
import sys
import tempfile
import termios
import time
import tracemalloc
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ordolex.bench.plan import Plan
from ordolex.bench.serve import Bench
from ordolex.core.line.notation import read_line
from ordolex.core.watch.round import Round, RoundItem, RoundLink, as_toml
from ordolex.core.watch.samples import Quality, Sample
from ordolex.io.book.book import Book
from ordolex.io.book.values import Item
from ordolex.io.link.runner import LinkRunner, closed
from ordolex.io.watch.watch import Watch

DAY_US = 86_400_000_000
START_US = 1_790_000_000_000_000 // 3_600_000_000 * 3_600_000_000


def percentile(values: list[float], share: float) -> float:
    return sorted(values)[min(len(values) - 1, int(share * len(values)))]


@contextmanager
def book() -> Iterator[Book]:
    with tempfile.TemporaryDirectory() as folder:
        made = Book(Path(folder) / "b.ordolex")
        try:
            yield made
        finally:
            made.close()


class Answering:
    """Units on Modbus/TCP that answer each question at once, in a process of their own."""

    def __init__(self, links: int) -> None:
        script = (
            "import asyncio,sys\n"
            "async def serve(r,w):\n"
            "    try:\n"
            "        while head := await r.readexactly(12):\n"  # MBAP header, function, address, count
            "            w.write(head[:4] + b'\\0\\5' + head[6:8] + b'\\2' + head[8:10])\n"
            "    except (OSError, asyncio.IncompleteReadError): pass\n"
            "async def main():\n"
            "    s=[await asyncio.start_server(serve,'127.0.0.1',0) for _ in range(int(sys.argv[1]))]\n"
            "    print(*[x.sockets[0].getsockname()[1] for x in s],flush=True)\n"
            "    await asyncio.sleep(3600)\n"
            "asyncio.run(main())\n"
        )
        self._process = subprocess.Popen([sys.executable, "-c", script, str(links)], stdout=subprocess.PIPE, text=True)
        assert self._process.stdout is not None
        self.ports = [int(word) for word in self._process.stdout.readline().split()]

    def stop(self) -> None:
        self._process.kill()
        self._process.wait()


def large_round(ports: list[int]) -> Round:
    """500 items, so far apart that each has a question of its own."""
    links = [RoundLink(name=f"L{n}", endpoint=f"tcp://127.0.0.1:{port}") for n, port in enumerate(ports)]
    items = [
        RoundItem.model_validate(
            {"name": f"i{n}", "link": f"L{n % len(ports)}", "modbus": {"at": f"holding {n // 16 * 50}"}, "unit_id": 1}
        )
        for n in range(500)
    ]
    return Round(name="r", link=links, item=items)


def screen() -> None:
    """The same round in the program itself, on a pseudo-terminal of 128 x 40, with table and chart in front."""
    answering = Answering(16)
    with tempfile.TemporaryDirectory() as folder:
        path, told = Path(folder) / "b.ordolex", Path(folder) / "told.json"
        made = Book(path)
        made.keep_round("r", as_toml(large_round(answering.ports)))
        made.close()
        pid, fd = pty.fork()
        if pid == 0:
            os.environ.update(HOME=folder, TERM="xterm-256color", COLORTERM="truecolor")
            os.execv(sys.executable, [sys.executable, __file__, "within", str(path), str(told)])
        fcntl.ioctl(fd, termios.TIOCSWINSZ, struct.pack("4H", 40, 128, 0, 0))
        drawn = 0
        while True:
            try:
                drawn += len(os.read(fd, 65_536))
            except OSError:
                break
        os.waitpid(pid, 0)
        late, share, count = json.loads(told.read_text())
    answering.stop()
    print(
        f"500 items, 16 links, 1 s, with the interface: late {statistics.median(late) * 1000:.1f} ms at the median,"
        f" {percentile(late, 0.95) * 1000:.1f} ms at 95 % (aim 20); {share:.0%} of a core (aim 35), {count} values,"
        f" {drawn} bytes drawn"
    )


def within() -> None:
    """The program, told by nobody but the clock; for `screen`."""
    from ordolex.tui.app import OrdolexApp

    path, told = (Path(text) for text in sys.argv[2:4])
    kept = Book(path)
    app = OrdolexApp(kept)

    async def measure(pilot: object) -> None:
        while "Watch" not in app.desks:
            await asyncio.sleep(0.1)
        await asyncio.wrap_future(app.session.watches.start("r"))
        app.show_desk("Watch")
        watch = app.session.watches.watch
        assert watch is not None
        while any(state.count < 1 for state in watch.states.values()):
            await asyncio.sleep(0.1)
        await asyncio.sleep(3)
        began, used = time.perf_counter(), time.process_time()
        await asyncio.sleep(12)
        share = (time.process_time() - used) / (time.perf_counter() - began)
        late = [s for work in watch.works for turn in work.schedule.turns for s in list(turn.late_s)[-11:]]
        told.write_text(json.dumps([late, share, sum(state.count for state in watch.states.values())]))
        app.exit()

    app.run(auto_pilot=measure)
    kept.close()


def schedule() -> None:
    """500 items on 16 links at 1 s by Modbus/TCP, so far apart that each has a question of its own."""
    answering = Answering(16)
    round_ = large_round(answering.ports)
    links, items = round_.link, round_.item

    async def run(kept: Book) -> tuple[list[float], float, int]:
        runners = {}
        for number, link in enumerate(links, 1):
            runners[link.name] = (
                number,
                LinkRunner(number, link.endpoint, read_line("115200 8N1").settings, kept.recorder),
            )
            await runners[link.name][1].open()
        ids = kept.items_for([Item(0, "r", i.name, 1, "", "", 1.0) for i in items])
        watch = Watch(round_, runners, {}, ids, kept.recorder)
        watch.start()
        await asyncio.sleep(3)
        began, used = time.perf_counter(), time.process_time()
        await asyncio.sleep(12)
        share = (time.process_time() - used) / (time.perf_counter() - began)
        late = [s for work in watch.works for turn in work.schedule.turns for s in list(turn.late_s)[-11:]]
        await watch.stop()
        await closed(*(runner for _, runner in runners.values()))
        return late, share, sum(state.count for state in watch.states.values())

    with book() as kept:
        late, share, count = asyncio.run(run(kept))
    answering.stop()
    print(
        f"500 items, 16 links, 1 s: late {statistics.median(late) * 1000:.1f} ms at the median,"
        f" {percentile(late, 0.95) * 1000:.1f} ms at 95 % (aim 20); {share:.0%} of a core, no interface; {count} values"
    )


def line() -> None:
    """As many polls a second as one Modbus line gives, against what bits and the device's turn-round allow."""

    async def run(kept: Book) -> tuple[float, float]:
        device = {"name": "bus", "kind": "bus", "line": "19200 8E1", "units": [3]}
        bench = Bench(Plan.model_validate({"device": [device]}), lambda notice: None)
        await bench.start()
        endpoint = bench.notice().devices[0].endpoint
        runner = LinkRunner(1, endpoint, read_line("19200 8E1").settings, kept.recorder)
        await runner.open()
        item = {"name": "x", "link": "L", "modbus": {"at": "40001"}, "unit_id": 3, "every_s": 0.02}
        link = RoundLink(name="L", endpoint=endpoint)
        round_ = Round(name="r", link=[link], item=[RoundItem.model_validate(item)])
        ids = kept.items_for([Item(0, "r", "x", 1, "", "", 0.02)])
        watch = Watch(round_, {"L": (1, runner)}, {}, ids, kept.recorder)
        watch.start()
        await asyncio.sleep(2)
        before, began = watch.states["x"].count, time.perf_counter()
        await asyncio.sleep(10)
        rate = (watch.states["x"].count - before) / (time.perf_counter() - began)
        plan = watch.works[0].plan()
        await watch.stop()
        await closed(runner)
        await bench.stop()
        return rate, 1 / plan.seconds[0]

    with book() as kept:
        rate, possible = asyncio.run(run(kept))
    print(f"one Modbus line: {rate:.1f} polls a second of {possible:.1f} possible: {rate / possible:.0%} (aim 95 %)")


def store(millions: float = 10.0) -> None:
    """10 million values: written, opened, a year drawn, an hour read; beside plain scans of the same rows."""
    count = int(millions * 1_000_000)
    dice = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "big.ordolex"
        made = Book(path)
        every_us = 3_156_000  # so that ten million fill a year
        number = made.items_for([Item(0, "r", "x", 1, "C", "?", every_us / 1e6)])["x"]
        began, level = time.perf_counter(), 9.0
        for first in range(0, count, 50_000):
            samples = []
            for n in range(first, min(count, first + 50_000)):
                level += dice.gauss(0, 0.02) + (9 - level) * 0.001
                samples.append(Sample(number, START_US + n * every_us, round(level, 2), Quality.GOOD))
            made.recorder.values(samples, [])
            made.recorder.call(lambda c: None).result(60)
        wrote = time.perf_counter() - began
        made.close()
        size = path.stat().st_size
        with tempfile.TemporaryDirectory() as other:
            empty = Path(other) / "e.ordolex"
            Book(empty).close()
            nothing = opened(empty)
            size -= empty.stat().st_size
        full = opened(path)
        made = Book(path)
        values = made.reader.values
        last = START_US + count * every_us
        year = timed(lambda: values.columns(number, START_US, last, 120))
        hour_at = START_US + count // 2 * every_us
        hour = timed(lambda: list(values.between(number, hour_at, hour_at + 3_600_000_000)))
        connection = sqlite3.connect(path)
        scan = timed(lambda: connection.execute("SELECT min(value), max(value) FROM value").fetchall(), 1)
        connection.close()
        made.close()
    print(
        f"{count:,} values: {size / count:.1f} bytes each on disk (aim 24), {count / wrote:,.0f} written a second;"
        f" opened in {full * 1000:.0f} ms, an empty book in {nothing * 1000:.0f}"
    )
    print(
        f"a year drawn in {year * 1000:.1f} ms (aim 100), any hour in {hour * 1000:.1f} ms (aim 30);"
        f" a plain scan of all takes {scan * 1000:.0f} ms, {scan / year:.0f} times as long as the year"
    )


def opened(path: Path) -> float:
    began = time.perf_counter()
    made = Book(path)
    took = time.perf_counter() - began
    made.close()
    return took


def timed(work: object, times: int = 7) -> float:
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()  # type: ignore[operator]
        took.append(time.perf_counter() - began)
    return statistics.median(took)


def memory() -> None:
    """A day of ten items at 5 s, in fast time: what is held grows by so much an hour."""
    from ordolex.core.watch.extract import Extracted

    class Kept:
        def values(self, samples: object, messages: object) -> None:
            pass

        def note(self, event: object) -> None:
            pass

    items = [RoundItem(name=f"i{n}", link="L", ask="?", low=0.2) for n in range(10)]
    round_ = Round(name="r", link=[RoundLink(name="L", endpoint="/dev/none")], item=items)
    watch = Watch(round_, {}, {}, {i.name: n for n, i in enumerate(items)}, Kept())  # type: ignore[arg-type]
    dice, held = random.Random(2), []
    tracemalloc.start()
    for second in range(0, 86_400, 5):
        watch.took({i.name: Extracted(dice.random()) for i in items}, float(second))
        if second % 3600 == 3595:
            held.append(tracemalloc.get_traced_memory()[0])
    tracemalloc.stop()
    slope = (held[-1] - held[3]) / (len(held) - 4)
    print(
        f"a day in fast time: {held[3] / 1e6:.2f} MB after 4 h, {held[-1] / 1e6:.2f} MB after 24 h,"
        f" {slope:+.0f} bytes an hour"
    )


def kill() -> None:
    """What a kill -9 loses."""
    lost = []
    for _ in range(8):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "k.ordolex"
            script = (
                "import sys,time\nfrom pathlib import Path\nfrom ordolex.io.book.book import Book\n"
                "from ordolex.io.book.values import Item\nfrom ordolex.core.watch.samples import Sample,Quality\n"
                "from ordolex.io.system.clock import utc_us\nb=Book(Path(sys.argv[1]))\n"
                "n=b.items_for([Item(0,'r','x',1,'','',0.01)])['x']\n"
                "while True:\n    now=utc_us()\n    b.recorder.values([Sample(n,now,1.0,Quality.GOOD)],[])\n"
                "    print(now,flush=True)\n    time.sleep(0.002)\n"
            )
            process = subprocess.Popen([sys.executable, "-c", script, str(path)], stdout=subprocess.PIPE, text=True)
            assert process.stdout is not None
            for _ in range(600):
                last = int(process.stdout.readline())
            os.kill(process.pid, signal.SIGKILL)
            rest = [int(text) for text in process.stdout.read().splitlines() if len(text) == len(str(last))]
            process.wait()
            (kept,) = sqlite3.connect(path).execute("SELECT max(key) & 4398046511103 FROM value").fetchone()
            lost.append(max([last, *rest]) / 1000 - kept)
    print(
        f"kill -9 loses {statistics.median(lost):.0f} ms at the median, {max(lost):.0f} ms at most of {len(lost)}"
        " (aim 250)"
    )


PARTS = {"schedule": schedule, "screen": screen, "line": line, "store": store, "memory": memory, "kill": kill}

if __name__ == "__main__":
    if sys.argv[1:2] == ["within"]:
        within()
    else:
        for name in sys.argv[1:] or PARTS:
            PARTS[name]()
