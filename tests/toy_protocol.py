"""A toy protocol, in just the places where a protocol is added: codec, record, device, sheet and stand-in."""

from __future__ import annotations

import re
from collections.abc import Sequence

import pytest

from ordolex.bench.catalogue import kinds
from ordolex.bench.devices.base import Say
from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.families import FAMILIES, Family
from ordolex.core.sheet.parameters import Action, Parameter, Setting
from ordolex.core.uart.receiver import Character
from ordolex.io.device.base import Changed, nobody
from ordolex.io.device.settings import DEVICES
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import own_folder

ENQ = b"\x05"
SHEET = """
name = "tally-box"
device = "box that counts trays"
speaks = "tally"
bench_kind = "tally"
[line]
settings = "any"
source = "nothing is printed on it"
[[parameter]]
name = "trays"
code = "T"
kind = "whole"
"""


class TallyCodec:
    """STX, letter, =, digits, ETX."""

    patient = numbered = False
    reads = True
    answers_from = "tally"
    expected = "a count between STX and ETX"

    def __init__(self, code: str) -> None:
        self.name = f"tally {code}"
        self._answer = re.compile(rb"\x02" + code.encode() + rb"=(\d+)\x03")

    def whole(self, data: bytes) -> bool:
        return bool(self.answers(data))

    def answers(self, data: bytes) -> list[bytes]:
        return [found[0] for found in self._answer.finditer(data)]

    def after_first(self, data: bytes) -> bytes:
        found = self._answer.search(data)
        return data[found.end() :] if found else b""

    def judge(self, data: bytes) -> Verdict:
        return Verdict.RIGHT if self.whole(data) else Verdict.WRONG

    def refused(self, data: bytes) -> bool:
        return False

    def words(self, data: bytes) -> str:
        return "counted" if self.whole(data) else "no count"


def question(code: str) -> Question:
    return Question(ENQ + code.encode(), codec=TallyCodec(code))


class TallyBox:
    """The stand-in: ENQ and a letter, and it says how many."""

    def receive(self, characters: list[Character], now_s: float) -> list[Say]:
        heard = bytes(c.byte for c in characters if not c.faulty)
        return [Say(now_s + 0.01, b"\x02T=412\x03")] if heard.endswith(b"T") else []

    def tick(self, now_s: float) -> list[Say]:
        return []

    def next_deadline(self) -> float | None:
        return None


class TallyDevice:
    def __init__(self, runner: LinkRunner) -> None:
        self._runner = runner

    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        out = []
        for parameter in parameters:
            answer = await self._runner.ask(question(parameter.code))
            good = answer.verdict is Verdict.RIGHT
            value = int(answer.data[3:-1]) if good else None
            out.append(Reading(parameter.name, Outcome.READ if good else Outcome.SILENT, value, answer.data))
        return out

    async def write(self, parameter: Parameter, value: Setting) -> str:
        raise ValueError("it is only read")

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        raise ValueError("it is only read")

    async def act(self, action: Action) -> str:
        raise ValueError("it does nothing")


def add_toy(monkeypatch: pytest.MonkeyPatch) -> None:
    family = Family("tally", "tally frames", ("code",), framed=True, harmless=lambda units: [question("T")])
    monkeypatch.setitem(FAMILIES, "tally", family)
    monkeypatch.setitem(DEVICES, "tally", lambda runner, sheet, unit, address: TallyDevice(runner))
    monkeypatch.setitem(kinds(), "tally", lambda plan, now_s: TallyBox())
    own_folder().mkdir(parents=True, exist_ok=True)
    (own_folder() / "tally-box.toml").write_text(SHEET)
