"""Unit scans over real sockets: of Modbus units and of probes that are asked by a letter."""

from __future__ import annotations

import asyncio

import pytest

from ordolex.bench.serve import Bench
from ordolex.core.bus.roll_call import Standing, roll_call
from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.frames import FRAMINGS
from ordolex.io.device.roll_call import ModbusCaller, TextCaller, call_units, enough_ms
from ordolex.io.link.everywhere import ask_everywhere
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.survey import PortFacts
from ordolex.io.transport.twins import MemoryTransport
from ordolex.session.units import expected_of, keep_roll_call, listen_and_call
from tests.conftest import TALKER, Notes, ServeBench

BUS: dict[str, object] = {"name": "bus", "kind": "bus", "line": "19200 8E1", "units": [3, 4, 7]}
PROBES: dict[str, object] = {"name": "probes", "kind": "probes", "line": "9600 7E1", "units": [1, 2, 4]}


async def opened(bench: Bench, line: str, notes: Notes) -> LinkRunner:
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, read_line(line).settings, notes)
    await runner.open()
    return runner


async def test_modbus_units_say_who_they_are_and_two_with_one_address_are_suspected(
    serve_bench: ServeBench, notes: Notes
) -> None:
    runner = await opened(await serve_bench(BUS), "19200 8E1", notes)
    units = [str(number) for number in range(2, 9)]
    called = await call_units(ModbusCaller(runner, "rtu", 0.25), units)
    rows = {r.called.unit: r for r in roll_call({"3": "", "4": "Brookmade, VD-3 blower, 2.03", "5": ""}, called)}
    assert {unit: row.standing for unit, row in rows.items()} == {
        "3": Standing.ANSWERS, "4": Standing.OTHER, "5": Standing.MISSING, "7": Standing.NEW,
    }  # fmt: skip
    assert rows["4"].called.identity == "Brookmade, VD-3 pump, 2.03"
    await runner.release()


async def test_a_clash_is_named_on_a_bus_whether_it_spoils_the_answer_or_comes_behind_it(
    serve_bench: ServeBench, notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.behind.LEAST_S", 1.0)  # the stand-in and we share a busy computer
    runner = await opened(await serve_bench({**BUS, "units": [4, 4, 7]}), "19200 8E1", notes)
    clash, right = await call_units(ModbusCaller(runner, "rtu"), ["4", "7"])
    assert clash.doubled and right.right and not right.doubled
    await runner.release()
    runner = await opened(await serve_bench({**BUS, "garble": "clash"}), "19200 8E1", notes)
    (behind,) = await call_units(ModbusCaller(runner, "rtu"), ["3"])
    assert behind.doubled, behind
    await runner.release()


@pytest.mark.parametrize(("framing", "echoes"), [("rtu", False), ("rtu", True), ("ascii", False)])
async def test_two_answers_that_come_in_one_piece_are_two_units(notes: Notes, framing: str, echoes: bool) -> None:
    def bus(port: MemoryTransport, data: bytes) -> None:
        wrap, own = FRAMINGS[framing]().wrap, data if echoes else b""
        for unit, values in ((3, (0x015E, 0x0160)), (7, (0x0011,))):
            if wrap(unit, pdu.read_registers(3, 0, 1)) == data:
                port.say(own + b"".join(wrap(unit, b"\x03\x02" + value.to_bytes(2)) for value in values))

    runner = LinkRunner(
        1, "/dev/made-up", read_line("19200 8E1").settings, notes, lambda endpoint: MemoryTransport(bus)
    )
    await runner.open()
    caller = ModbusCaller(runner, framing)
    two, one = [await caller.call(unit, last=True) for unit in ("3", "7")]
    assert two.right and "a second unit may have this address" in two.doubled
    assert one.right and not one.doubled
    await runner.release()


async def test_probes_are_called_by_their_letters_and_two_of_one_letter_stand_out(
    serve_bench: ServeBench, notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.behind.LEAST_S", 1.0)  # the stand-in and we share a busy computer
    runner = await opened(await serve_bench(PROBES), "9600 7E1", notes)
    called = await call_units(TextCaller(runner, b"{unit}\r", 0.4), list("ABCDE"))
    assert [one.unit for one in called if one.right] == ["A", "B", "D"] and called[2].said == ""
    assert called[0].said.split()[0].startswith("7.") and 200 <= enough_ms(called) <= 1000
    rows = roll_call(dict.fromkeys("ABC", ""), called)
    assert {r.called.unit: r.standing.value for r in rows} == {
        "A": "answers", "B": "answers", "C": "missing", "D": "not expected",
    }  # fmt: skip
    keep_roll_call(runner, rows, dict.fromkeys("ABC", ""), "{unit} to A-E")
    assert expected_of(notes.events) == dict.fromkeys("ABC", "")
    await runner.release()
    runner = await opened(await serve_bench({**PROBES, "units": [1, 2, 2, 3]}), "9600 7E1", notes)
    called = await call_units(TextCaller(runner, b"{unit}\r", 0.4), list("ABC"))
    assert [bool(one.doubled) for one in called] == [False, True, False]
    await runner.release()


async def two_of_b() -> tuple[asyncio.Server, str]:
    """Probes of which two have the letter B; the second one speaks well behind the first."""
    lines = {b"A\r": [(0, b"7.02\r\n")], b"B\r": [(0, b"7.12\r\n"), (0.2, b"7.16\r\n")]}

    async def probes(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while asked := await reader.read(64):
            for pause_s, line in lines.get(asked, []):
                await asyncio.sleep(pause_s)
                writer.write(line)
        writer.close()

    server = await asyncio.start_server(probes, "127.0.0.1", 0)
    return server, f"tcp://127.0.0.1:{server.sockets[0].getsockname()[1]}"


async def test_what_a_second_unit_says_later_is_not_taken_for_the_next_ones_answer(
    notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.link.behind.LEAST_S", 2.0)  # on a busy computer it may come still later
    server, endpoint = await two_of_b()
    line = read_line("9600 8N1").settings
    runner = LinkRunner(1, endpoint, line, notes)
    await runner.open()
    a, b, c = await call_units(TextCaller(runner, b"{unit}\r", 0.4), list("ABC"))
    assert (a.said, a.doubled) == ("7.02", "") and not c.right and c.said == ""
    assert b.said == "7.12" and b.doubled == "6 bytes behind its answer: a second unit may have this address"
    await runner.release()

    port = PortFacts(endpoint, "probes", "network", "", "free")
    asked = Question(b"{unit}\r", timeout_s=0.4)
    tries = await ask_everywhere([port], line, asked, lambda one: None, notes, units=list("ABC"))
    assert [one.unit for one in tries if one.answered] == ["A", "B"], tries
    server.close()


async def test_nobody_is_called_into_a_line_on_which_somebody_speaks(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(await serve_bench(TALKER), "4800 8N1", notes)
    called, others = await listen_and_call(ModbusCaller(runner, "rtu"), ["1", "2"], lambda one: None)
    assert called == [] and "nothing was sent" in others and notes.bytes("tx") == b""
    await runner.release()
