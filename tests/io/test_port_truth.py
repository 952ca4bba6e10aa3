"""A port is never said to do what it does not: rates, formats, held back bytes, phantoms, and adapters that changed."""

from __future__ import annotations

import asyncio
import os
from pathlib import Path

import pytest

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import Flow, LineSettings
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.holders import holders, sees_all
from ordolex.io.ports.survey import ListedPort, identity_at, path_of, survey
from ordolex.io.ports.sysfs import is_without_hardware
from ordolex.io.system.faults import SettingsRefused
from ordolex.io.transport.base import ModemLines
from ordolex.io.transport.linux_line import is_another_rate, marks_errors, rate_in_force
from ordolex.io.transport.serial_port import SerialTransport, with_pulses
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Ear, Notes, ServeBench, until

LINE = LineSettings(9600)


@pytest.mark.parametrize("line", ["9600 8N1 dtr/dsr", "9600 8N1.5"])
async def test_what_the_system_takes_and_does_not_do_is_refused(line: str, ear: Ear) -> None:
    master, slave = os.openpty()
    transport = SerialTransport(os.ttyname(slave))
    os.close(slave)
    with pytest.raises(SettingsRefused, match=r"nothing|1\.5 stop bits"):
        await transport.open(read_line(line).settings, ear)
    await transport.open(LINE, ear)
    with pytest.raises(SettingsRefused):
        await transport.configure(read_line(line).settings)
    await transport.configure(LineSettings(19200))
    await transport.close()
    os.close(master)


async def test_a_rate_that_the_port_does_not_take_is_refused_and_the_old_one_stays(
    ear: Ear, monkeypatch: pytest.MonkeyPatch
) -> None:
    master, slave = os.openpty()
    transport = SerialTransport(os.ttyname(slave))
    await transport.open(LINE, ear)
    assert rate_in_force(slave) == 9600
    monkeypatch.setattr("ordolex.io.transport.os_port.rate_in_force", lambda fd: 9600)
    with pytest.raises(SettingsRefused, match="cannot do 3000000 baud: it stays at 9600"):
        await transport.configure(LineSettings(3_000_000))
    assert rate_in_force(slave) == 9600, "what was refused is undone"
    monkeypatch.undo()
    await transport.configure(LineSettings(57600))
    assert rate_in_force(slave) == 57600
    await transport.close()
    os.close(slave)
    os.close(master)


def test_a_divisor_that_is_a_little_off_is_borne() -> None:
    assert not is_another_rate(115200, 115384) and not is_another_rate(9600, None) and is_another_rate(250000, 9600)


async def test_bytes_that_are_held_back_are_said_and_counted_at_release(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    now = [100.0]
    monkeypatch.setattr("ordolex.io.link.runner.mono_s", lambda: now[0])
    port = MemoryTransport()
    runner = LinkRunner(1, "/dev/made-up", LINE, notes, lambda endpoint: port)
    await runner.open()
    port.held_back = 196
    assert runner.view().signals.waiting == 0, "a queue that has just begun is no hold"
    now[0] += 0.6
    assert "held back, 196 bytes wait" in runner.view().signals.short
    await runner.release()
    assert any("196 bytes that the far end held back did not go out" in e.text for e in notes.events)


async def test_under_flow_control_a_write_waits_and_is_not_given_up(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.outgoing._STUCK_AFTER_S", 0.02)
    goes_on = asyncio.Event()

    class Held(MemoryTransport):
        async def write(self, data: bytes) -> None:
            await goes_on.wait()
            await super().write(data)

    port = Held()
    runner = LinkRunner(1, "/dev/made-up", LineSettings(300, flow=Flow.XON_XOFF), notes, lambda endpoint: port)
    await runner.open()
    sending = asyncio.ensure_future(runner.out.send(b"x" * 4))
    await asyncio.sleep(0.02 + 2 * 4 * 10 / 300 + 0.2)  # beyond what a port without flow control is given
    assert not sending.done()
    goes_on.set()
    await sending
    assert port.written == b"xxxx"
    await runner.release()


async def test_an_xoff_that_nobody_heeds_is_named_once(notes: Notes) -> None:
    port = MemoryTransport()
    runner = LinkRunner(1, "/dev/made-up", LINE, notes, lambda endpoint: port)
    await runner.open()
    port.say(b"text\x13")
    port.say(b"\x13")
    assert sum("XOFF" in event.text for event in notes.events) == 1
    await runner.release()


ADAPTER = ListedPort("/dev/ttyUSB0", "ttyUSB0", "Made-up", "A1", "0403:6001", "1-1:1.0")
OTHER = ListedPort("/dev/ttyUSB0", "ttyUSB0", "Made-up", "B2", "0403:6001", "1-2:1.0")


async def test_another_adapter_under_the_old_name_is_not_opened_and_the_own_one_followed(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.comes_back._RETRY_S", (0.01,))
    there = [ADAPTER]
    opened: list[str] = []
    port = MemoryTransport()

    def make(endpoint: object) -> MemoryTransport:
        opened.append(str(endpoint.text))  # type: ignore[attr-defined]
        return port

    runner = LinkRunner(1, "/dev/ttyUSB0", LINE, notes, make)
    runner.returning.identity_at = lambda path: identity_at(path, lambda: there)
    runner.returning.path_of = lambda identity: path_of(identity, lambda: there)
    await runner.open()
    there[:] = [OTHER]
    port.vanish()
    await until(lambda: "another adapter" in runner.view().returning)
    assert opened == ["/dev/ttyUSB0"] and not port.written, "nothing is opened, nothing is asked"
    there.append(ListedPort("/dev/ttyUSB3", "ttyUSB3", "Made-up", "A1", "0403:6001", "1-4:1.0"))
    await until(lambda: runner.is_open)
    assert opened[-1] == "/dev/ttyUSB3" and runner.endpoint.text == "/dev/ttyUSB3"
    await runner.release()


def test_ports_without_hardware_are_no_ports(tmp_path: Path) -> None:
    for name, kind in (("ttyS0", "4"), ("ttyS1", "0")):
        (tmp_path / "class/tty" / name).mkdir(parents=True)
        (tmp_path / "class/tty" / name / "type").write_text(f"{kind}\n")
    assert is_without_hardware("/dev/ttyS1", tmp_path) and not is_without_hardware("/dev/ttyS0", tmp_path)
    listed = [ListedPort(f"/dev/ttyS{n}", f"ttyS{n}", "", "", "", "") for n in (0, 1)] + [ADAPTER]
    rows = survey(lambda: listed, lambda: [], lambda: {}, tmp_path)
    assert [row.endpoint for row in rows] == ["/dev/ttyS0", "/dev/ttyUSB0"]


def test_the_maker_of_a_pseudo_terminal_does_not_hold_it(tmp_path: Path) -> None:
    for pid, names in (("9001", ("/dev/ptmx", "/dev/pts/7")), ("9002", ("/dev/pts/8", "/dev/ttyUSB0"))):
        (tmp_path / pid / "fd").mkdir(parents=True)
        (tmp_path / pid / "comm").write_text("maker\n")
        for number, name in enumerate(names):
            (tmp_path / pid / "fd" / str(number)).symlink_to(name)
    found = holders(tmp_path)
    assert "/dev/pts/7" not in found and {"/dev/pts/8", "/dev/ttyUSB0"} <= set(found)


def test_a_pulse_between_two_looks_is_told() -> None:
    rest = ModemLines(cts=True, dsr=False, ri=False, dcd=False)
    assert with_pulses(None, rest, {}) == [rest] and with_pulses(rest, rest, {}) == []
    (rung, after) = with_pulses(rest, rest, {"ri": 1})
    assert rung.ri and rung.cts and after == rest
    (down, after) = with_pulses(rest, rest, {"cts": 2})
    assert not down.cts and after == rest
    up = ModemLines(cts=True, dsr=True, ri=False, dcd=False)
    assert with_pulses(rest, up, {"dsr": 1}) == [up]


async def test_a_port_is_opened_with_dtr_and_rts_low_where_its_link_says_so(notes: Notes) -> None:
    port = MemoryTransport()
    runner = LinkRunner(1, "/dev/made-up", LINE, notes, lambda endpoint: port)
    runner.opens_low = True
    await runner.open()
    assert port.outputs == {"dtr": False, "rts": False}
    assert not runner.view().signals.dtr and not runner.view().signals.rts
    await runner.release()


async def test_a_network_port_is_told_that_they_are_low(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench({"name": "a", "kind": "echo", "line": "any"})
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, LINE, notes)
    runner.opens_low = True
    await runner.open()
    client = bench._benches[0].network._client
    assert client is not None
    await until(lambda: not (client._outputs.dtr or client._outputs.rts))
    await runner.release()


def test_where_not_every_program_can_be_seen_a_port_is_not_called_free(tmp_path: Path) -> None:
    (row,) = survey(lambda: [ADAPTER], lambda: [], lambda: {}, tmp_path, lambda: False)
    assert row.state in ("unknown", "no-rights") and (row.may_be_opened or row.state == "no-rights")
    (row,) = survey(lambda: [ADAPTER], lambda: [], lambda: {}, tmp_path, lambda: True)
    assert row.state in ("free", "no-rights")
    assert not sees_all(tmp_path / "none") and not sees_all(tmp_path), "a system without the list does not tell"
    (tmp_path / "1" / "fd").mkdir(parents=True)
    assert sees_all(tmp_path)


async def test_bytes_are_the_same_where_the_system_marks_errors(ear: Ear, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ordolex.io.transport.os_port._is_pseudo_terminal", lambda path: False)
    master, slave = os.openpty()
    transport = SerialTransport(os.ttyname(slave))
    await transport.open(LINE, ear)
    assert transport.places_errors
    await transport.configure(LineSettings(19200))
    assert marks_errors(slave), "a new setting takes the marks away, so they are asked for again"
    sent = bytes(range(256)) + b"\xff\xff\xff\x00\xff" * 40
    for at in range(0, len(sent), 7):
        os.write(master, sent[at : at + 7])
        await asyncio.sleep(0)
    await until(lambda: len(ear.data) >= len(sent))
    assert bytes(ear.data) == sent
    await transport.close()
    os.close(slave)
    os.close(master)
