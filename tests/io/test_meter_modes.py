"""Meters in modes A, B and C as the standard has them: data that follow at once, a repetition, full codes."""

from __future__ import annotations

import asyncio

import pytest

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.protocols import meter
from ordolex.io.device.meter import MeterDevice
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes

LINE = LineSettings(300, 7, Parity.EVEN)
TEXT = b"1-0:16.7.0*255(0004.82*kW)\r\n1-0:1.8.0*255(0182.5*kWh)\r\n"


async def read_out(notes: Notes, says: object) -> tuple[meter.Readout, MemoryTransport, LinkRunner]:
    port = MemoryTransport(says)  # type: ignore[arg-type]
    runner = LinkRunner(1, "/dev/made-up", LINE, notes, lambda endpoint: port)
    await runner.open()
    readout = await MeterDevice(runner).read_out()
    await runner.release()
    return readout, port, runner


@pytest.mark.parametrize("plain", [False, True])
async def test_in_mode_a_the_data_behind_the_identification_are_read(plain: bool, notes: Notes) -> None:
    data = TEXT + b"!\r\n" if plain else meter.block(TEXT)
    readout, _, _ = await read_out(notes, lambda port, sent: port.say(b"/BRK?old\r\n" + data))
    assert [value.value for value in readout.values] == ["0004.82", "0182.5"]


async def test_in_mode_b_data_that_come_soon_are_heard_at_the_new_rate(notes: Notes) -> None:
    async def later(port: MemoryTransport) -> None:
        while port.line.baud != 2400:
            await asyncio.sleep(0.001)
        port.say(meter.block(TEXT))

    tasks = []

    def says(port: MemoryTransport, sent: bytes) -> None:
        port.say(b"/BRKCb-meter\r\n")
        tasks.append(asyncio.ensure_future(later(port)))

    readout, _, runner = await read_out(notes, says)
    assert len(readout.values) == 2 and runner.line == LINE


async def test_a_spoilt_message_is_asked_for_again_and_a_nak_is_answered(notes: Notes) -> None:
    good = meter.block(TEXT)
    spoilt = good[:-1] + bytes([good[-1] ^ 4])
    script = [b"/BRK5c-meter\r\n", meter.NAK, spoilt, good]

    def says(port: MemoryTransport, sent: bytes) -> None:
        port.say(script.pop(0))

    readout, port, _ = await read_out(notes, says)
    assert len(readout.values) == 2 and not script
    assert bytes(port.written).count(meter.acknowledge("5")) == 2 and port.written.endswith(meter.NAK)


@pytest.mark.parametrize(("found", "wanted", "same"), [
    ("1-0:16.7.0*255", "16.7.0", True), ("16.7.0", "1-0:16.7.0*255", True), ("1-0:16.7.0", "1-0:16.7.0*255", True),
    ("1-1:16.7.0*255", "1-0:16.7.0*255", False), ("1-0:16.7.0*01", "16.7.0", False), ("1.8.0", "1.8.1", False),
])  # fmt: skip
def test_codes_written_in_full_and_short_are_the_same(found: str, wanted: str, same: bool) -> None:
    assert meter.MeterValue(found, "1", "").is_for(wanted) is same
