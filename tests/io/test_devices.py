"""A device whose frames only its sheet describes, and one that only talks, on a port that is made up."""

from __future__ import annotations

import asyncio
import math
import struct
from collections.abc import Sequence

import pytest

from ordolex.bench.devices.bus import Bus
from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.families import FAMILIES
from ordolex.core.protocols.framed import Frame, find, wrap
from ordolex.core.sheet import Sheet, read_sheet
from ordolex.core.sheet.base import filled
from ordolex.core.sheet.parameters import Action, Parameter, Setting
from ordolex.core.sheet.procedures import Procedure
from ordolex.core.text.charsets import CHARSETS
from ordolex.core.uart.receiver import Character
from ordolex.io.device.base import Changed, Trouble, nobody
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.device.procedure import Typist
from ordolex.io.device.settings import apply, device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes, until

DOSER = """
name = "doser"
device = "dosing pump"
speaks = "framed"

[line]
settings = "9600 8N1"
source = "manual"

[bus]
unit = 5
retries = 0
timeout_s = 0.2

[frame]
start = "02"
end = "03"
check = "crc16-x25"
check_written = "low first"
check_from = 1

[[parameter]]
name = "rate"
unit = "ml/h"
low = 0
high = 900
payload = { ask = "01", write = "02 {value}", at = 1, type = "uint16", scale = 0.5 }
"""


class Doser:
    """Answers the frames of its sheet; `spoil` changes what it says."""

    def __init__(self, sheet: Sheet) -> None:
        assert sheet.frame is not None
        self.plan = sheet.frame.plan()
        self.rate = 240
        self.spoil = lambda data: data
        self.unit = 5

    def __call__(self, port: MemoryTransport, data: bytes) -> None:
        frame, _ = find(self.plan, b"", data)
        if frame is None or frame.address != 5:
            return
        if frame.payload[0] == 2:
            self.rate = int.from_bytes(frame.payload[1:3])
        answer = bytes([frame.payload[0]]) + self.rate.to_bytes(2)
        port.say(self.spoil(wrap(self.plan, Frame(self.unit, answer))))


async def test_a_device_that_its_sheet_describes_is_read_and_set(notes: Notes) -> None:
    sheet = read_sheet(DOSER, "doser.toml")
    doser = Doser(sheet)
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: MemoryTransport(doser))
    await runner.open()
    device = device_for(runner, sheet)
    (reading,) = await device.read(sheet.parameter)
    assert reading.value == 120 and runner.rung is Rung.PROVEN
    assert device.preview(sheet.parameter[0], 60).hex(" ").startswith("02 05 03 02 00 78")
    (done,) = await apply(device, [(sheet.parameter[0], 60)], runner)
    assert (done.verdict, doser.rate) == ("held", 120)
    for spoil, says in (
        (lambda data: data[:-4] + b"\xff" + data[-3:], "check (crc16-x25) is wrong"),
        (lambda data: data[:5], "breaks off"),
        (lambda data: b"", "no answer"),
    ):
        doser.spoil = spoil
        (reading,) = await device.read(sheet.parameter)
        assert says in reading.words and reading.outcome in (Outcome.WRONG, Outcome.SILENT)
    doser.spoil = lambda data: data
    doser.unit = 6
    (reading,) = await device.read(sheet.parameter)
    assert reading.words == "unit 6 answered for unit 5"
    with pytest.raises(ValueError, match="does not fit"):
        device.preview(sheet.parameter[0], 99_999)
    await runner.release()


INSTRUMENT = r"""
name = "instrument"
device = "oxygen instrument"

[line]
settings = "9600 8N1"
source = "manual"

[[parameter]]
name = "alarm"
unit = "mg/l"
kind = "number"
read = 'ALAR?\n'
like = '(?P<value>[\d.]+)'
write = 'ALAR {value}\n'
confirm = 'SYST:ERR?\n'
taken = '0,"No error"'
"""


class Instrument:
    """Silent after a write; what went wrong stands in a queue (SCPI 1999, volume 2, 21.8), here of `errors`. `stuck`
    says one and the same whatever is asked; `refuses` takes no value."""

    def __init__(self, errors: int, *, stuck: bool = False, refuses: bool = False) -> None:
        self.value, self.stuck, self.refuses = "6", stuck, refuses
        self.errors = [f'-{362 + number},"Framing error"' for number in range(errors)]
        self.writes = 0

    def __call__(self, port: MemoryTransport, data: bytes) -> None:
        text = data.decode("ascii")
        if text == "ALAR?\n":
            port.say(self.value.encode() + b"\n")
        elif text.startswith("ALAR "):
            self.writes += 1
            if self.refuses:
                self.errors.append('-222,"Data out of range"')
            else:
                self.value = text[5:].strip()
        elif text == "SYST:ERR?\n":
            said = self.errors[0] if self.stuck else self.errors.pop(0) if self.errors else '0,"No error"'
            port.say(said.encode() + b"\n")


@pytest.mark.parametrize("refuses", [False, True])
@pytest.mark.parametrize(("errors", "stuck"), [(0, False), (1, False), (4, False), (1, True)])
async def test_an_error_that_stood_before_a_write_is_not_taken_for_its_refusal(
    notes: Notes, errors: int, stuck: bool, refuses: bool
) -> None:
    instrument = Instrument(errors, stuck=stuck, refuses=refuses)
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: MemoryTransport(instrument))
    await runner.open()
    sheet = read_sheet(INSTRUMENT, "instrument.toml")
    (done,) = await apply(device_for(runner, sheet), [(sheet.parameter[0], 5.5)], runner)
    assert instrument.writes == 1
    assert done.after == (6 if refuses else 5.5)
    if not refuses:
        assert done.verdict == "held" and ("as it did before the write" in done.words) is stuck
    elif not stuck:
        assert done.verdict == "refused" and "Data out of range" in done.words
    else:
        assert done.verdict == "wrong answer" and "as it did before the write" in done.words
    await runner.release()


async def test_a_value_is_heard_from_a_device_that_only_talks(notes: Notes) -> None:
    text = DOSER.split("[frame]")[0].replace('speaks = "framed"\n', "") + (
        "[[parameter]]\nname = 'water'\nhear = 'water (?P<value>[\\d.]+) C'\n"
    )
    sheet = read_sheet(text, "talker.toml")
    port = MemoryTransport()
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    device = device_for(runner, sheet)
    reading = asyncio.ensure_future(device.read(sheet.parameter))
    await until(lambda: runner.tap.hearers)
    port.say(b"noise\r\nwater 8.")
    port.say(b"6 C\r\n")
    assert (await reading)[0].value == 8.6 and notes.bytes("tx") == b""
    with pytest.raises(ValueError, match="is read by code"):
        sheet.parameter[0].fits(FAMILIES["meter"])
    await runner.release()


async def test_a_text_that_is_not_surely_read_is_not_given_back_as_other_bytes(notes: Notes) -> None:
    """Read with its degree sign in whichever set it came; a name of it is put back only where its bytes are known."""
    sheet = read_sheet(
        'name = "gauge"\ndevice = "gauge"\n[line]\nsettings = "9600 8N1"\nsource = "manual"\n'
        "[[parameter]]\nname = 'water'\nread = 'T?\\n'\nlike = '(?P<value>[\\d.]+) °C'\n"
        "[[parameter]]\nname = 'place'\nkind = 'text'\nread = 'P?\\n'\nlike = '(?P<value>\\w+)'\n"
        "write = 'P {value}\\n'\n",
        "gauge.toml",
    )
    charset = "utf-8"

    def gauge(port: MemoryTransport, data: bytes) -> None:
        port.say(("9.5 °C\r\n" if data.startswith(b"T") else "Zulauf_Süd\r\n").encode(charset))

    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: MemoryTransport(gauge))
    await runner.open()
    device = device_for(runner, sheet)
    water, place = await device.read(sheet.parameter)
    assert (water.value, place.value) == (9.5, "Zulauf_Süd")
    assert device.preview(sheet.parameter[1], str(place.value)) == "P Zulauf_Süd\n".encode()
    charset = "latin-1"
    water, place = await device.read(sheet.parameter)
    assert (water.value, place.value) == (9.5, "Zulauf_S\N{REPLACEMENT CHARACTER}d")
    with pytest.raises(ValueError, match="could not be read"):
        device.preview(sheet.parameter[1], str(place.value))
    await runner.release()


@pytest.mark.parametrize("charset", ["Latin-1", "Latin-9", "CP850", "UTF-8"])
async def test_a_text_goes_out_and_comes_back_in_the_character_set_that_was_chosen(notes: Notes, charset: str) -> None:
    sheet = read_sheet(
        'name = "gauge"\ndevice = "gauge"\n[line]\nsettings = "9600 8N1"\nsource = "manual"\n'
        "[[parameter]]\nname = 'place'\nkind = 'text'\nread = 'P?\\n'\nlike = '(?P<value>.+)'\n"
        "write = 'P {value}\\n'\ntaken = 'gesetzt: größer'\n",
        "gauge.toml",
    )
    codec, place = CHARSETS[charset], "Ablauf_Süd"

    def gauge(port: MemoryTransport, data: bytes) -> None:
        nonlocal place
        if not data.startswith(b"P?"):
            place = data.decode(codec)[2:].strip()
        port.say((f"{place}\r\n" if data.startswith(b"P?") else "gesetzt: größer\r\n").encode(codec))

    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: MemoryTransport(gauge))
    runner.reads_in(charset)
    await runner.open()
    device, (parameter,) = device_for(runner, sheet), sheet.parameter
    (written,) = await apply(device, [(parameter, "Zulauf_Näfels")])
    assert (written.before, written.after, written.verdict) == ("Ablauf_Süd", "Zulauf_Näfels", "held")
    (back,) = await apply(device, [(parameter, str(written.before))])
    assert back.verdict == "held" and place == "Ablauf_Süd"
    before = notes.bytes("tx")
    if charset != "UTF-8":
        with pytest.raises(ValueError, match=f"'Б' is not in {charset}; Character set under Ctrl"):
            device.preview(parameter, "Быk")
    assert notes.bytes("tx") == before
    answer = await runner.ask(Question(b"P?\n", like="Ablauf_S\u00fcd"))
    assert (answer.verdict, answer.question.words(answer.data)) == (Verdict.RIGHT, "Ablauf_Süd")
    assert runner.rung is Rung.PROVEN
    await runner.release()


@pytest.mark.parametrize("charset", ["", "CP850"])
async def test_a_procedure_reads_codes_and_characters_that_come_in_pieces(notes: Notes, charset: str) -> None:
    """A slow line gives a few bytes at a time: the half of an escape code is no text, that of a character no fault."""
    codec = CHARSETS[charset or "UTF-8"]
    steps = [
        {"send": "menu\\r", "expect": r"(?m)^Menü: (?P<name>\w+)\W+$"},
        {"send": "name {name}\\r", "expect": "(?m)^Geändert> $"},
    ]
    procedure = Procedure.model_validate(
        {"name": "name", "means": "its name", "field": [{"name": "name", "label": "name"}], "step": steps}
    )

    def box(port: MemoryTransport, data: bytes) -> None:
        said = "\r\n\x1b[1mMenü\x1b[0;32m: Zulauf\x1b[0m> " if data == b"menu\r" else "\r\n\x1b[1;33mGeändert\x1b[m> "
        for byte in said.encode(codec):
            port.say(bytes([byte]))

    async def no_secret(what: str) -> str:
        raise AssertionError(what)

    port = MemoryTransport(box)
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    runner.reads_in(charset)
    await runner.open()
    outcome = await Typist(runner, {"name": "Südbecken"}, no_secret).run(procedure)
    assert not outcome.trouble and outcome.kept["name"] == "Zulauf", outcome.words
    assert bytes(port.written) == b"menu\rname " + "Südbecken\r".encode(codec)
    if charset:
        outcome = await Typist(runner, {"name": "Быk"}, no_secret).run(procedure)
        assert "'Б' is not in CP850" in outcome.trouble and bytes(port.written).endswith(b"menu\r")
    await runner.release()


@pytest.mark.parametrize(
    ("said", "value"), [("nan", None), ("-INF", None), ("1e400", None), ("1_000", None), ("+7", 7), ("9.5", 9.5)]
)
async def test_what_is_no_number_is_said_and_ends_nothing(notes: Notes, said: str, value: float | None) -> None:
    text = DOSER.split("[frame]")[0].replace('speaks = "framed"\n', "")
    text += "[[parameter]]\nname = 'water'\nread = 'T?\\n'\nlike = '(?P<value>\\S+)'\n"
    port = MemoryTransport(lambda port, data: port.say(said.encode() + b"\r\n"))
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: port)
    await runner.open()
    (reading,) = await device_for(runner, sheet := read_sheet(text, "gauge.toml")).read(sheet.parameter)
    assert (reading.value, reading.words) == (value, f"{said!r} is no number" if value is None else "")
    await runner.release()


async def test_a_float_that_is_no_number_is_shown_as_what_it_is(notes: Notes) -> None:
    sheet = read_sheet(DOSER.replace('"uint16", scale = 0.5', '"float32"'), "doser.toml")

    def doser(port: MemoryTransport, data: bytes) -> None:
        assert sheet.frame is not None
        port.say(wrap(sheet.frame.plan(), Frame(5, b"\x01" + struct.pack(">f", math.inf))))

    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: MemoryTransport(doser))
    await runner.open()
    (reading,) = await device_for(runner, sheet).read(sheet.parameter)
    assert (reading.outcome, reading.value) == (Outcome.READ, math.inf)
    await runner.release()


@pytest.mark.parametrize("said", ["AUTO", "pump 2 off", "ERROR 5", "ERR05", "?unknown command 3"])
@pytest.mark.parametrize("echo", [0, 1])
async def test_words_and_refusals_are_answers_nothing_is_owed_after_them(notes: Notes, said: str, echo: int) -> None:
    """What answered one question must not make the next one's answer doubtful, on the second reading either."""
    sheet = read_sheet(
        'name = "gauge"\ndevice = "gauge"\n[line]\nsettings = "9600 8N1"\nsource = "manual"\n'
        "[[parameter]]\nname = 'water'\nread = 'T?\\n'\nlike = '(?P<value>[\\d.]+) C'\n"
        "[[parameter]]\nname = 'mode'\nkind = 'text'\nread = 'MODE?\\n'\nlike = '(?P<value>[A-Z]{4}|[0-9])'\n",
        "gauge.toml",
    )

    def gauge(port: MemoryTransport, data: bytes) -> None:
        port.say(echo * data.replace(b"\n", b"\r\n"))
        port.say(b"9.5 C\r\n" if data.startswith(b"T") else said.encode() + b"\r\n")

    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: MemoryTransport(gauge))
    await runner.open()
    for _ in range(3):
        water, mode = await device_for(runner, sheet).read(sheet.parameter)
        assert (water.value, water.words) == (9.5, "")
        assert mode.value == {"AUTO": "AUTO", "pump 2 off": "2"}.get(said)
        assert mode.outcome is (Outcome.READ if mode.value else Outcome.REFUSED)
    await runner.release()


@pytest.mark.parametrize("alive", [True, False])
async def test_on_an_adapter_that_echoes_an_echo_is_never_taken_for_an_answer(notes: Notes, alive: bool) -> None:
    sheet = all_sheets()[0]["variable-speed-drive"]
    bus = Bus(LineSettings(19200), [3], "rtu")
    dead = False

    def device(port: MemoryTransport, data: bytes) -> None:
        port.say(data)
        for say in bus.receive([Character(0.0, byte) for byte in data], 0.0) if not dead else ():
            port.say(say.data)

    runner = LinkRunner(1, "/dev/made-up", LineSettings(19200), notes, lambda endpoint: MemoryTransport(device))
    await runner.open()
    unit = ModbusUnit(runner, "rtu", 3, sheet.bus.model_copy(update={"retries": 0, "timeout_s": 0.2}))
    speed = sheet.parameter_named("set-point")
    assert speed is not None and sheet.store is not None
    (written,) = await apply(unit, [(speed, 40.0)])
    assert (written.before, written.after, written.verdict) == (35.0, 40.0, "held")
    dead = not alive
    if alive:
        assert await ModbusUnit(runner, "rtu", 3, sheet.bus).act(sheet.store) == "taken"
    else:
        with pytest.raises(Trouble, match="only our own bytes came back"):
            await unit.write(speed, 20.0)
        with pytest.raises(Trouble, match="only our own bytes came back"):
            await ModbusUnit(runner, "rtu", 3, sheet.bus.model_copy(update={"retries": 0})).act(sheet.store)
    await runner.release()


def test_what_a_value_holds_is_never_read_as_control_bytes() -> None:
    assert filled("set {a} {b}<CR>", {"a": "<ESC>\\r", "b": "x"}) == b"set <ESC>\\r x\r"
    assert filled("{other}\\r", {"a": "1"}) == b"{other}\r"


class Shelf:
    """A device that keeps what it is told; `stuck` is what it keeps as it was."""

    def __init__(self, stuck: str = "") -> None:
        self.values: dict[str, Setting] = {}
        self.told: list[str] = []
        self._stuck = stuck

    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        return [Reading(p.name, Outcome.READ, self.values.get(p.name, 0), b"") for p in parameters]

    async def write(self, parameter: Parameter, value: Setting) -> str:
        self.told.append(parameter.name)
        if parameter.name != self._stuck:
            self.values[parameter.name] = value
        return "taken"

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        return b""

    async def act(self, action: Action) -> str:
        return ""


async def test_settings_go_out_by_rank_whoever_asks_in_what_order_and_stop_at_the_first_that_does_not_hold() -> None:
    named = {name: Parameter(name=name, kind="whole", rank=rank) for name, rank in (("c", 3), ("a", 1), ("b", 2))}
    wanted: list[tuple[Parameter, Setting]] = [(parameter, 7) for parameter in named.values()]
    shelf = Shelf()
    assert [one.name for one in await apply(shelf, wanted)] == shelf.told == ["a", "b", "c"]
    stuck = Shelf("b")
    done = await apply(stuck, wanted)
    assert stuck.told == ["a", "b"] and [one.good for one in done] == [True, False]
