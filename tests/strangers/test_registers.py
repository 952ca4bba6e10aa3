"""Registers of devices whose answers come twice, the second cut short, late, or in pieces."""

from __future__ import annotations

import asyncio
import random

import pytest

from ordolex.core.device.setting import Outcome
from ordolex.core.line.settings import LineSettings
from ordolex.core.sheet import read_sheet
from ordolex.io.device.settings import device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes
from tests.io.test_late_answers import crc
from tests.strangers.made_up_clock import run

REGISTERS = "\n".join(f'[[parameter]]\nname = "r{n}"\nmodbus = {{ at = "holding {n * 20}" }}' for n in range(8))


def sheet_text(speaks: str) -> str:
    text = f'name = "d"\ndevice = "d"\nspeaks = "{speaks}"\n[line]\nsettings = "9600 8N1"\nsource = "x"\n'
    return f"{text}[bus]\nunit = 4\ntimeout_s = 0.3\nretries = 1\ngap = 0\n{REGISTERS}"


@pytest.mark.parametrize("speaks", ["modbus-rtu", "modbus-ascii"])
@pytest.mark.parametrize("part", range(3))
def test_a_duplicate_cut_short_is_never_the_next_registers_value(speaks: str, part: int) -> None:
    for seed in range(part * 60, part * 60 + 60):
        r = random.Random(seed)
        values = {n * 20: r.randint(0, 0xFFFF) for n in range(8)}
        late, cut_late = r.choice((0.0, 0.0, 0.2, 0.5)), r.choice((0.0, 0.03, 0.15, 0.31))
        ascii_ = speaks == "modbus-ascii"

        def framed(body: bytes, ascii_: bool = ascii_) -> bytes:
            if not ascii_:
                return body + crc(body)
            return b":" + (body + bytes([-sum(body) & 0xFF])).hex().upper().encode() + b"\r\n"

        def hear(
            transport: MemoryTransport, data: bytes, r: random.Random = r, values: dict[int, int] = values,
            ascii_: bool = ascii_, late: float = late, cut_late: float = cut_late,
        ) -> None:  # fmt: skip
            body = bytes.fromhex(data[1:-2].decode())[:-1] if ascii_ else data[:-2]
            address = int.from_bytes(body[2:4])
            answer = framed(body[:2] + b"\x02" + values[address].to_bytes(2))
            loop = asyncio.get_running_loop()
            after = 0.02 + (late if r.random() < 0.5 else 0.0)
            loop.call_later(after, transport.say, answer)
            if r.random() < 0.7:
                cut = answer[r.randrange(1, 3) :] if r.random() < 0.3 else answer[: r.randrange(2, len(answer))]
                loop.call_later(after + cut_late, transport.say, cut)

        async def read(values: dict[int, int] = values, hear: object = hear, seed: int = seed) -> None:
            transport = MemoryTransport(hear)  # type: ignore[arg-type]
            runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(9600), Notes(), lambda endpoint: transport)
            await runner.open()
            sheet = read_sheet(sheet_text(speaks), "d")
            for _ in range(3):
                for reading in await device_for(runner, sheet).read(list(sheet.parameter)):
                    if reading.outcome is Outcome.READ:
                        assert reading.value == values[20 * int(reading.name[1:])], (seed, reading, values)
            await runner.release()

        run(read())
