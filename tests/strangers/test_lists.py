"""Lists and channel tables of devices that page, pause, and break off; what they hold is known."""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable
from typing import Any

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.sheet import read_sheet
from ordolex.core.tables.complete import complete
from ordolex.core.tables.table import Table
from ordolex.io.link.runner import LinkRunner
from ordolex.io.relay.box import read_channels
from ordolex.io.system.faults import Fault
from ordolex.io.transport.twins import MemoryTransport
from ordolex.io.work.lists import pull
from tests.conftest import Notes
from tests.strangers.made_up_clock import run

HEAD = 'name = "d"\ndevice = "d"\nspeaks = "text"\n[line]\nsettings = "9600 8N1"\nsource = "x"\n'


class Lister:
    """Says `lines` after its command, at a line's pace, in pages; `breaks_off` is the line at which it falls silent."""

    def __init__(self, r: random.Random, said: dict[bytes, tuple[list[str], bytes, bytes]]) -> None:
        self.r, self.said = r, said
        self.size = r.choice((1000, 3, 5))
        self.breaks_off: int | None = None
        self.waits: Callable[[], None] | None = None

    def hear(self, transport: MemoryTransport, data: bytes) -> None:
        if self.waits is not None:
            go_on, self.waits = self.waits, None
            go_on()
        elif data in self.said:
            self._page(transport, *self.said[data], 0)

    def _page(self, transport: MemoryTransport, lines: list[str], more: bytes, end: bytes, begin: int) -> None:
        loop, at = asyncio.get_running_loop(), 0.02
        upto = min(len(lines), begin + self.size)
        for number in range(begin, upto):
            if number == self.breaks_off:
                return
            line = lines[number].encode() + b"\r\n"
            cut = self.r.randrange(len(line))
            loop.call_later(at, transport.say, line[:cut])
            at += self.r.choice((0.001, 0.001, 0.4, 1.5))
            loop.call_later(at, transport.say, line[cut:])
            at += self.r.choice((0.01, 0.01, 0.3, 1.2, 3.1))
        if upto == len(lines):
            loop.call_later(at, transport.say, end)
        else:
            loop.call_later(at, transport.say, more)
            self.waits = lambda: self._page(transport, lines, more, end, upto)


async def talked(lister: Lister, do: Callable[[LinkRunner], Any]) -> Any:
    transport = MemoryTransport(lister.hear)
    runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(9600), Notes(), lambda endpoint: transport)
    await runner.open()
    try:
        return await do(runner)
    finally:
        await runner.release()


@pytest.mark.parametrize("seed", range(40))
def test_a_table_of_channels_is_read_whole_or_it_is_said_that_it_is_not(seed: int) -> None:
    r = random.Random(seed)
    lines = [f"ch {n} tcp {4000 + n} mode {r.choice(('A', 'B'))}" for n in range(1, r.choice((2, 4, 8)) + 1)]
    lister = Lister(r, {b"ports\r": (lines, b"", b"\r\n#> ")})
    lister.size = 1000
    lister.breaks_off = r.randrange(len(lines)) if r.random() < 0.4 else None
    text = f"""{HEAD}[channels]
ask = 'ports\\r'
row = 'ch (?P<channel>\\d+) tcp (?P<port>\\d+) mode (?P<mode>\\S+)'
done = '#> $'
mode = [{{ name = "A", gives = "tcp" }}]
"""
    sheet = read_sheet(text, "d")

    async def read(runner: LinkRunner) -> list[int]:
        return [channel.number for channel in await read_channels(runner, sheet)]

    if lister.breaks_off is None:
        assert run(talked(lister, read)) == list(range(1, len(lines) + 1))
    else:
        with pytest.raises(Fault, match="told"):
            run(talked(lister, read))


@pytest.mark.parametrize("seed", range(40))
def test_each_list_of_a_sheet_has_its_own_command_pages_and_end(seed: int) -> None:
    r = random.Random(seed)
    alarms, points = ([f"{kind}{n:03} text {n}" for n in range(1, r.randint(3, 14))] for kind in ("A", "L2."))
    gone = r.randrange(1, len(points) - 1) if len(points) > 3 else None
    key = points.pop(gone).split()[0] if gone is not None else ""
    said = {b"ALM\r": (alarms, b"-- more --", b"OK\r\n"), b"PNT 7\r": (points, b"[go on]", b"END\r\n")}
    lister = Lister(r, said)
    text = f"""{HEAD}[lists]
command = 'PNT {{number}}\\r'
more = "[go on]"
end = 'END\\r\\n'
[[lists.table]]
name = "alarms"
row = '(?P<key>\\S+) (?P<text>.*)'
command = 'ALM\\r'
more = "-- more --"
end = 'OK\\r\\n'
[[lists.table]]
name = "points"
number = 7
row = '(?P<key>\\S+) (?P<text>.*)'
"""
    lists = read_sheet(text, "d").lists
    assert lists is not None

    async def both(runner: LinkRunner) -> list[Table]:
        return [(await pull(runner, lists, one)).table for one in lists.table]

    first, second = run(talked(lister, both))
    assert [row[0] for row in first.rows] == [line.split()[0] for line in alarms] and not first.odd
    assert [row[0] for row in second.rows] == [line.split()[0] for line in points]
    assert complete(second).missing == ((key,) if key else ()) and complete(first).missing == ()


@pytest.mark.parametrize(
    ("keys", "missing"),
    [
        ("L2.009 L2.010 L2.012", ("L2.011",)),
        ("DI1 DI2 DI4 DO1 DO3", ("DI3", "DO2")),
        ("P98 P99 P101", ("P100",)),
        ("V12.5 V12.9 V13.1", ()),  # they number something else than rows
        ("12.5 13.5 14.5", ()),
        ("T1000 T1010 T1020", ()),
        ("end1 end2 fin", ()),
    ],
)
def test_a_gap_in_keys_that_end_in_a_number(keys: str, missing: tuple[str, ...]) -> None:
    found = complete(Table("t", ("key",), tuple((key,) for key in keys.split())))
    assert found.missing == missing
