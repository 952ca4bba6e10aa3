"""Answers that come late, twice, or from somebody else never become a value of another question.

The peer here is written from the standard, not with the project's own frames, and answers as slowly as it is told.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import AsyncIterator, Callable

import pytest

from ordolex.core.device.setting import Outcome
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.codecs import AtCodec
from ordolex.core.protocols.modbus.frames import Rtu
from ordolex.core.protocols.modbus.server import Unit
from ordolex.core.sheet import Sheet, read_sheet
from ordolex.io.device.roll_call import ModbusCaller, call_units
from ordolex.io.device.settings import apply, device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from ordolex.io.work.rate import change_rate
from tests.conftest import Notes, until

REGISTERS = "\n".join(
    f'[[parameter]]\nname = "r{n}"\nwritable = true\nmodbus = {{ at = "holding {n * 20}" }}' for n in range(12)
)


def sheet(speaks: str, retries: int = 2, timeout_s: float = 0.12) -> Sheet:
    text = f'name = "d"\ndevice = "d"\nspeaks = "{speaks}"\n[line]\nsettings = "9600 8N1"\nsource = "x"\n'
    return read_sheet(f"{text}[bus]\nunit = 4\ntimeout_s = {timeout_s}\nretries = {retries}\ngap = 0\n{REGISTERS}", "d")


def crc(data: bytes) -> bytes:
    value = 0xFFFF
    for byte in data:
        value ^= byte
        for _ in range(8):
            value = value >> 1 ^ (0xA001 if value & 1 else 0)
    return value.to_bytes(2, "little")


class Peer:
    """Unit 4: register 20 n holds 1000 + n at first. `delay` gives the seconds before each answer, `shape` what goes
    out in its place."""

    def __init__(self, ascii_: bool) -> None:
        self.ascii = ascii_
        self.registers = {n * 20: 1000 + n for n in range(12)}
        self.delay: Callable[[int], float] = lambda number: 0.0
        self.shape: Callable[[int, bytes], list[tuple[float, bytes]]] = lambda number, frame: [(0.0, frame)]
        self.written: list[tuple[int, int]] = []
        self.asked = 0
        self.port = 0

    def frame(self, body: bytes) -> bytes:
        if not self.ascii:
            return body + crc(body)
        return b":" + (body + bytes([-sum(body) & 0xFF])).hex().upper().encode() + b"\r\n"

    def answer(self, body: bytes) -> bytes:
        address, value = int.from_bytes(body[2:4]), int.from_bytes(body[4:6])
        if body[1] == 3:
            return body[:2] + bytes([2 * value]) + self.registers[address].to_bytes(2)
        self.registers[address] = value
        self.written.append((address, value))
        return body

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(asyncio.IncompleteReadError, ConnectionError, asyncio.CancelledError):
            while True:
                if self.ascii:
                    body = bytes.fromhex((await reader.readuntil(b"\r\n"))[1:-2].decode())[:-1]
                else:
                    body = (await reader.readexactly(8))[:-2]
                self.asked += 1
                number = self.asked
                await asyncio.sleep(self.delay(number))  # one after the other, as a device with one processor does
                for after_s, out in self.shape(number, self.frame(self.answer(body))):
                    await asyncio.sleep(after_s)
                    writer.write(out)
                    await writer.drain()
        writer.close()


@contextlib.asynccontextmanager
async def served(speaks: str) -> AsyncIterator[Peer]:
    peer = Peer(speaks.endswith("ascii"))
    server = await asyncio.start_server(peer.serve, "127.0.0.1", 0)
    peer.port = server.sockets[0].getsockname()[1]
    yield peer
    server.close()


@contextlib.asynccontextmanager
async def linked(peer: Peer, notes: Notes) -> AsyncIterator[LinkRunner]:
    runner = LinkRunner(1, f"tcp://127.0.0.1:{peer.port}", LineSettings(9600), notes)
    await runner.open()
    yield runner
    await runner.release()


RIGHT = {f"r{n}": 1000 + n for n in range(12)}


@pytest.mark.parametrize("speaks", ["modbus-rtu", "modbus-ascii"])
@pytest.mark.parametrize("late", [0.18, 0.3, 0.7])
async def test_late_answers_are_never_anothers(speaks: str, late: float, notes: Notes) -> None:
    known = sheet(speaks)
    async with served(speaks) as peer, linked(peer, notes) as runner:
        peer.delay = lambda number: late
        readings = await device_for(runner, known).read(known.parameter[:5])
        wrong = {r.name: r.value for r in readings if r.outcome is Outcome.READ and r.value != RIGHT[r.name]}
        assert not wrong
        assert all(r.outcome is Outcome.READ for r in readings) or late > 0.5
        assert runner.late is not None and runner.late.words.startswith("answers come late: time-out 0.12 s, they take")
        assert runner.late.enough_s >= late


async def test_before_of_a_late_device_is_its_own(notes: Notes) -> None:
    known = sheet("modbus-rtu")
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.delay = lambda number: 0.18
        wanted = [(known.parameter[n], 11 * (n + 1)) for n in range(3)]
        done = await apply(device_for(runner, known), wanted)
        assert [(one.before, one.after, one.verdict) for one in done] == [
            (1000, 11, "held"), (1001, 22, "held"), (1002, 33, "held"),
        ]  # fmt: skip
        assert peer.written == [(0, 11), (20, 22), (40, 33)], "each once"


async def test_a_write_whose_answer_is_lost_is_not_sent_again(notes: Notes) -> None:
    known = sheet("modbus-rtu")
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        writes: list[int] = []
        peer.shape = lambda number, frame: [] if frame[1] == 6 else [(0.0, frame)]
        done = await apply(device_for(runner, known), [(known.parameter[1], 7)])
        writes = [value for _, value in peer.written]
        assert writes == [7] and done[0].verdict == "held" and "no answer" in done[0].words, done


async def test_the_time_in_which_the_computer_was_busy_is_not_the_devices(notes: Notes) -> None:
    known = sheet("modbus-rtu", retries=0)
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.delay = lambda number: 0.03
        for _ in range(3):
            asyncio.get_running_loop().call_later(0.02, time.sleep, 0.4)  # nothing runs here, and nothing is read
            (reading,) = await device_for(runner, known).read(known.parameter[:1])
            assert (reading.outcome, reading.value) == (Outcome.READ, 1000), reading


async def test_a_unit_whose_answer_comes_in_two_pieces_is_not_taken_for_two(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.behind.LEAST_S", 2.0)
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.shape = lambda number, frame: [(0.0, frame[:6]), (0.5 if number == 2 else 0.0, frame[6:])]
        called = await call_units(ModbusCaller(runner, "rtu", 0.25), ["3", "4", "5"])
        assert [(one.right, one.doubled) for one in called] == [(True, "")] * 3, called


@pytest.mark.parametrize("slow", [2, 3, 6, 12])
async def test_one_of_two_equal_answers_is_waited_for_where_each_comes_twice(slow: int, notes: Notes) -> None:
    known = sheet("modbus-rtu", timeout_s=2.0)
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.shape = lambda number, frame: [(0.0, frame), (0.06, frame)]
        peer.delay = lambda number: 0.5 if number == slow else 0.03  # far slower than any was before
        readings = await device_for(runner, known).read(known.parameter)
        assert {r.name: r.value for r in readings} == RIGHT


async def test_equal_values_are_not_waited_for_once_it_was_seen_that_answers_come_once(notes: Notes) -> None:
    known = sheet("modbus-rtu", timeout_s=30.0)
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.registers |= dict.fromkeys(list(peer.registers)[3:], 7)
        readings = await asyncio.wait_for(device_for(runner, known).read(known.parameter), 20)
        assert [r.value for r in readings] == [1000, 1001, 1002] + [7] * 9


@pytest.mark.parametrize("after", [0.0, 0.02, 0.06])
@pytest.mark.parametrize("speaks", ["modbus-rtu", "modbus-ascii"])
async def test_doubled_answers_are_taken_once(speaks: str, after: float, notes: Notes) -> None:
    known = sheet(speaks, timeout_s=0.5)
    async with served(speaks) as peer, linked(peer, notes) as runner:
        peer.shape = lambda number, frame: [(0.0, frame), (after, frame)]
        peer.delay = lambda number: 0.03
        readings = await device_for(runner, known).read(known.parameter)
        assert {r.name: r.value for r in readings} == RIGHT


@pytest.mark.parametrize("speaks", ["modbus-rtu", "modbus-ascii"])
async def test_another_units_frame_and_noise_before_the_answer_do_not_end_the_wait(speaks: str, notes: Notes) -> None:
    known = sheet(speaks, retries=0, timeout_s=1.0)
    async with served(speaks) as peer, linked(peer, notes) as runner:
        foreign = peer.frame(bytes([9, 3, 2, 0xAB, 0xCD]))
        peer.shape = lambda number, frame: [(0.0, foreign), (0.25, b"\x00"), (0.2, frame)]
        readings = await device_for(runner, known).read(known.parameter[:3])
        assert {r.name: r.value for r in readings} == {name: RIGHT[name] for name in ("r0", "r1", "r2")}


async def test_a_scan_finds_units_that_answer_after_the_time_out_and_each_as_itself(notes: Notes) -> None:
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.delay = lambda number: 0.2
        peer.shape = lambda number, frame: [(0.0, frame)] if frame[0] in (4, 6) else []
        found = await call_units(ModbusCaller(runner, "rtu", 0.12), ["3", "4", "5", "6", "7"])
        assert [one.unit for one in found if one.right] == ["4", "6"]


async def test_a_device_that_wakes_up_again_is_read_right(notes: Notes) -> None:
    known = sheet("modbus-rtu", retries=1)
    async with served("modbus-rtu") as peer, linked(peer, notes) as runner:
        peer.shape = lambda number, frame: [] if number <= 2 else [(0.0, frame)]
        readings = await device_for(runner, known).read(known.parameter[:3])
        assert readings[0].outcome is Outcome.SILENT
        assert [r.value for r in readings[1:]] == [1001, 1002]


TEXT = """
name = "t"
device = "t"
[line]
settings = "9600 8N1"
source = "x"
[bus]
timeout_s = 1.0
""" + "\n".join(
    f'[[parameter]]\nname = "r{n}"\nkind = "whole"\nread = "P{n}?\\\\r"\nlike = "(?P<value>\\\\d+)"' for n in range(3)
)


async def test_late_and_doubled_text_answers_are_never_anothers(notes: Notes) -> None:
    late: list[float] = [1.3, 1.3, 1.3]
    twice = False

    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(asyncio.IncompleteReadError, ConnectionError, asyncio.CancelledError):
            while True:
                asked = (await reader.readuntil(b"\r")).decode()
                await asyncio.sleep(late.pop(0) if late else 0.02)
                for _ in range(2 if twice else 1):
                    writer.write(f"{1000 + int(asked[1])}\r\n".encode())
                    await writer.drain()
                    await asyncio.sleep(0.08 if twice else 0)
        writer.close()

    server = await asyncio.start_server(serve, "127.0.0.1", 0)
    known = read_sheet(TEXT, "t")
    endpoint = f"tcp://127.0.0.1:{server.sockets[0].getsockname()[1]}"
    runner = LinkRunner(1, endpoint, LineSettings(9600), notes)
    await runner.open()
    readings = await device_for(runner, known).read(known.parameter)
    assert [r.value for r in readings] == [1000, 1001, 1002], readings
    assert runner.late is not None
    twice = True
    readings = await device_for(runner, known).read(known.parameter)
    for wanted, reading in zip((1000, 1001, 1002), readings, strict=True):  # one may be doubtful, never wrong
        doubtful = reading.value is None and "an earlier question" in reading.words
        assert reading.value == wanted or doubtful, readings
    assert any(reading.value is not None for reading in readings)
    await runner.release()
    server.close()


BITS = """
name = "b"
device = "b"
speaks = "modbus-rtu"
[line]
settings = "9600 8N1"
source = "x"
[bus]
timeout_s = 1.0
[[parameter]]
name = "pump"
kind = "switch"
writable = true
modbus = { at = "holding 3", bit = 5 }
"""


@pytest.mark.parametrize("value", [0, 1])
async def test_of_one_bit_the_preview_is_what_is_sent(value: int, notes: Notes) -> None:
    unit = Unit(holding={3: 0x0FF0 ^ (value << 5)})
    known = read_sheet(BITS, "b")
    port = MemoryTransport(lambda port, data: port.say(Rtu().wrap(1, unit.answer(data[1:-2]))))
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    device = device_for(runner, known)
    preview = device.preview(known.parameter[0], value)
    (done,) = await apply(device, [(known.parameter[0], value)])
    assert done.verdict == "held" and preview in notes.bytes("tx") and preview[1] == 22
    assert unit.holding[3] == (0x0FF0 & ~0x20) | value << 5, "the other bits are as they were"
    await runner.release()


async def test_unit_0_is_neither_read_nor_written_without_a_word(notes: Notes) -> None:
    known = read_sheet(BITS, "b")
    port = MemoryTransport()
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    device = device_for(runner, known, 0)
    (done,) = await apply(device, [(known.parameter[0], 1)])
    assert done.verdict == "refused" and "all units" in done.words and not port.written
    await runner.release()


@pytest.mark.parametrize(("asked", "again"), [
    (Question(b"AT+CFUN=1,1\r", codec=AtCodec(b"AT+CFUN=1,1\r")), False),
    (Question(b"ATD0123\r", like=".*OK.*"), False),
    (Question(b"*TST?\n"), False),
    (Question(b"*IDN?\n"), True),
    (Question(b"LEVEL?\r", like=".*OK.*", harmless=True), True),
])  # fmt: skip
async def test_what_may_act_is_not_asked_again_when_the_port_is_back(
    asked: Question, again: bool, notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.comes_back._RETRY_S", (0.01,))
    answer = b"+001\r\n" if b"TST" in asked.data else b"A,B,C,D\r\n" if b"IDN" in asked.data else b"\r\nOK\r\n"
    port = MemoryTransport(lambda port, data: port.say(answer))
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    assert (await runner.ask(asked)).verdict is Verdict.RIGHT
    port.vanish()
    await until(lambda: "back" in notes.kinds())
    await until(lambda: any("again" in event.text for event in notes.events))
    if again:
        await until(lambda: notes.bytes("tx").count(asked.data) == 2)
    else:
        assert notes.bytes("tx").count(asked.data) == 1
        assert any("it may act" in event.text for event in notes.events)
    await runner.release()


async def test_an_echo_never_satisfies_until(notes: Notes) -> None:
    question = Question(b"show end\r", until=b"end", timeout_s=0.3)
    port = MemoryTransport(lambda port, data: port.say(data))
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    assert (await runner.ask(question)).verdict is Verdict.ECHO
    port.device = lambda port, data: port.say(data + b"3.4 mg/l end\r\n")
    answer = await runner.ask(question)
    assert answer.verdict is Verdict.RIGHT and answer.ended is Ended.UNTIL
    await runner.release()


async def test_a_rate_change_that_the_device_refuses_or_that_is_stopped_leaves_the_port(notes: Notes) -> None:
    port = MemoryTransport(lambda port, data: port.say(b"\r\nERROR\r\n"))
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    done = await change_rate(runner, b"AT+IPR=19200\r", LineSettings(19200), Question(b"AT\r"))
    assert not done.proven and "refused: ERROR" in done.words and runner.line.baud == 9600
    port.device = None
    going = asyncio.ensure_future(change_rate(runner, b"", LineSettings(19200), Question(b"AT\r", timeout_s=30)))
    await until(lambda: runner.line.baud == 19200 and runner.view().asking)
    going.cancel()
    with pytest.raises(asyncio.CancelledError):
        await going
    assert runner.line.baud == 9600 and "the device may be at 19200" in notes.events[-1].text
    await runner.release()
