"""A device whose frames a sheet describes."""

from __future__ import annotations

import asyncio
import struct
from collections.abc import Sequence

from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.link.exchange import Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.codecs import FramedCodec
from ordolex.core.protocols.framed import Frame, FramePlan, wrap
from ordolex.core.sheet.parameters import PACKED, Action, Bus, Parameter, Payload, Setting
from ordolex.core.text.digits import of_float32, scaled, whole_or
from ordolex.core.text.escapes import to_bytes
from ordolex.io.device.base import DOUBTFUL, Changed, Trouble, nobody
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import PortLost


class FramedDevice:
    def __init__(self, runner: LinkRunner, plan: FramePlan, unit: int, bus: Bus) -> None:
        self._runner, self._plan, self._unit, self._bus = runner, plan, unit, bus

    async def _exchange(self, payload: bytes, name: str, *, reads: bool) -> tuple[Frame, float | None]:
        sent = wrap(self._plan, Frame(self._unit, payload))
        for left in range(self._bus.retries if reads else 0, -1, -1):
            codec = FramedCodec(self._plan, sent, f"unit {self._unit}: {name}", self._unit)
            question = Question(sent, timeout_s=self._bus.timeout_s, codec=codec, harmless=reads)
            answer = await self._runner.ask(question)
            if not left and answer.verdict is not Verdict.RIGHT:
                answer = await self._runner.late_answer(question) or answer
            if answer.ended is Ended.LOST:
                raise PortLost("the port went away", "plug it in again")
            if answer.ended is Ended.STOPPED:
                raise asyncio.CancelledError
            frame, why = codec.frame(answer.data)
            if answer.ended is Ended.DOUBTFUL:
                frame, why = None, DOUBTFUL
            if frame is not None:
                return frame, None if answer.last_s is None else answer.last_s * 1000
            if not left:
                outcome = Outcome.WRONG if answer.data else Outcome.SILENT
                raise Trouble(outcome, why or f"no answer in {self._bus.timeout_s:g} s", answer.data)
        raise AssertionError

    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        out = []
        for parameter in parameters:
            assert parameter.payload is not None
            try:
                frame, ms = await self._exchange(bytes.fromhex(parameter.payload.ask), parameter.name, reads=True)
                reading = _reading(parameter, parameter.payload, frame, ms)
            except Trouble as trouble:
                reading = Reading(parameter.name, trouble.outcome, raw=trouble.raw, words=trouble.words)
            changed(reading)
            out.append(reading)
        return out

    async def write(self, parameter: Parameter, value: Setting) -> str:
        frame, _ = await self._exchange(
            self._payload(parameter, value), f"set {parameter.name} to {value}", reads=False
        )
        return frame.payload.hex(" ") or "taken"

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        return wrap(self._plan, Frame(self._unit, self._payload(parameter, value)))

    def _payload(self, parameter: Parameter, value: Setting) -> bytes:
        payload = parameter.payload
        assert payload is not None
        data = payload.packed(value)
        return bytes.fromhex(payload.write.replace("{value}", data.hex()))

    async def act(self, action: Action) -> str:
        frame, _ = await self._exchange(to_bytes(action.send), action.means or "action", reads=False)
        return frame.payload.hex(" ") or "taken"


def _reading(parameter: Parameter, payload: Payload, frame: Frame, ms: float | None) -> Reading:
    size = struct.calcsize(PACKED[payload.type])
    data = frame.payload[payload.at : payload.at + size]
    if len(data) < size:
        words = f"the answer has {len(frame.payload)} bytes, the value ends at {payload.at + size}"
        return Reading(parameter.name, Outcome.WRONG, raw=frame.payload, words=words, ms=ms)
    data = data[::-1] if payload.low_first else data
    raw = of_float32(data) if payload.type == "float32" else struct.unpack(">" + PACKED[payload.type], data)[0]
    value = scaled(raw, payload.scale, 0)
    whole = value if isinstance(value, str) else whole_or(value)
    return Reading(parameter.name, Outcome.READ, whole, frame.payload, ms=ms)
