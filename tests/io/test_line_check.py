"""A device in text whose lines carry a check: it is put in and taken off, and a wrong one is never read as a value."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.device.setting import Outcome
from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols.checks import CHECKS
from ordolex.core.protocols.line_check import CheckTrouble, LineCheck, with_check, without_check
from ordolex.core.sheet import SheetError, read_sheet
from ordolex.io.device.base import Trouble
from ordolex.io.device.settings import device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.transport.twins import MemoryTransport
from tests.conftest import Notes

SHEET = r"""
name = "dosing-pump"
device = "dosing pump of the hatching room"
line_end = "CR"
[line]
settings = "9600 8N1"
source = "manual"
[line_check]
check = "sum8"
mark = "*"
behind = "#"
[[parameter]]
name = "dose"
unit = "ml"
low = 0
high = 90
read = '#07R D\r'
like = 'D=(?P<value>[\d.]+)'
write = '#07W D={value}\r'
taken = 'OK'
"""
PLAN = LineCheck("sum8", "hex digits", b"*", b"#")


def test_what_is_put_in_is_counted_from_where_the_sheet_says() -> None:
    assert with_check(PLAN, b"#07R D\r") == b"#07R D*1D\r"
    assert without_check(PLAN, b"#07R D*1d\r\n") == b"#07R D\r\n"
    for wrong in (b"#07R D*1E\r", b"#07R D\r", b"*\r", b"#07R D*1\r"):
        with pytest.raises(CheckTrouble):
            without_check(PLAN, wrong)
    with pytest.raises(SheetError, match="is no check; choose one of sum8"):
        read_sheet(SHEET.replace('"sum8"', '"sum9"'), "x.toml")


@given(st.binary(min_size=1, max_size=30).filter(lambda b: not set(b) & set(b"\r\n\x03\x04\x0b\x0c\x1c\x1d\x1e\x85")),
       st.sampled_from(sorted(CHECKS)))  # fmt: skip
def test_every_check_that_is_put_in_is_taken_off_again(text: bytes, name: str) -> None:
    plan = LineCheck(name, "hex digits", b";")
    assert without_check(plan, with_check(plan, text + b"\r")) == text + b"\r"


class Pump:
    """Answers with checks of its own; `spoils` turns one byte of what it says."""

    def __init__(self) -> None:
        self.dose, self.spoils, self.refused = "12.5", False, 0

    def __call__(self, port: MemoryTransport, data: bytes) -> None:
        try:
            text = without_check(PLAN, data).strip()
        except CheckTrouble:
            self.refused += 1
            return
        if text.startswith(b"#07W D="):
            self.dose = text[7:].decode()
            answer = b"#OK\r"
        else:
            answer = f"#D={self.dose}\r".encode()
        answer = with_check(PLAN, answer)
        port.say(answer.replace(b"#", b"!", 1) if self.spoils else answer)


async def test_a_value_is_read_written_and_a_spoilt_answer_is_none(notes: Notes) -> None:
    pump, sheet = Pump(), read_sheet(SHEET, "dosing-pump.toml")
    twin = MemoryTransport()
    written = twin.write

    async def write(data: bytes) -> None:
        await written(data)
        pump(twin, data)

    twin.write = write  # type: ignore[method-assign]
    runner = LinkRunner(1, "/dev/made-up", LineSettings(9600), notes, lambda endpoint: twin)
    await runner.open()
    device, dose = device_for(runner, sheet), sheet.parameter_named("dose")
    assert dose is not None
    (reading,) = await device.read([dose])
    assert (reading.outcome, reading.value) == (Outcome.READ, 12.5)
    assert device.preview(dose, 15.5) == with_check(PLAN, b"#07W D=15.5\r")
    assert await device.write(dose, 15.5) == "#OK" and pump.dose == "15.5" and pump.refused == 0
    pump.spoils = True
    (reading,) = await device.read([dose])
    assert reading.outcome is Outcome.WRONG and "was counted (sum8)" in reading.words and reading.value is None
    with pytest.raises(Trouble, match="was counted"):
        await device.write(dose, 11.0)
    await runner.release()
