"""The bench: its stand-ins answer as the standards say, and the line between is a real one."""

import asyncio
import os
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from ordolex.bench.devices.oxygen import OxygenTransmitter
from ordolex.bench.plan import Plan, PlanError, read_plan
from ordolex.bench.serve import Bench, ControlError
from ordolex.core.line.notation import read_line
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.port.bench_notice import decode
from ordolex.core.text import nmea0183
from ordolex.core.uart.receiver import Character
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports import benches
from ordolex.io.ports.survey import survey
from ordolex.io.system.faults import Fault
from tests.conftest import OXYGEN, PLUG, TALKER, Notes, ServeBench, own_network, program, until

# ---- the oxygen transmitter, without a line


def said(device: OxygenTransmitter, text: str, now: float = 10.0) -> str:
    characters = [Character(now, byte) for byte in text.encode()]
    return b"".join(say.data for say in device.receive(characters, now)).decode()


@pytest.mark.parametrize(
    ("asked", "pattern"),
    [
        ("*IDN?\n", r"Brookmade,OX-2,unit 3,1\.14\n"),
        ("meas:oxyg?\r\n", r"\d+\.\d\d mg/l\n"),
        ("MEASure:TEMPerature?\n", r"1\d\.\d C\n"),
        (":MEAS:SAT?\n", r"\d+\.\d %\n"),
        ("*IDN?;*OPC?;MEAS:TEMP?\n", r"Brookmade,OX-2,unit 3,1\.14;1;1\d\.\d C\n"),
        ("*ESR?\n", "128\n"),
        ("*ESR?;*ESR?\n", "128;0\n"),
        ("*OPC;*ESR?\n", "129\n"),
        ("*ESE 32;*ESE?\n", "32\n"),
        ("*STB?\n", "0\n"),
        ("SYST:VERS?\n", "1999.0\n"),
        ("ALAR:LOW 5.5;ALAR:LOW?\n", "5.50 mg/l\n"),
        ("ALAR:LOW 99;SYST:ERR?\n", '-222,"Data out of range"\n'),
        ("ALAR:LOW;SYST:ERR?\n", '-109,"Missing parameter"\n'),
        ("ALAR:LOW wet;SYST:ERR?\n", '-104,"Data type error"\n'),
        ("*IDN? 3;SYST:ERR?\n", '-108,"Parameter not allowed"\n'),
        ("MEAS:OXIG?\n", ""),
        ("MEAS:OXIG?;SYST:ERR?\n", '-113,"Undefined header"\n'),
        ("SYST:ERR?\n", '0,"No error"\n'),
        ("bad;*STB?\n", "4\n"),
        ("*ESE 32;*SRE 36;bad;*STB?\n", "100\n"),
        ("bad;*CLS;SYST:ERR?;*ESR?\n", '0,"No error";0\n'),
        ("\n\r\n;;\n", ""),
        ("x" * 300 + "\n*OPC?\n", "1\n"),
    ],
)
def test_the_transmitter_answers_as_ieee_488_2_says(asked: str, pattern: str) -> None:
    assert re.fullmatch(pattern, said(OxygenTransmitter(3, 0.0), asked)), said(OxygenTransmitter(3, 0.0), asked)


def test_the_error_queue_overflows_into_its_own_error() -> None:
    device = OxygenTransmitter(1, 0.0)
    said(device, "bad\n" * 15)
    answers = [said(device, "SYST:ERR?\n") for _ in range(11)]
    assert answers[9] == '-350,"Queue overflow"\n' and answers[10] == '0,"No error"\n'


def test_unreadable_input_is_complained_of_once_it_is_quiet() -> None:
    device = OxygenTransmitter(1, 0.0)
    assert device.receive([Character(1.0, 0xF8, framing=True), Character(1.0, 0x41)], 1.0) == []
    assert device.tick(1.05) == []
    (say,) = device.tick(1.2)
    assert say.data == b'-362,"Framing error in program message"\n'
    assert device.next_deadline() is None
    device.receive([Character(2.0, 0x41, parity=True)], 2.0)
    assert b"Parity" in device.tick(3.0)[0].data


# ---- through the line


def runner_for(bench: Bench, line: str, notes: Notes) -> LinkRunner:
    return LinkRunner(1, bench.notice().devices[0].endpoint, read_line(line).settings, notes)


async def test_right_settings_prove_the_transmitter(serve_bench: ServeBench, notes: Notes) -> None:
    runner = runner_for(await serve_bench(OXYGEN), "19200 8N1", notes)
    await runner.open()
    answer = await runner.ask(Question(b"*IDN?\n"))
    assert answer.verdict is Verdict.RIGHT and runner.rung is Rung.PROVEN
    assert answer.last_s is not None and answer.last_s > 26 * 10 / 19200, "the answer took its time on the wire"
    await runner.release()


@pytest.mark.parametrize("line", ["9600 8N1", "4800 8N1", "38400 8N1", "19200 8E1", "19200 7E1", "1200 8N1"])
async def test_wrong_settings_give_garbage_with_line_errors(line: str, serve_bench: ServeBench, notes: Notes) -> None:
    runner = runner_for(await serve_bench(OXYGEN), line, notes)
    await runner.open()
    answer = await runner.ask(Question(b"*IDN?\n"))
    assert runner.rung is Rung.HEARD
    assert answer.errors.total > 0 and answer.verdict is not Verdict.RIGHT
    await runner.release()


async def test_an_inverted_device_is_heard_as_breaks_and_errors(serve_bench: ServeBench, notes: Notes) -> None:
    runner = runner_for(await serve_bench({**TALKER, "polarity": "inverted"}), "4800 8N1", notes)
    await runner.open()
    await until(lambda: runner.view().evidence.heard > 60 and runner.view().evidence.errors.breaks)
    evidence = runner.view().evidence
    assert evidence.rung is Rung.HEARD and evidence.errors.breaks >= 1 and evidence.checks_right == 0
    await runner.release()


async def test_the_talker_is_clear_by_its_checksums(serve_bench: ServeBench, notes: Notes) -> None:
    runner = runner_for(await serve_bench(TALKER), "4800 8N1", notes)
    await runner.open()
    await until(lambda: runner.view().evidence.checks_right >= 4)
    assert runner.rung is Rung.CLEAR
    lines = [line for line in notes.bytes("rx").split(b"\r\n") if line][
        1:-1
    ]  # the first may come while the port is set
    wrong = [line for line in lines if not nmea0183.verdict(line) or len(line) > 80]
    assert not wrong
    await runner.release()


async def test_noise_shows_as_errors_and_a_quiet_line_is_clear_again(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench({**TALKER, "line": "38400 8N1", "interval_s": 0.05})
    runner = runner_for(bench, "38400 8N1", notes)
    await runner.open()
    await bench.obey("noise talker 0.05")
    await until(lambda: runner.view().evidence.errors.total > 5)
    await bench.obey("noise talker 0")
    await until(lambda: runner.rung is Rung.CLEAR)
    await runner.release()


async def test_faults_can_be_told_and_undone(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench(OXYGEN, PLUG)
    runner = runner_for(bench, "19200 8N1", notes)
    await runner.open()
    question = Question(b"*OPC?\n", timeout_s=0.5)
    await bench.obey("silent oxygen on")
    assert (await runner.ask(question)).verdict is Verdict.NONE
    await bench.obey("silent oxygen off")
    await bench.obey("late oxygen 300")
    late = await runner.ask(question)
    assert late.first_s is not None and late.first_s > 0.3
    await bench.obey("late oxygen 0")
    await bench.obey("vanish oxygen")
    await until(lambda: runner.rung is Rung.ABSENT)
    assert bench.notice().devices[0].state == "gone"
    await bench.obey("return oxygen")
    await until(lambda: runner.is_open)
    assert bench.notice().devices[0].state == "held"
    assert (await runner.ask(question)).verdict is Verdict.RIGHT
    await runner.release()


async def test_a_port_can_be_held_without_rights_or_driver_and_be_one_of_two(
    serve_bench: ServeBench, notes: Notes
) -> None:
    bench = await serve_bench({**OXYGEN, "twin": True})
    live, dead = survey(lambda: [], lambda: [bench.notice()], lambda: {}, Path("/nowhere"))
    assert live.pair == dead.endpoint and dead.pair == live.endpoint and live.identity != dead.identity
    runner = LinkRunner(1, dead.endpoint, read_line("19200 8N1").settings, notes)
    await runner.open()
    assert (await runner.ask(Question(b"*IDN?\n", timeout_s=0.3))).verdict is Verdict.NONE
    await runner.release()
    for order, state in (("hold", "held"), ("rights", "no-rights"), ("driver", "no-driver")):
        off, on = ("on", "off") if order == "hold" else ("off", "on")
        await bench.obey(f"{order} oxygen {off}")
        assert bench.notice().devices[0].state == state
        with pytest.raises(Fault, match="another client may hold it"):
            await runner_for(bench, "19200 8N1", notes).open()
        await bench.obey(f"{order} oxygen {on}")
        assert bench.notice().devices[0].state == "free"


@pytest.mark.parametrize(
    "order", ["", "jump oxygen", "vanish nobody", "noise oxygen 2", "late oxygen soon", "silent oxygen", "help"]
)
async def test_orders_that_cannot_be_obeyed_say_what_can(order: str, serve_bench: ServeBench) -> None:
    bench = await serve_bench(OXYGEN)
    with pytest.raises(ControlError, match=r"vanish NAME|devices are|no number from|on or off"):
        await bench.obey(order)


async def test_a_pseudo_terminal_follows_rate_and_stop_bits(serve_bench: ServeBench, notes: Notes) -> None:
    bench = await serve_bench({**OXYGEN, "pty": True})
    path = bench.notice().devices[0].pty
    told: list[str] = []
    bench._changed = lambda notice: told.append(notice.devices[0].state)
    runner = LinkRunner(1, path, read_line("19200 8N1").settings, notes)
    await runner.open()
    assert (await runner.ask(Question(b"*IDN?\n", timeout_s=2))).verdict is Verdict.RIGHT
    assert bench.notice().devices[0].state == told[-1] == "held"
    await runner.retune(read_line("9600 8N1").settings)
    await until(lambda: bench._benches[0].station._laptop.baud == 9600)
    garbled = await runner.ask(Question(b"*IDN?\n", timeout_s=2))
    assert garbled.data and garbled.verdict is Verdict.WRONG and runner.rung is Rung.HEARD
    await runner.release()
    await until(lambda: told[-1] == "free")


# ---- plans, and the process


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "device: it is missing, and must be given"),
        ("[[device]]\nname = 'a'\nkind = 'kettle'", "device.1.kind"),
        ("[[device]]\nname = 'a'\nkind = 'oxygen'\nline = '9600 9N1'", "data bits: 9 cannot be"),
        ("[[device]]\nname = 'a'\nkind = 'oxygen'\nline = 'any'", "settings of its own"),
        ("[[device]]\nname = 'a'\nkind = 'echo'\nnoise = 3", "device.1.noise"),
        ("[[device]]\nname = 'a'\nkind = 'echo'\n[[device]]\nname = 'a'\nkind = 'echo'", "two devices are called 'a'"),
        ("[[device]]\nname = 'a'\nkind = 'echo'\ncolour = 'red'", "device.1.colour"),
        ("not toml [", "is no TOML"),
    ],
)
def test_a_plan_that_cannot_be_served_says_where(text: str, says: str, tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text(text)
    with pytest.raises(PlanError, match=re.escape(says)):
        read_plan(plan)


def test_the_demo_plan_is_readable_and_has_each_kind() -> None:
    assert {device.kind for device in read_plan(None).device} == {
        "oxygen", "temperature", "logger", "feeder", "alarms", "counter", "display", "echo", "bus",
        "bus-ascii", "bus-tcp", "meter", "modem", "teletype", "gate", "box-console", "probes", "gauge-box",
        "panel-meters",
    }  # fmt: skip


def test_the_bench_ends_with_the_program_that_started_it_also_when_that_is_killed(tmp_path: Path) -> None:
    ready = tmp_path / "ready.json"
    code = (
        "import time; from pathlib import Path; from ordolex.io.ports.benches import BenchProcess; "
        f"b = BenchProcess(None, Path({str(ready)!r})); print('up', flush=True); time.sleep(60)"
    )
    starter = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE)
    assert starter.stdout is not None
    starter.stdout.readline()
    notice = decode(ready.read_text())
    assert [n.pid for n in benches.running()] == [notice.pid]
    starter.send_signal(signal.SIGKILL)
    starter.wait()
    deadline = time.monotonic() + 10
    while Path(f"/proc/{notice.pid}").exists() and _state(notice.pid) != "Z":
        assert time.monotonic() < deadline, "the bench outlived its starter"
        time.sleep(0.05)
    assert benches.running() == []


def _state(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except OSError:
        return "Z"


def test_a_bench_with_a_bad_plan_says_why_it_did_not_start(tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text("[[device]]\nname = 'a'\nkind = 'kettle'")
    done = subprocess.run(program("bench", "--plan", str(plan)), capture_output=True, text=True, env=os.environ.copy())
    assert done.returncode == 2 and len(done.stderr.splitlines()) == 1 and "device.1.kind" in done.stderr


async def test_a_box_whose_address_an_ending_bench_still_holds_stands_once_that_has_gone() -> None:
    address = f"{own_network()}.9"
    box = {"name": "Weir box", "address": address, "announced": False, "channel": [{"mode": "raw", "line": "9600 8N1"}]}
    plan = Plan.model_validate({"device": [OXYGEN], "box": [box]})
    ending, next_one = Bench(plan, lambda notice: None), Bench(plan, lambda notice: None)
    await ending.start()
    try:
        await next_one.start()
        assert next_one.boxes[0].listens_at == ""
        await ending.stop()
        await until(lambda: next_one.boxes[0].listens_at == address)
        _, writer = await asyncio.open_connection(address, 4001)
        writer.close()
    finally:
        await ending.stop()
        await next_one.stop()
