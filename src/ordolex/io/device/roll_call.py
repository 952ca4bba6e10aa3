"""Calls units on a line one by one, by their protocol or with a question of one's own; nothing is changed on them."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from ordolex.core.bus.others import asked_by_another, tied
from ordolex.core.bus.roll_call import Called
from ordolex.core.bus.units import with_unit
from ordolex.core.device.setting import Outcome
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question
from ordolex.core.link.wait import proposed_wait_ms
from ordolex.core.protocols.codecs import ModbusCodec
from ordolex.core.protocols.modbus import pdu
from ordolex.core.protocols.modbus.address import Place
from ordolex.core.protocols.modbus.crc import frames_in
from ordolex.core.protocols.modbus.frames import FRAMINGS
from ordolex.core.sheet.parameters import Bus
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.io.device.base import DOUBTFUL, Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.device.text import TextDevice
from ordolex.io.link.behind import heard_behind
from ordolex.io.link.runner import LinkRunner

_ONE_REGISTER = pdu.read_registers(3, 0, 1)
_FIRST_S = 0.3
_REST_S = 2.0  # for the rest of an answer that breaks off
_SECONDS = 3.0
_TIMES_BESIDE = 3  # a unit is called, where another master speaks into it


class Caller(Protocol):
    """How one unit is called. `timeout_s` is waited for its answer."""

    runner: LinkRunner
    timeout_s: float

    async def call(self, unit: str, *, last: bool) -> Called:
        """`last`: an answer that comes after the time-out is waited for, so that the time is known. Raises PortLost."""

    async def identify(self, called: Called) -> Called:
        """The same with what the unit says that it is, where it can be asked. Raises PortLost."""

    def another_master(self, heard: bytes, unit: str, asked: Collection[str]) -> str:
        """A question that somebody else asked, in what came while this unit was called, in words; empty for none. Units
        that were `asked` before may answer late."""


@dataclass(slots=True)
class ModbusCaller:
    """One register of each is asked for; an exception is as good an answer as a value."""

    runner: LinkRunner
    framing: str
    timeout_s: float = _FIRST_S

    def another_master(self, heard: bytes, unit: str, asked: Collection[str]) -> str:
        if self.framing != "rtu":
            return ""
        units = sorted({heard[begin] for begin, _ in frames_in(heard)} - {int(unit), *map(int, asked)})
        return f"frames of units {', '.join(map(str, units))}" if units else ""

    def _unit(self, unit: str, *, last: bool = True) -> ModbusUnit:
        device = ModbusUnit(self.runner, self.framing, int(unit), Bus(timeout_s=self.timeout_s, retries=0))
        device.waits_for_late = last
        return device

    async def call(self, unit: str, *, last: bool) -> Called:
        heard = bytearray()

        def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
            heard.extend(data)

        with self.runner.tap.heard_by(hear):
            try:
                reply, raw, ms = await self._unit(unit, last=last).exchange(
                    _ONE_REGISTER, f"{Place('holding', 0).text}?", 0
                )
            except Trouble as trouble:
                if trouble.outcome is Outcome.SILENT:
                    return Called(unit)
                if "breaks off" in trouble.words:  # its rest may only be slow
                    await heard_behind(self.runner, _REST_S, _REST_S)
                    codec = ModbusCodec(FRAMINGS[self.framing](), int(unit), _ONE_REGISTER, "")
                    whole, _ = codec.reply(bytes(heard))
                    if whole is not None and not codec.after_first(bytes(heard)):
                        return Called(unit, whole.words, right=True)
                spoilt = "check" in trouble.words or "breaks off" in trouble.words or "no answer" in trouble.words
                doubled = f"{trouble.words}; two units with one address sound like this" if spoilt else ""
                return Called(unit, trouble.words, doubled=doubled)
            await heard_behind(self.runner, None)
        more = len(heard) - heard.find(raw) - len(raw) if raw in heard else 0
        if self.framing != "tcp":  # both may have come in one piece
            more += len(ModbusCodec(FRAMINGS[self.framing](), int(unit), _ONE_REGISTER, "").after_first(raw))
        behind = f"{counted(more, 'byte')} behind a right answer: a second unit may have this address"
        return Called(unit, reply.words, ms, right=True, doubled=behind if more else "")

    async def identify(self, called: Called) -> Called:
        from ordolex.io.device.identity import identity_of

        return replace(called, identity=await identity_of(self._unit(called.unit)))


@dataclass(slots=True)
class TextCaller:
    """A question with `{unit}` in it, as bytes."""

    runner: LinkRunner
    template: bytes
    timeout_s: float = _FIRST_S

    def another_master(self, heard: bytes, unit: str, asked: Collection[str]) -> str:
        return asked_by_another(self.template, heard, unit)

    async def call(self, unit: str, *, last: bool) -> Called:
        data = with_unit(self.template, unit)
        said = await self._said(unit, data, last=last)
        if said.said == DOUBTFUL:  # behind a silent unit: once that one's answer cannot come any more, it is clear
            await asyncio.sleep(self.runner.must_wait_s(Question(data, owes=True)))
            said = await self._said(unit, data, last=last)
        return said

    async def _said(self, unit: str, data: bytes, *, last: bool) -> Called:
        device = TextDevice(self.runner, Bus())
        device.waits_for_late = last
        try:
            (said, *_), ms = await device.said(data, self.timeout_s, unhurried=True)
        except Trouble as trouble:
            return Called(unit) if trouble.outcome is Outcome.SILENT else Called(unit, trouble.words)
        more = len(await heard_behind(self.runner, None if ms is None else ms / 1000))
        behind = f"{counted(more, 'byte')} behind its answer: a second unit may have this address"
        return Called(unit, said.strip(), ms, right=True, doubled=behind if more else "")

    async def identify(self, called: Called) -> Called:
        return called


class OthersSpeak(Exception):
    """Another master speaks on the line. `called` are the units that were called before that was seen."""

    def __init__(self, words: str, called: Sequence[Called]) -> None:
        super().__init__(words)
        self.called = list(called)


async def call_units(  # noqa: C901 - the pass over the units, and what is heard beside it, are one thing
    caller: Caller,
    units: Sequence[str],
    changed: Callable[[Called], None] = lambda called: None,
    *,
    beside_others: bool = False,
) -> list[Called]:
    """Each in turn. Where answers turn out to come after the time-out, the silent ones are called once more, with the
    time that was measured. Then those that answer rightly are asked who they are. Once another master is heard, no more
    is sent into his traffic, unless it is to go on `beside_others`. Raises PortLost, OthersSpeak."""
    found: dict[str, Called] = {}
    strays: list[str] = []
    heard, calling = bytearray(), [""]

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(data)
        if not calling[0]:
            strays.extend(text_of(data).splitlines())

    async def one(unit: str, *, last: bool) -> None:
        master = ""
        for _ in range(_TIMES_BESIDE if beside_others else 1):
            calling[0] = unit
            del heard[:]
            found[unit] = await caller.call(unit, last=last)
            calling[0] = ""
            master = caller.another_master(bytes(heard), unit, found)
            if not master:
                break
        if master and found[unit].right:
            found[unit] = replace(found[unit], right=False, said=f"{master[:40]}: another master spoke meanwhile")
        if master and not beside_others:
            words = f"another master speaks on this line ({master[:40]}); nothing more is sent into that"
            raise OthersSpeak(words, tied(list(found.values()), strays))
        changed(found[unit])

    with caller.runner.tap.heard_by(hear):
        for unit in units:
            await one(unit, last=unit == units[-1])
        late = caller.runner.late
        enough_s = late.enough_s if late is not None else 0.0
        if enough_s > caller.timeout_s:
            caller.timeout_s = min(enough_s, _SECONDS)
            for unit in [unit for unit in units if not found[unit].right]:
                await one(unit, last=True)
    if isinstance(caller, TextCaller):
        found = {called.unit: called for called in tied(list(found.values()), strays)}
    for called in [one for one in found.values() if one.right and not one.doubled]:
        found[called.unit] = await caller.identify(called)
        changed(found[called.unit])
    return [_against_others(called, list(found.values())) for called in found.values()]


def _against_others(called: Called, others: Sequence[Called]) -> Called:
    """In text, an answer of twice as many lines as all others give is one of two that speak at once."""
    answers = [one for one in others if one.right]
    lines = len(called.said.splitlines())
    usual = {len(one.said.splitlines()) for one in answers if one is not called}
    if called.right and not called.doubled and len(usual) == 1 and lines == 2 * next(iter(usual)) and len(answers) > 2:
        return replace(called, doubled=f"{lines} lines, where the others give {next(iter(usual))}")
    return called


def enough_ms(called: Sequence[Called]) -> int:
    """A time-out that is enough for what was measured."""
    return proposed_wait_ms([one.ms for one in called if one.ms is not None])
