"""The bus, the meter and the modem: what a technician meets there, over the bench's own wire."""

from __future__ import annotations

import asyncio

import pytest

from ordolex.bench.devices.feeder import PASSWORD
from ordolex.bench.devices.modem import Modem
from ordolex.bench.devices.power import CODE as METER_CODE
from ordolex.bench.devices.power import KINDS
from ordolex.bench.plan import DevicePlan
from ordolex.core.device.led import found_first
from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question
from ordolex.core.protocols.at.call import Call, State
from ordolex.core.protocols.modbus.frames import Rtu
from ordolex.core.sheet import Sheet
from ordolex.core.uart.receiver import Character
from ordolex.io.device.base import Trouble
from ordolex.io.device.identity import identify
from ordolex.io.device.meter import MeterDevice
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.device.modem import dial, escape, hang_up
from ordolex.io.device.procedure import Typist
from ordolex.io.device.rehearsal import rehearse
from ordolex.io.device.roll_call import ModbusCaller, call_units
from ordolex.io.device.settings import apply, device_for, set_one
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from ordolex.session.metering import pull_log
from tests.conftest import Notes, ServeBench, until

SHEETS = all_sheets()[0]
DRIVE = SHEETS["variable-speed-drive"]
BUS: dict[str, object] = {"name": "bus", "kind": "bus", "line": "19200 8E1"}


class Desk:
    """A modem on a desk, with a clock of its own."""

    def __init__(self) -> None:
        self.modem = Modem(LineSettings(115200))
        self.now = 100.0

    def type(self, text: str, wait: float = 0.1) -> str:
        says = self.modem.receive([Character(self.now, byte) for byte in text.encode()], self.now)
        return self._text(says, wait)

    def _text(self, says: list, wait: float) -> str:  # type: ignore[type-arg]
        self.now += wait
        return b"".join(say.data for say in [*says, *self.modem.tick(self.now)]).decode()


async def read_until(device: MeterDevice, sheet: Sheet, outcome: Outcome) -> Reading:
    """Reads again while the meter is not back at its first rate; the first reading with that outcome."""
    async with asyncio.timeout(60):
        while True:
            reading = (await device.read(sheet.parameter))[0]
            if reading.outcome is outcome:
                return reading


def on_the_line(data: bytes, from_s: float) -> list[Character]:
    return [Character(from_s + 0.0005 * number, byte) for number, byte in enumerate(data)]


def test_silence_is_that_on_the_line_however_late_the_characters_are_handed_over() -> None:
    request = Rtu().wrap(12, bytes([3, 0, 6, 0, 1]))
    line = KINDS["panel-meters"](DevicePlan(name="a", kind="panel-meters", line="19200 8N1", units=[11, 12]), 0.0)
    whole = on_the_line(request, 20.0)
    assert line.receive(whole[:5], 20.003) == []
    (answer,) = line.receive(whole[5:], 20.4)
    assert answer.data[:2] == bytes([12, 3])
    line.receive(on_the_line(request[:5], 21.0), 21.3)
    assert line.receive(on_the_line(request[5:], 21.2), 21.3) == [], "a silence within a request ends it"

    desk = Desk()
    desk.modem.connected(100.0)
    desk.modem.receive(on_the_line(b"made up", 100.5), 101.9)
    desk.modem.receive(on_the_line(b"+++", 102.0), 102.1)
    assert [say.data for say in desk.modem.tick(103.2)] == [b"\r\nOK\r\n"] and not desk.modem.in_data


def test_the_modem_keeps_two_sets_of_settings_and_answers_as_it_was_told() -> None:
    desk = Desk()
    assert desk.type("AT\r") == "AT\r\r\nOK\r\n"
    assert desk.type("ATE0\r") == "ATE0\r\r\nOK\r\n" and desk.type("at\r") == "\r\nOK\r\n"
    assert desk.type("ATS0?S7?\r") == "\r\n000\r\n\r\n030\r\n\r\nOK\r\n"
    assert desk.type("ATS0=2;+IPR?\r") == "\r\n+IPR: 115200\r\n\r\nOK\r\n"
    assert "ERROR" in desk.type("ATS0=999\r") and "ERROR" in desk.type("AT+NONE\r") and "ERROR" in desk.type("AT?\r")
    assert desk.type("ATV0\r") == "0\r" and desk.type("ATX9$\r") == "4\r" and desk.type("ATQ1\r") == ""
    assert desk.type("ATZ\r") == "\r\nOK\r\n" and desk.type("AT\r").startswith("AT"), "echo is on again, as stored"
    desk.type("ATE0&W\r")
    desk.type("AT+IPR=9600\r")
    assert desk.modem.line.baud == 9600
    desk.type("ATZ\r")
    assert desk.modem.line.baud == 115200 and desk.type("ATS0?\r") == "\r\n000\r\n\r\nOK\r\n"
    assert desk.type("AT+CMEE=1\r") and "+CME ERROR: 21" in desk.type("AT$NET=7\r")
    assert "0 Hill Cellular" in desk.type("AT$NET?\r") and "OK" in desk.type("AT$NET=1\r")
    assert '"Valley Mobile"' in desk.type("AT+COPS?\r")


def test_the_escape_needs_silence_on_both_sides_and_leads_back() -> None:
    desk = Desk()
    desk.type("ATE0\r")
    assert desk.type("ATDT555 0141\r") == "" and desk.modem.wishes.dial == "5550141"
    assert b"CONNECT" in desk.modem.connected(desk.now)[0].data
    desk.now += 2
    assert desk.type("+++x", 1.2) == "" and desk.modem.in_data
    desk.type("text", 0.2)
    assert desk.type("+++", 1.5) == "" and desk.modem.in_data, "no silence before it"
    desk.now += 2
    assert desk.type("+++", 1.2) == "\r\nOK\r\n" and not desk.modem.in_data
    assert "CONNECT" in desk.type("ATO\r") and desk.modem.in_data
    assert b"NO CARRIER" in desk.modem.far_end_closed(desk.now)[0].data and not desk.modem.in_call
    assert "NO CARRIER" in desk.type("ATO\r") and "OK" in desk.type("ATH\r")


def test_a_number_that_nobody_answers_is_given_up() -> None:
    desk = Desk()
    assert "\r\nNO ANSWER\r\n" in desk.type("ATE0S7=5D1234\r", 6)
    assert desk.modem.wishes.hang_up
    desk.type("ATD1234\r")
    assert "NO CARRIER" in desk.type("x"), "a key ends a call that is coming about"


# ---- over the wire


async def opened(serve_bench: ServeBench, notes: Notes, *devices: dict[str, object]) -> tuple[LinkRunner, object]:
    bench = await serve_bench(*devices)
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, read_line(str(devices[0]["line"])).settings, notes)
    await runner.open()
    return runner, bench


async def test_units_are_found_and_prove_the_link(serve_bench: ServeBench, notes: Notes) -> None:
    runner, _ = await opened(serve_bench, notes, BUS)
    assert runner.rung is Rung.HELD
    found = await call_units(ModbusCaller(runner, "rtu", 0.25), [str(unit) for unit in range(1, 9)])
    assert [one.unit for one in found if one.right] == ["3", "4", "7"] and found[0].said == ""
    assert runner.rung is Rung.PROVEN
    assert await identify(runner, DRIVE, 4) == "Brookmade, VD-3 pump, 2.03"
    await runner.release()


async def test_two_units_with_one_address_are_suspected(serve_bench: ServeBench, notes: Notes) -> None:
    runner, _ = await opened(serve_bench, notes, {**BUS, "units": [4, 4]})
    (one,) = await call_units(ModbusCaller(runner, "rtu"), ["4"])
    assert not one.right and "two units with one address" in one.doubled
    await runner.release()


@pytest.mark.parametrize("kind", ["bus", "bus-ascii", "bus-tcp"])
async def test_settings_are_read_changed_and_read_back(serve_bench: ServeBench, notes: Notes, kind: str) -> None:
    line = "9600 7E1" if kind == "bus-ascii" else "19200 8E1"
    plan = {"name": "plc", "kind": kind, "line": line, "units": [7], "raw": kind == "bus-tcp"}
    runner, _ = await opened(serve_bench, notes, plan)
    sheet = SHEETS["lift-station-plc"].model_copy(update={"speaks": f"modbus-{kind.partition('-')[2] or 'rtu'}"})
    device = device_for(runner, sheet)
    values = {r.name: r.value for r in await device.read(sheet.parameter)}
    assert values["start-level"] == 900 and values["pumped"] == 1834.25 and values["name"] == "LIFT STATION"
    start, name = sheet.parameter_named("start-level"), sheet.parameter_named("name")
    assert start is not None and name is not None
    done = await apply(device, [(start, 950), (name, "STATION 2")], runner)
    assert [(w.before, w.after, w.verdict) for w in done] == [
        (900, 950, "held"), ("LIFT STATION", "STATION 2", "held"),
    ]  # fmt: skip
    (refused, *rest) = await apply(device, [(start, 200), (name, "never sent")])
    assert (refused.verdict, refused.after) == ("refused", 950) and "does not take this value" in refused.words
    assert not rest, "what follows is not sent"
    await runner.release()


@pytest.mark.parametrize(
    ("temper", "verdict", "says"),
    [
        ("forget", "not held", "reads 35"), ("refuse", "refused", "exception 4"), ("busy", "refused", "busy"),
        ("wrong-check", "wrong answer", "CRC"), ("truncated", "wrong answer", "breaks off"),
        ("other-unit", "wrong answer", "unit 4 answered for unit 3"),
    ],
)  # fmt: skip
async def test_each_misbehaviour_of_a_unit_has_its_own_word(
    serve_bench: ServeBench, notes: Notes, temper: str, verdict: str, says: str
) -> None:
    runner, bench = await opened(serve_bench, notes, BUS)
    unit = ModbusUnit(runner, "rtu", 3, DRIVE.bus.model_copy(update={"retries": 1, "timeout_s": 0.3}))
    speed = DRIVE.parameter_named("set-point")
    assert speed is not None
    assert (await unit.read([speed]))[0].value == 35.0
    await bench.obey(f"garble bus {temper}")  # type: ignore[attr-defined]
    if temper in ("forget", "refuse"):
        (written,) = await apply(unit, [(speed, 42.5)])
        assert written.verdict == verdict and says in written.words and written.after == 35.0
    else:
        (reading,) = await unit.read([speed])
        assert reading.outcome.value == verdict and says in reading.words and unit.retried == 1
    await bench.obey("garble bus off")  # type: ignore[attr-defined]
    assert (await apply(unit, [(speed, 42.5)]))[0].verdict == "held"
    await runner.release()


async def test_no_answer_is_neither_a_refusal_nor_a_wrong_one(serve_bench: ServeBench, notes: Notes) -> None:
    runner, _ = await opened(serve_bench, notes, BUS)
    unit = ModbusUnit(runner, "rtu", 9, DRIVE.bus.model_copy(update={"retries": 0, "timeout_s": 0.2}))
    (reading,) = await unit.read([DRIVE.parameter[0]])
    assert (reading.outcome, reading.words) == (Outcome.SILENT, "no answer of unit 9 in 0.2 s")
    await runner.release()


async def test_a_meter_is_read_through_its_change_of_rate(serve_bench: ServeBench, notes: Notes) -> None:
    runner, bench = await opened(serve_bench, notes, {"name": "meter", "kind": "meter", "line": "300 7E1"})
    steps: list[str] = []
    device = MeterDevice(runner, said=steps.append)
    sheet = SHEETS["electricity-meter"]
    readings = {r.name: r for r in await device.read(sheet.parameter)}
    assert readings["address"].value == "00317" and readings["voltage-1"].value == 231.4
    assert all(r.outcome is Outcome.READ for r in readings.values())
    assert steps[0] == "identified: BRK EM-3 v2.1, mode C, 9600 baud" and steps[-2:] == [
        "back at 300 7E1", "16 values, block check right",
    ]  # fmt: skip
    assert runner.line.text == "300 7E1" and runner.rung is Rung.PROVEN
    await bench.obey("garble meter wrong-check")  # type: ignore[attr-defined]
    reading = await read_until(device, sheet, Outcome.WRONG)  # once the meter is back at 300 baud
    assert "block check is" in reading.words
    assert runner.line.text == "300 7E1"
    await bench.obey("garble meter refuse")  # type: ignore[attr-defined]
    reading = await read_until(device, sheet, Outcome.REFUSED)
    assert reading.outcome is Outcome.REFUSED and "break message" in reading.words
    await runner.release()


async def test_a_modem_is_dialled_spoken_through_and_hung_up(serve_bench: ServeBench, notes: Notes) -> None:
    weir = {"name": "weir", "kind": "oxygen", "line": "19200 8N1", "raw": True, "unit": 5}
    modem = {"name": "modem", "kind": "modem", "line": "115200 8N1", "dials": {"5550141": "weir"}}
    runner, _ = await opened(serve_bench, notes, modem, weir)
    assert (await dial(runner, "555 9999")).result in ("NO ANSWER", "NO CARRIER")
    reply = await dial(runner, "555-0141")
    assert reply.result == "CONNECT 115200"
    await until(lambda: "DCD" in (runner.view().signals.inputs or ()))
    answer = await runner.ask(Question(b"*IDN?\n"))
    assert answer.data == b"Brookmade,OX-2,unit 5,1.14\n"
    assert (await escape(runner)).good
    assert (await runner.ask(Question(b"ATO\r"))).data.endswith(b"CONNECT 115200\r\n")
    ended = await hang_up(runner, in_data=True)
    assert ended.reply is not None and ended.reply.good, "by command, and not by DTR"
    await until(lambda: "DCD" not in (runner.view().signals.inputs or ()))
    assert (await dial(runner, "5550141")).good
    await runner.lines.set_outputs(dtr=False)
    await until(lambda: notes.bytes("rx").endswith(b"NO CARRIER\r\n"))
    with pytest.raises(ValueError, match="is no number"):
        await dial(runner, "weir")
    await runner.release()


def test_the_state_of_a_modem_follows_from_what_passes() -> None:
    call = Call()
    call.sent(b"ATD5550141\r")
    for piece in (b"ATD5550141\r\r\nCONN", b"ECT 115200", b"\r\nhello OK\r\n"):
        call.heard(piece)
    assert call.state is State.DATA
    call.heard(b"\r\nOK\r\n")
    assert call.state is State.DATA, "the far end may say OK too"
    call.sent(b"+++")
    call.heard(b"\r\nOK\r\n")
    assert call.state is State.CALL_KEPT and call.up
    call.sent(b"ATO\r")
    call.heard(b"\r\nCONNECT\r\n")
    assert call.state is State.DATA
    call.heard(b"\r\nNO CARRIER\r\n")
    assert not call.up


# ---- procedures

FEEDER: dict[str, object] = {"name": "feeder", "kind": "feeder", "line": "38400 8N1", "interval_s": 0.0}
NETWORK = SHEETS["feeder-controller"].procedure[0]
VALUES = {f.name: f.default for f in NETWORK.field} | {"address": "192.0.2.77", "mask": "255.255.254.0"}


async def password(what: str) -> str:
    assert what == "password"
    return PASSWORD


async def test_a_procedure_is_typed_read_back_and_made_to_last(serve_bench: ServeBench, notes: Notes) -> None:
    runner, _ = await opened(serve_bench, notes, FEEDER)
    typist = Typist(runner, VALUES, password)
    outcome = await typist.run(NETWORK)
    assert not outcome.trouble and not outcome.differs, outcome.words
    assert outcome.kept["address"] == "192.0.2.77" and outcome.kept["host"] == "feeder-4"
    assert PASSWORD.encode() not in notes.bytes("tx")
    again = await Typist(runner, VALUES, password).run(NETWORK)
    assert len(again.done) == len(outcome.done) - 2, "logged in already: name and password are left out"
    ended = await Typist(runner, VALUES, password).finish(NETWORK)
    assert not ended.trouble and b"address 192.0.2.77 mask 255.255.254.0" in notes.bytes("rx")
    await runner.release()


async def test_what_is_there_is_read_before_anything_is_changed_and_can_be_typed_again(
    serve_bench: ServeBench, notes: Notes
) -> None:
    runner, _ = await opened(serve_bench, notes, FEEDER)
    looked = await Typist(runner, VALUES, password).look(NETWORK)
    assert looked.found["address"] == "192.0.2.44" and looked.found["mask"] == "255.255.255.0", looked.words
    assert b"4\r" not in notes.bytes("tx"), "the menu that changes was not opened"
    await Typist(runner, VALUES, password).run(NETWORK, looked.found)
    again = await Typist(runner, VALUES, password).look(NETWORK)
    assert again.found["address"] == "192.0.2.77"
    details = [event.detail for event in notes.events if event.kind == "procedure"]
    first = found_first(details, NETWORK, {})
    assert first == looked.found, "a later reading does not take the place of what was found"
    back = await Typist(runner, {**VALUES, **first}, password).run(NETWORK, again.found)
    assert not back.trouble and back.kept["address"] == "192.0.2.44"
    assert "IP address 192.0.2.44 → 192.0.2.77, mask" in next(e.text for e in notes.events if "typed" in e.text)
    await runner.release()


async def test_a_box_with_several_channels_keeps_each_by_itself(serve_bench: ServeBench, notes: Notes) -> None:
    channel = SHEETS["gauge-box"].procedure[0]
    runner, _ = await opened(serve_bench, notes, {"name": "gauges", "kind": "gauge-box", "line": "19200 7E1"})
    seven = await Typist(runner, {"number": "7"}, password).look(channel)
    assert seven.found["span"] == "600.000" and seven.found["unit"] == "mm", seven.words
    values = {**seven.found, "span": "650"}
    done = await Typist(runner, values, password).run(channel, seven.found)
    assert not done.trouble and not done.differs, "650 and 650.000 are one number"
    eight = await Typist(runner, {"number": "8"}, password).look(channel)
    assert eight.found["state"] == "off"
    details = [event.detail for event in notes.events if event.kind == "procedure"]
    assert found_first(details, channel, {"number": "7"})["span"] == "600.000"
    assert found_first(details, channel, {"number": "8"})["name"] == "spare"
    assert found_first(details, channel, {"number": "1"}) == {}
    leave = SHEETS["gauge-box"].leave
    assert leave is not None
    left = await Typist(runner, values, password).leave(channel, leave)
    assert not left.trouble and notes.bytes("rx").endswith(b"not stored\r\n")
    await runner.release()


async def test_a_slip_is_found_by_the_second_pass(serve_bench: ServeBench, notes: Notes) -> None:
    runner, bench = await opened(serve_bench, notes, FEEDER)
    await bench.obey("garble feeder slip")  # type: ignore[attr-defined]
    outcome = await Typist(runner, VALUES, password).run(NETWORK)
    assert outcome.differs == [("mask", "255.255.254.0", "255.255.254.128")]
    assert outcome.words == "not kept as planned: mask is 255.255.254.128, planned was 255.255.254.0"
    await runner.release()


async def test_a_late_message_is_set_aside_and_anything_unexpected_stops(serve_bench: ServeBench, notes: Notes) -> None:
    runner, _ = await opened(serve_bench, notes, {**FEEDER, "interval_s": 0.35})
    outcome = await Typist(runner, VALUES, password).run(NETWORK)
    assert not outcome.trouble and not outcome.differs, outcome.words
    await runner.release()
    other = NETWORK.model_copy(deep=True)
    wrong = {**VALUES, "address": "far away"}
    await runner.open()
    sent = len(notes.bytes("tx"))
    for step in other.step:
        object.__setattr__(step, "timeout_s", 1.0)
    outcome = await Typist(runner, wrong, password).run(other)
    assert "expected 'new mask" in outcome.trouble and "four numbers" in outcome.trouble
    assert b"255.255.254.0" not in notes.bytes("tx")[sent:], "nothing more was typed"
    await runner.release()


async def test_a_rehearsal_runs_on_a_stand_in_and_records_nothing(tmp_path: object) -> None:
    outcome = await rehearse(SHEETS["feeder-controller"], NETWORK, VALUES, password)
    assert not outcome.trouble and outcome.kept["mask"] == "255.255.254.0", outcome.words


# ---- panel power meters


METERS = {"name": "meters", "kind": "panel-meters", "line": "19200 8N1", "units": [21, 22]}


async def test_a_protected_meter_takes_a_write_once_its_code_was_written_and_the_code_is_not_kept(
    serve_bench: ServeBench, notes: Notes
) -> None:
    runner, _ = await opened(serve_bench, notes, METERS)
    sheet = SHEETS["panel-meter"]
    assert sheet.unlock is not None
    ratio = sheet.parameter_named("ct-primary")
    assert ratio is not None
    free, locked = (ModbusUnit(runner, "rtu", number, sheet.bus) for number in (21, 22))
    assert (await set_one(free, ratio, 250)).verdict == "held"
    assert await free.is_open(sheet.unlock) and not await locked.is_open(sheet.unlock)
    refused = await set_one(locked, ratio, 250)
    assert (refused.verdict, refused.after) == ("refused", 150)
    with pytest.raises(Trouble, match="its code was refused"):
        await locked.unlock(sheet.unlock, METER_CODE - 1)
    await locked.unlock(sheet.unlock, METER_CODE)
    assert (await set_one(locked, ratio, 250)).verdict == "held"
    code = METER_CODE.to_bytes(2)
    kept = notes.bytes("tx") + notes.bytes("rx") + b"".join(str(event.detail).encode() for event in notes.events)
    assert code not in notes.bytes("tx") + notes.bytes("rx") and code.hex().encode() not in kept
    assert not any("XOFF" in event.text for event in notes.events), "a byte of a frame asks nobody to wait"
    await runner.release()


async def test_a_code_that_no_answer_came_for_may_have_been_taken_and_that_is_said(
    serve_bench: ServeBench, notes: Notes
) -> None:
    bench = await serve_bench(METERS)
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, read_line("19200 8N1").settings, notes)
    await runner.open()
    sheet = SHEETS["panel-meter"]
    ratio = sheet.parameter_named("ct-primary")
    assert sheet.unlock is not None and ratio is not None
    locked = ModbusUnit(runner, "rtu", 22, sheet.bus)
    await locked.read([ratio])
    assert not await locked.is_open(sheet.unlock)
    await bench.obey("silent meters on")
    with pytest.raises(Trouble, match=r"no answer of unit 22 .*: whether it took its code is not known"):
        await locked.unlock(sheet.unlock, METER_CODE)
    await bench.obey("silent meters off")
    assert await locked.is_open(sheet.unlock), "it had taken it"
    await runner.release()


async def test_a_meters_log_follows_what_was_chosen_and_comes_as_a_table(serve_bench: ServeBench, notes: Notes) -> None:
    runner, _ = await opened(serve_bench, notes, METERS)
    sheet = SHEETS["panel-meter"]
    unit = ModbusUnit(runner, "rtu", 21, sheet.bus)
    before = await pull_log(runner, notes, sheet, unit)  # type: ignore[arg-type]
    assert before.table.columns[1:] == ("voltage L1", "voltage L2", "voltage L3", "current L1")
    assert len(before.table.rows) == 12 and not before.table.odd
    times = [row[0] for row in before.table.rows]
    assert times == sorted(set(times))
    interval, first = sheet.parameter_named("log-interval"), sheet.parameter_named("log-1")
    assert interval is not None and first is not None
    for parameter, value in ((interval, 1), (first, 8)):
        assert (await set_one(unit, parameter, value)).good
    while not (await pull_log(runner, notes, sheet, unit)).table.rows:  # type: ignore[arg-type]
        await asyncio.sleep(0.1)
    after = await pull_log(runner, notes, sheet, unit, before.table)  # type: ignore[arg-type]
    assert after.table.columns[1] == "frequency" and 49.9 < float(after.table.rows[0][1]) < 50.1
    assert [event.kind for event in notes.events].count("table") >= 3
    await runner.release()
