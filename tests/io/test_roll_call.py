"""Roll-calls over real sockets: of Modbus units and of probes that are asked by a letter."""

from __future__ import annotations

import pytest

from ordolex.bench.serve import Bench
from ordolex.core.bus.roll_call import Standing, roll_call
from ordolex.core.line.notation import read_line
from ordolex.io.device.roll_call import ModbusCaller, TextCaller, call_units, enough_ms
from ordolex.io.link.runner import LinkRunner
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
    monkeypatch.setattr("ordolex.io.device.roll_call._BEHIND_S", 1.0)  # the stand-in and we share a busy computer
    runner = await opened(await serve_bench({**BUS, "units": [4, 4, 7]}), "19200 8E1", notes)
    clash, right = await call_units(ModbusCaller(runner, "rtu"), ["4", "7"])
    assert clash.doubled and right.right and not right.doubled
    await runner.release()
    runner = await opened(await serve_bench({**BUS, "garble": "clash"}), "19200 8E1", notes)
    (behind,) = await call_units(ModbusCaller(runner, "rtu"), ["3"])
    assert behind.doubled, behind
    await runner.release()


async def test_probes_are_called_by_their_letters_and_two_of_one_letter_stand_out(
    serve_bench: ServeBench, notes: Notes
) -> None:
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


async def test_nobody_is_called_into_a_line_on_which_somebody_speaks(serve_bench: ServeBench, notes: Notes) -> None:
    runner = await opened(await serve_bench(TALKER), "4800 8N1", notes)
    called, others = await listen_and_call(ModbusCaller(runner, "rtu"), ["1", "2"], lambda one: None)
    assert called == [] and "nothing was sent" in others and notes.bytes("tx") == b""
    await runner.release()
