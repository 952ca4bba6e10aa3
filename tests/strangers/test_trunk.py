"""Unit scans on lines with another master, two units of one address, and units that are not there."""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.io.device.roll_call import TextCaller
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from ordolex.session.units import listen_and_call
from tests.conftest import Notes
from tests.strangers.made_up_clock import run


class Trunk:
    """`?nnI` is answered `=nn NAME`; the other master asks one of them every few seconds."""

    def __init__(self, seed: int) -> None:
        r = self.random = random.Random(seed)
        self.here = set(r.sample(range(1, 13), 5))
        self.twice = r.choice(sorted(self.here)) if r.random() < 0.5 else 0
        self.every_s = r.choice((0.0, 0.0, 1.1, 2.3, 4.0))
        self.form: Callable[[int], str] = r.choice(
            (
                lambda unit: f"={unit:02d} ZONE ok",
                lambda unit: f"{unit:02d}: 21.5",
                lambda unit: f"ZONE-{unit} {unit * 3}",
            )
        )
        self.sent: list[int] = []
        self._line = b""

    def hear(self, transport: MemoryTransport, data: bytes) -> None:
        self._line += data
        while b"\r" in self._line:
            line, self._line = self._line.split(b"\r", 1)
            unit = int(line[1:3])
            self.sent.append(unit)
            if unit in self.here:
                answer = f"{self.form(unit)}\r\n".encode()
                asyncio.get_running_loop().call_later(0.02, transport.say, answer)
                if unit == self.twice:
                    asyncio.get_running_loop().call_later(0.03, transport.say, answer)

    def master(self, transport: MemoryTransport) -> None:
        loop = asyncio.get_running_loop()
        unit = min(self.here)
        transport.say(f"?{unit:02d}P\r".encode())
        loop.call_later(0.015, transport.say, f"={unit:02d} P 41 88\r\n".encode())
        loop.call_later(self.every_s, self.master, transport)


@pytest.mark.parametrize("seed", range(60))
def test_who_answers_is_who_is_there_whoever_else_speaks(seed: int) -> None:
    trunk = Trunk(seed)
    beside = bool(seed % 2)

    async def call() -> None:
        transport = MemoryTransport(trunk.hear)
        runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(9600), Notes(), lambda endpoint: transport)
        await runner.open()
        if trunk.every_s:
            asyncio.get_running_loop().call_later(trunk.random.uniform(0.1, 3.0), trunk.master, transport)
        units = [f"{number:02d}" for number in range(1, 13)]
        caller = TextCaller(runner, b"?{unit}I\r", 0.3)
        called, others = await listen_and_call(caller, units, lambda one: None, beside_others=beside)
        right = {int(one.unit) for one in called if one.right and not one.doubled}
        assert right <= trunk.here - {trunk.twice}, [one for one in called if one.right]
        assert bool(others) is bool(trunk.every_s and not beside), others
        if not trunk.every_s:
            assert right == trunk.here - {trunk.twice}
            assert {int(one.unit) for one in called if one.doubled} == trunk.here & {trunk.twice}
        if others:
            assert len(set(trunk.sent)) < len(units), "once it was seen, no more was sent into that"
        await runner.release()

    run(call())
