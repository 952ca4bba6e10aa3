"""A meter by IEC 62056-21: sign-on, the change of rate that both agree on, the readout, and back to the rate of the
sign-on. Settings of a meter are behind its seal: programming mode is not entered.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence

from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.link.exchange import Ended
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question
from ordolex.core.protocols import meter
from ordolex.core.sheet.parameters import Action, Parameter, Setting
from ordolex.core.text.counts import counted
from ordolex.io.device.base import Changed, Trouble, nobody
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import PortLost

_SIGN_ON_S = 3.0
_BREAKS_OFF_S = 2.5  # IEC 62056-21, 6.4.2: no more than 1.5 s between characters of a message
_STEP_S = 0.02
_REPEATS = 2  # how often a message is asked for again

Said = Callable[[str], None]


class _Heard:
    """What comes from the sign-on on."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.last_s = 0.0

    def hear(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self.data.extend(data)
        self.last_s = mono_s()

    def clear(self) -> None:
        self.data.clear()

    def forget_sign_on(self) -> None:
        self.data = bytearray(meter.behind_identification(bytes(self.data)))


def _is_spoilt(data: bytes) -> bool:
    if not meter.whole_block(data):
        return False
    try:
        meter.read_block(data)
    except meter.MeterTrouble:
        return True
    return False


class MeterDevice:
    """`said` is told each step as it is done. What was read last is in `readout` and `identification`."""

    def __init__(self, runner: LinkRunner, address: str = "", said: Said = lambda words: None) -> None:
        self._runner = runner
        self._address = address
        self._said = said
        self.identification: meter.Identification | None = None
        self.readout: meter.Readout | None = None

    async def read_out(self) -> meter.Readout:
        """Raises Trouble and Faults."""
        home = self._runner.line
        heard = _Heard()
        try:
            with self._runner.tap.heard_by(heard.hear):
                identification = await self._sign_on()
                heard.forget_sign_on()
                data = await self._data(identification, heard)
        finally:
            if self._runner.is_open and self._runner.line != home:
                await self._runner.retune(home, keep=True)
                self._said(f"back at {home.text}")
        if data.startswith(meter.SOH):
            raise Trouble(Outcome.REFUSED, "the meter ended it with a break message: it gives no readout here", data)
        try:
            self.readout = meter.read_block(data)
        except meter.MeterTrouble as error:
            outcome = Outcome.WRONG if data else Outcome.SILENT
            raise Trouble(outcome, str(error), data) from error
        checked = "block check right" if meter.STX in data else "sent without a block check"
        self._said(f"{counted(len(self.readout.values), 'value')}, {checked}")
        return self.readout

    async def _sign_on(self) -> meter.Identification:
        asked = Question(meter.sign_on(self._address), timeout_s=_SIGN_ON_S, codec=meter.SignOnCodec())
        answer = await self._runner.ask(asked)
        if answer.ended is Ended.LOST:
            raise PortLost("the port went away", "plug it in again")
        if answer.ended is Ended.STOPPED:
            raise asyncio.CancelledError
        found = meter.read_identification(answer.data)
        if found is None:
            outcome = Outcome.WRONG if answer.data else Outcome.SILENT
            words = (
                f"no identification, but {counted(len(answer.data), 'byte')}"
                if answer.data
                else "no answer to the sign-on"
            )
            raise Trouble(outcome, words, answer.data)
        self.identification = found
        self._said(f"identified: {found.text}")
        return found

    async def _data(self, identification: meter.Identification, heard: _Heard) -> bytes:
        runner = self._runner
        if identification.mode == "C":
            await self._select(identification)
        elif identification.mode == "B":
            await self._follow(identification.baud)
        data = await self._message(heard)
        for _ in range(_REPEATS):
            if data == meter.NAK and identification.mode == "C":  # it did not understand what was selected
                self._said("the meter asks for a repetition")
                await runner.retune(runner.line.changed(baud=meter.SIGN_ON_BAUD), keep=True)
                heard.clear()
                await self._select(identification)
            elif _is_spoilt(data):
                self._said("block check wrong; the meter is asked to repeat")
                heard.clear()
                await runner.out.send(meter.NAK)
            else:
                return data
            again = await self._message(heard)
            data = again or data
            if not again:
                return data
        return data

    async def _select(self, identification: meter.Identification) -> None:
        option = meter.acknowledge(identification.rate_character)
        await self._runner.out.send(option)
        await asyncio.sleep(self._runner.line.seconds_for(len(option)) + 0.03)
        await self._follow(identification.baud)

    @staticmethod
    async def _message(heard: _Heard) -> bytes:
        """What comes until a message is whole, or nothing comes any more."""
        heard.last_s = mono_s()
        while True:
            data = bytes(heard.data)
            if data.endswith(meter.BREAK):
                return meter.BREAK
            if meter.whole_block(data) or data == meter.NAK or mono_s() - heard.last_s >= _BREAKS_OFF_S:
                return data
            if meter.whole_plain(data):
                return data
            await asyncio.sleep(_STEP_S)

    async def _follow(self, baud: int) -> None:
        await self._runner.retune(self._runner.line.changed(baud=baud), keep=True)
        self._said(f"both change to {baud} baud")

    # ---- as a device

    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        try:
            readout = await self.read_out()
        except Trouble as trouble:
            out = [Reading(p.name, trouble.outcome, raw=trouble.raw, words=trouble.words) for p in parameters]
        else:
            out = [_reading(parameter, readout) for parameter in parameters]
        for reading in out:
            changed(reading)
        return out

    async def write(self, parameter: Parameter, value: Setting) -> str:
        raise Trouble(Outcome.REFUSED, "settings of a meter are behind its seal; programming mode is not entered")

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        raise ValueError("settings of a meter are behind its seal; programming mode is not entered")

    async def act(self, action: Action) -> str:
        raise Trouble(Outcome.REFUSED, "a meter is only read here")


def _reading(parameter: Parameter, readout: meter.Readout) -> Reading:
    same = [v for v in readout.values if v.is_for(parameter.code)]
    found = next((v for v in same if v.code == parameter.code), same[0] if same else None)
    if found is None:
        return Reading(parameter.name, Outcome.REFUSED, words=f"the readout has no {parameter.code}")
    raw = f"{found.code}({found.value}{'*' + found.unit if found.unit else ''})".encode()
    value: Setting = found.value
    if parameter.kind in ("number", "whole"):
        try:
            value = float(found.value)
        except ValueError:
            return Reading(parameter.name, Outcome.WRONG, raw=raw, words=f"{found.value!r} is no number")
        if found.unit and parameter.unit and found.unit != parameter.unit:
            words = f"the unit is {found.unit}, the sheet says {parameter.unit}"
            return Reading(parameter.name, Outcome.WRONG, raw=raw, words=words)
    return Reading(parameter.name, Outcome.READ, value, raw)
