"""Strangers that the program was once wrong with, each with the fewest habits that showed it."""

from __future__ import annotations

import asyncio

import pytest

from ordolex.core.advice.causes import causes
from ordolex.core.advice.next_step import advise
from ordolex.core.device.setting import Outcome, Reading, Written
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import LinkState
from ordolex.core.sheet import read_sheet
from ordolex.io.device.settings import device_for, set_one
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes
from tests.strangers.habits import COMMANDS, Habits
from tests.strangers.made_up_clock import run
from tests.strangers.test_strangers import trial_of

ONE_LETTER, NUMBERS = COMMANDS[1], COMMANDS[2]

NAMED = {
    "an answer that begins with its question": Habits(commands=NUMBERS, begins_like_its_question=True),
    "an answer that names itself": Habits(names=" "),
    "an echo late, the answer later": Habits(echo="late", turn_round=0.08),
    "an echo with another line end": Habits(echo="other end"),
    "an echo of every second line, of numbers": Habits(commands=NUMBERS, asked_with=b"", echo="some"),
    "colours": Habits(codes="\x1b[32m{}\x1b[0m"),
    "a cursor that is placed": Habits(codes="\x1b[2K\x1b[10;5H{}"),
    "a title with a number": Habits(codes="\x1b]0;cal 52\x07{}"),
    "a letter that is rubbed out": Habits(codes="9\b{}"),
    "answers twice": Habits(double="at once"),
    "answers twice, the second cut": Habits(prefix="A:", double="cut"),
    "answers late and twice": Habits(double="late", late=2.9, late_share=0.5),
    "letters of cp1251": Habits(charset="cp1251"),
    "letters of cp437 in pieces": Habits(charset="cp437", pieces=(1, 0.4)),
    "the parity bit left in": Habits(parity_left=True, bell=True),
    "XON and XOFF around": Habits(flow=True),
    "an alarm before the answer": Habits(alarm="before", decimals=0),
    "CR NUL": Habits(ends=b"\r\0"),
    "thousands": Habits(thousands="'", comma=True),
    "E05 in place of a value": Habits(refuses=True, refusal="E05", decimals=0, loose=True),
    "keeps less than it is told": Habits(keeps="clamps"),
    "rounds what it is told": Habits(keeps="rounds"),
    "says OK and does nothing": Habits(keeps="nothing"),
}


@pytest.mark.parametrize("name", NAMED)
def test_a_named_stranger_is_not_told_of_falsely(name: str) -> None:
    for seed in range(4):
        trial_of(NAMED[name], seed)


@pytest.mark.parametrize(
    "name", ["an answer that begins with its question", "an answer that names itself", "colours", "letters of cp1251",
             "a cursor that is placed", "an echo late, the answer later", "XON and XOFF around", "CR NUL"],
)  # fmt: skip
def test_what_a_named_stranger_says_is_read(name: str) -> None:
    trial = trial_of(NAMED[name])
    assert trial.values >= 0.9 * trial.asked


SHEET = """
name = "d"
device = "d"
speaks = "text"
[line]
settings = "9600 8N1"
source = "x"
[[parameter]]
name = "oxygen"
read = 'A\\r'
like = 'O2 (?P<value>[\\d.]+)'
[[parameter]]
name = "temperature"
read = 'A\\r'
like = 'T (?P<value>[\\d.]+)'
"""


def with_device(answers: dict[bytes, list[tuple[float, bytes]]], work: object) -> tuple[object, bytearray]:
    """Runs `work(runner)` on a device that says these pieces, each so many seconds after its question."""

    async def go() -> tuple[object, bytearray]:
        def hear(transport: MemoryTransport, data: bytes) -> None:
            for after_s, piece in answers.get(data, []):
                asyncio.get_running_loop().call_later(after_s, transport.say, piece)

        transport = MemoryTransport(hear)
        runner = LinkRunner(1, "rfc2217://127.0.0.1:1", LineSettings(9600), Notes(), lambda endpoint: transport)
        await runner.open()
        result = await work(runner)  # type: ignore[operator]
        await runner.release()
        return result, transport.written

    return run(go())  # type: ignore[no-any-return]


def test_several_values_of_one_answer_are_asked_for_once() -> None:
    async def read(runner: LinkRunner) -> list[Reading]:
        sheet = read_sheet(SHEET, "d")
        return await device_for(runner, sheet).read(list(sheet.parameter))

    readings, written = with_device({b"A\r": [(0.05, b"O2 9.4 T 11.5\r\n")]}, read)
    assert [one.value for one in readings] == [9.4, 11.5] and bytes(written) == b"A\r"  # type: ignore[attr-defined]


def test_an_echo_is_not_the_end_of_the_wait_for_the_answer() -> None:
    async def ask(runner: LinkRunner) -> object:
        return await runner.ask(Question(b"ATI\r", timeout_s=2.0))

    answer, _ = with_device({b"ATI\r": [(0.01, b"ATI\r"), (0.09, b"\r\nRADIO-MODEM 4\r\n")]}, ask)
    assert answer.verdict is Verdict.UNJUDGED and b"RADIO-MODEM" in answer.data  # type: ignore[attr-defined]


@pytest.mark.parametrize("pause_s", [0.2, 0.4])
def test_no_answer_is_called_wrong_while_the_device_may_still_speak(pause_s: float) -> None:
    async def ask(runner: LinkRunner) -> object:
        return await runner.ask(Question(b"S\r", like=r"STATUS\s+level 4", timeout_s=1.0))

    answer, _ = with_device({b"S\r": [(0.05, b"STATUS\r\n"), (0.05 + pause_s, b"level 4\r\n")]}, ask)
    assert answer.verdict is Verdict.RIGHT  # type: ignore[attr-defined]


def test_a_long_answer_is_no_talking_by_itself_and_its_end_no_silence() -> None:
    """Ten seconds after a list of a minute the link fell to Held, and "the cable is not crossed" was said."""

    async def work(runner: LinkRunner) -> Rung:
        await runner.ask(Question(b"*IDN?\n"))
        await runner.out.send(b"D\r")
        await asyncio.sleep(300)
        return runner.view().evidence.rung

    pieces = [(0.1 + 0.9 * n, b"%03d row\r\n" % n) for n in range(60)]
    rung, _ = with_device({b"*IDN?\n": [(0.05, b"Brookmade,OX-2,unit 1,1.14\r\n")], b"D\r": pieces}, work)
    assert rung is Rung.PROVEN


def test_a_clean_link_has_no_lost_bytes() -> None:
    async def work(runner: LinkRunner) -> list[str]:
        for _ in range(4):
            await runner.ask(Question(b"V\r", timeout_s=1.0))
        return [cause.name for cause in causes(runner.view().evidence.signs)]

    said = b"n=850;MAP=31,5;KWT=82,7;DK=0,0\r\n"
    names, _ = with_device({b"V\r": [(0.03, said), (0.04, said[:-3] + b"10\r\n")]}, work)
    assert "missing" not in names  # type: ignore[operator]


WRITABLE = """
name = "n"
device = "x"
speaks = "modbus-tcp"
line_end = "none"
[line]
settings = "9600 8N1"
source = "m"
[[parameter]]
name = "k"
writable = true
[parameter.modbus]
at = "holding 0"
type = "TYPE"
"""


@pytest.mark.parametrize(
    ("type_", "before", "wanted", "verdict"),
    [
        ("float32", 0.5, 0.495, "held"), ("float32", 0.0015, 0.0, "held"), ("uint32", 3232235777, 3232235778, "held"),
        ("float32", 0.25, 0.25, "unchanged"), ("uint32", 1_700_000_000, 1_700_000_001, "held"),
        ("float64", 1e308, 1.5e308, "held"), ("uint64", 2**60, 2**60 + 1, "held"), ("float32", 0.1, 0.1, "unchanged"),
    ],
)  # fmt: skip
def test_values_near_one_another_are_written_and_equal_ones_are_not(
    type_: str, before: float, wanted: float, verdict: str
) -> None:
    from ordolex.core.protocols.modbus.values import encode

    held = dict(enumerate(encode(before, type_)))
    writes: list[bytes] = []

    async def work() -> Written:
        def hear(transport: MemoryTransport, data: bytes) -> None:
            pdu = data[7:]
            at, count = int.from_bytes(pdu[1:3]), int.from_bytes(pdu[3:5])
            if pdu[0] == 3:
                reply = bytes([3, 2 * count]) + b"".join(held.get(at + n, 0).to_bytes(2) for n in range(count))
            else:
                writes.append(pdu)
                values = [pdu[3:5]] if pdu[0] == 6 else [pdu[6 + 2 * n : 8 + 2 * n] for n in range(count)]
                held.update({at + n: int.from_bytes(value) for n, value in enumerate(values)})
                reply = pdu[:5]
            transport.say(data[:4] + (len(reply) + 1).to_bytes(2) + data[6:7] + reply)

        transport = MemoryTransport(hear)
        runner = LinkRunner(1, "tcp://127.0.0.1:1", LineSettings(9600), Notes(), lambda endpoint: transport)
        await runner.open()
        sheet = read_sheet(WRITABLE.replace("TYPE", type_), "n")
        written = await set_one(device_for(runner, sheet), sheet.parameter[0], wanted)
        await runner.release()
        return written

    written: Written = run(work())
    assert written.verdict == verdict and len(writes) == (verdict == "held"), written
    assert tuple(held.values()) == encode(wanted, type_)


def test_a_register_that_holds_no_bcd_can_be_set_and_what_stood_there_is_said() -> None:
    class Device:
        def __init__(self) -> None:
            self.readings = [
                Reading("k", Outcome.WRONG, raw=b"\xab\xcd", words="abcd is no BCD", stands=True),
                Reading("k", Outcome.READ, 1234, b"\x12\x34"),
            ]

        async def read(self, parameters: object) -> list[Reading]:
            return [self.readings.pop(0)]

        async def write(self, parameter: object, value: object) -> str:
            return "taken"

    sheet = read_sheet(WRITABLE.replace("TYPE", "bcd16"), "n")
    written: Written = run(set_one(Device(), sheet.parameter[0], 1234))  # type: ignore[arg-type]
    assert written.verdict == "held" and "abcd is no BCD" in written.words


def test_what_is_called_over_a_network_is_not_to_be_plugged_in() -> None:
    for called in (False, True):
        state = LinkState(LineSettings(9600), called=called)
        state.gone("nothing listens at 10.8.0.4:4001", 1.0)
        advice = advise(state.evidence(), 2.0)
        assert advice is not None and ("Plug it in" in advice.test) is not called, advice
