"""A 16550 as the kernel's driver has it: what it can and cannot do is said as it is."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
import termios
import time
from pathlib import Path

import pytest

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import Flow, LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.holders import holders, sees_all
from ordolex.io.ports.survey import survey
from ordolex.io.system.faults import SettingsRefused
from ordolex.io.transport.linux_line import rate_in_force
from ordolex.io.transport.serial_port import SerialTransport
from tests.conftest import Ear, Notes
from tests.kernel.inside.conftest import NEAR, FarEnd, Outside, until

LINE = LineSettings(9600)
XOFF, XON = b"\x13", b"\x11"


def test_ports_without_hardware_are_not_listed() -> None:
    assert Path("/dev/ttyS3").exists(), "the system lists it"
    assert [row.endpoint for row in survey() if row.endpoint.startswith("/dev/ttyS")] == ["/dev/ttyS0", "/dev/ttyS1"]


async def test_bytes_go_both_ways_all_256_of_them(far: FarEnd, notes: Notes) -> None:
    runner = LinkRunner(1, NEAR, LINE, notes)
    await runner.open()
    assert runner.places_errors
    every = bytes(range(256)) + b"\xff\xff\x00\xff\x00\x00"
    far.say(every)
    await until(lambda: len(notes.bytes("rx")) >= len(every))
    assert notes.bytes("rx") == every
    await runner.out.send(every)
    got = bytearray()

    def all_there() -> bool:
        got.extend(far.heard())
        return len(got) >= len(every)

    await until(all_there)
    assert bytes(got) == every
    await runner.release()


async def test_a_rate_that_the_uart_cannot_do_is_refused_and_the_old_one_stays(ear: Ear) -> None:
    port = SerialTransport(NEAR)
    await port.open(LINE, ear)
    for rate in (230_400, 3_000_000):
        with pytest.raises(SettingsRefused, match=f"cannot do {rate} baud"):
            await port.configure(LineSettings(rate))
        fd = os.open(NEAR, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        assert rate_in_force(fd) == 9600
        os.close(fd)
    for text in ("115200 8N1", "1200 7E2", "300 5N1.5", "50 6O1", "9600 8M1", "14400 8N1"):
        await port.configure(read_line(text).settings)
    await port.close()


@pytest.mark.parametrize("text", ["9600 8N1 dtr/dsr", "9600 8N1.5"])
async def test_what_would_do_nothing_is_refused(text: str, ear: Ear) -> None:
    with pytest.raises(SettingsRefused):
        await SerialTransport(NEAR).open(read_line(text).settings, ear)


async def test_a_port_that_is_held_back_is_let_go_at_once_and_the_loop_goes_on(far: FarEnd, notes: Notes) -> None:
    runner = LinkRunner(1, NEAR, LineSettings(9600, flow=Flow.XON_XOFF), notes)
    await runner.open()
    far.say(XOFF)
    sending = asyncio.create_task(runner.out.send(b"x" * 3000))
    await until(lambda: runner.view().signals.waiting)
    sending.cancel()
    began = time.monotonic()
    await runner.release()
    assert time.monotonic() - began < 20, "it waited for what is held back, as the system does by itself for 30 s"
    assert any("not" in event.text and "bytes" in event.text for event in notes.events), [e.text for e in notes.events]
    fd = os.open(NEAR, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
    os.close(fd)


async def test_a_break_has_its_place_in_the_bytes(far: FarEnd, outside: Outside, ear: Ear) -> None:
    port = SerialTransport(NEAR)
    await port.open(LINE, ear)
    far.say(b"before")
    await until(lambda: bytes(ear.data) == b"before")
    outside.send_break("uart0")
    await until(lambda: ear.errors.breaks == 1)
    far.say(b"after")
    await until(lambda: ear.data.endswith(b"after"))
    assert bytes(ear.data) == b"before\x00after"
    assert [(data, errors) for data, errors in ear.arrivals if errors] == [(b"\x00", LineErrors(breaks=1))]
    await port.close()


def test_another_program_on_the_port_is_seen_and_an_ordinary_user_knows_that_it_may_not_see_all() -> None:
    holding = f"import os; os.open({NEAR!r}, os.O_RDWR | os.O_NONBLOCK); print(1, flush=True); input()"
    hold = subprocess.Popen([sys.executable, "-c", holding], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert hold.stdout is not None
    hold.stdout.readline()
    try:
        assert holders()[NEAR].pid == hold.pid and sees_all()
        (row,) = [row for row in survey() if row.endpoint == NEAR]
        assert row.state == "held" and str(hold.pid) in row.holder
        asked = os.fork()
        if asked == 0:
            os.setuid(65534)
            os._exit(int(sees_all()) * 2 + int(NEAR in holders()))
        assert os.waitstatus_to_exitcode(os.waitpid(asked, 0)[1]) == 0, "it neither sees the holder nor thinks it would"
    finally:
        hold.communicate()
    assert NEAR not in holders()


async def test_what_stands_in_the_queue_is_told_and_goes_out_after_xon(far: FarEnd, notes: Notes) -> None:
    runner = LinkRunner(1, NEAR, LineSettings(115_200, flow=Flow.XON_XOFF), notes)
    far.rate(termios.B115200)
    await runner.open()
    far.say(XOFF)
    await asyncio.sleep(0.2)  # the UART has no event for it: the queue alone tells
    sending = asyncio.create_task(runner.out.send(b"y" * 500))
    await until(lambda: runner.view().signals.waiting)
    far.say(XON)
    await sending
    got = bytearray()

    def all_there() -> bool:
        got.extend(far.heard())
        return len(got) == 500

    await until(all_there)
    await until(lambda: not runner.view().signals.waiting)
    await runner.release()
