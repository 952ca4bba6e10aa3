"""A device that is asked in text, line by line, or by AT commands; and one that only talks."""

from __future__ import annotations

import asyncio
import math
import re
from collections.abc import Sequence
from typing import TYPE_CHECKING

from ordolex.core.device.setting import Outcome, Reading
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question, Verdict
from ordolex.core.protocols.at.results import is_error, read_reply
from ordolex.core.protocols.codecs import AtCodec
from ordolex.core.protocols.instrument import no_value
from ordolex.core.protocols.line_check import CheckTrouble, with_check, without_check
from ordolex.core.sheet.parameters import Action, Bus, LineCheckFormat, Parameter, Setting, send_text
from ordolex.core.text.charsets import CHARSETS, UNCHOSEN, readings_of, surely_read, text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.digits import exact, whole_or
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.number_in import NUMBER, part_of
from ordolex.core.text.patterns import found_in, search
from ordolex.core.text.readable import parity_left_in
from ordolex.core.text.refused import is_refusal, stands_instead
from ordolex.core.text.shown import shown
from ordolex.io.device.base import DOUBTFUL, Changed, Trouble, nobody
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import PortLost

if TYPE_CHECKING:
    from regex import Match

ECHO_ALONE = (
    "it gave back what was asked and nothing more: an echo, or an answer that reads the same; other answers tell"
)
IN_DOUBT = "it begins with what was asked: an echo, or a part of the answer; other answers tell"
_SILENT_WRITE_S = 0.15
_LISTEN_S = 12.0
_MOST_ERRORS = 12  # that are taken out of a queue
_STANDS = 3  # times the same in a row: no queue, or one that would take long to empty


class TextDevice:
    """`at` takes answers to end with a result code; `check` is one that each line carries."""

    def __init__(self, runner: LinkRunner, bus: Bus, *, at: bool = False, check: LineCheckFormat | None = None) -> None:
        self._check = check
        self._runner = runner
        self._bus = bus
        self._at = at
        self.waits_for_late = True
        """Whether an answer is waited for beyond the time-out."""

    async def said(
        self, data: bytes, timeout_s: float, *, holds: str = "", unhurried: bool = False
    ) -> tuple[list[str], float | None]:
        """What was answered to a question that changes nothing, in each way in which it can be read, and in how many
        ms; the way first that fits `holds`, a pattern of a right answer. Raises Trouble, or PortLost."""
        data = self._with_check(data)
        answer = await self._ask(data, reads=True, timeout_s=timeout_s, holds=holds, unhurried=unhurried)
        texts = self._texts(data, answer)
        if holds and answer.question.codec is None and (found := answer.question.find(holds, answer.data)):
            texts = [found[0], *texts]
        elif holds and answer.question.codec is None and self._check is None:
            texts = [text for text in texts if search(holds, text) is None] or [""]  # it fits in our own text alone
        return texts, None if answer.last_s is None else answer.last_s * 1000

    def _with_check(self, data: bytes) -> bytes:
        return with_check(self._check.plan(), data) if self._check is not None and self._check.sent else data

    async def _ask(
        self, data: bytes, *, reads: bool = False, timeout_s: float = 0.0, holds: str = "", unhurried: bool = False
    ) -> Answer:
        codec = AtCodec(data) if self._at else None
        wait_s = timeout_s or max(1.0, self._bus.timeout_s)
        holds = "" if self._check is not None else holds  # the shape is that of what the check leaves
        question = Question(
            data, timeout_s=wait_s, codec=codec, owes=True, harmless=reads, holds=holds, unhurried=unhurried
        )
        answer = await self._runner.ask(question)
        if answer.ended is Ended.NOTHING and self.waits_for_late:
            answer = await self._runner.late_answer(question) or answer
        if answer.ended is Ended.LOST:
            raise PortLost("the port went away", "plug it in again")
        if answer.ended is Ended.STOPPED:
            raise asyncio.CancelledError
        return answer

    def _texts(self, data: bytes, answer: Answer) -> list[str]:
        """What was said, without our own echo, in each way in which it can be read, the likeliest first. Raises Trouble
        for silence, faults and refusals, and where nothing was said but what may be our own."""
        if not answer.data:
            raise Trouble(Outcome.SILENT, f"no answer in {answer.question.timeout_s:g} s")
        if answer.ended is Ended.DOUBTFUL:
            raise Trouble(Outcome.WRONG, DOUBTFUL, answer.data)
        if answer.errors.total:
            raise Trouble(Outcome.WRONG, f"{answer.errors.words()} in the answer", answer.data)
        if settings := parity_left_in(answer.data):
            words = f"its bytes read as {settings}, with the parity bit left in"
            raise Trouble(Outcome.WRONG, words, answer.data)
        if self._at:
            reply = read_reply(data, answer.data)
            if not reply.result:
                raise Trouble(Outcome.WRONG, "the answer has no result code", answer.data)
            if is_error(reply.result):
                raise Trouble(Outcome.REFUSED, reply.words, answer.data)
            return ["\n".join([*reply.lines, reply.result])]
        if answer.verdict is Verdict.ECHO:
            raise Trouble(Outcome.SILENT, ECHO_ALONE, answer.data)
        if self._check is not None and self._check.answers:
            try:
                heard = without_check(self._check.plan(), answer.question.bare(answer.data)[0].lstrip(b"\r\n"))
            except CheckTrouble as trouble:
                raise Trouble(Outcome.WRONG, str(trouble), answer.data) from trouble
            return [shown(text) for text in readings_of(heard, self._runner.charset)]
        if answer.in_doubt:
            raise Trouble(Outcome.WRONG, IN_DOUBT, answer.data)
        return answer.question.texts(answer.data)

    async def read(self, parameters: Sequence[Parameter], changed: Changed = nobody) -> list[Reading]:
        out = []
        answers: dict[str, Answer] = {}  # values that stand in one answer are asked for once
        for parameter in parameters:
            if parameter.hear:
                reading = await self._listen(parameter)
            else:
                if parameter.read not in answers:
                    others = {other.like for other in parameters if other.read == parameter.read}
                    holds = parameter.like if len(others) == 1 else ""
                    data = self._with_check(to_bytes(parameter.read))
                    answers[parameter.read] = await self._ask(data, reads=True, holds=holds)
                reading = self._reading(parameter, answers[parameter.read])
            changed(reading)
            out.append(reading)
        return out

    def _reading(self, parameter: Parameter, answer: Answer) -> Reading:
        ms = None if answer.last_s is None else answer.last_s * 1000
        try:
            texts = self._texts(answer.question.data, answer)
        except Trouble as trouble:
            return Reading(parameter.name, trouble.outcome, raw=trouble.raw, words=trouble.words, ms=ms)
        refused = next((text for text in texts if is_refusal(text.lstrip(), parameter.read, parameter.like)), None)
        if refused is not None:
            said = f"said {refused.strip()[:60]!r}"
            return Reading(parameter.name, Outcome.REFUSED, raw=answer.data, words=said, ms=ms)
        placed = _find(parameter.like, answer, texts)
        if placed is None:
            said = f"said {texts[0].strip()[:60]!r}"
            return Reading(parameter.name, Outcome.WRONG, raw=answer.data, words=said, ms=ms)
        text, found = placed
        if found.span() == found.span("value") and (other := stands_instead(text, found.start(), parameter.read)):
            return Reading(parameter.name, Outcome.REFUSED, raw=answer.data, words=f"said {other[:60]!r}", ms=ms)
        if parameter.kind in ("number", "whole") and (
            whole := part_of(text, found.span(), found.span("value"), parameter.like)
        ):
            return Reading(parameter.name, Outcome.WRONG, raw=answer.data, words=_part(whole), ms=ms)
        value = surely_read(str(found["value"]), answer.data, self._runner.charset)
        return _reading(parameter, value, answer.data, ms)

    async def _listen(self, parameter: Parameter) -> Reading:
        heard = bytearray()
        came = asyncio.Event()
        charset = self._runner.charset

        def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
            heard.extend(data)
            came.set()

        with self._runner.tap.heard_by(hear):
            try:
                async with asyncio.timeout(_LISTEN_S):
                    while True:
                        found = search(parameter.hear, text_of(bytes(heard[-4096:]), charset))
                        if found is not None:
                            value = surely_read(str(found["value"]), bytes(heard), charset)
                            return _reading(parameter, value, _as_came(found[0], heard, charset), None)
                        came.clear()
                        await came.wait()
            except TimeoutError:
                words = f"not said within {_LISTEN_S:g} s; {counted(len(heard), 'byte')} came"
                return Reading(parameter.name, Outcome.SILENT, raw=bytes(heard[-200:]), words=words)

    async def write(self, parameter: Parameter, value: Setting) -> str:
        data = self.preview(parameter, value)
        if not parameter.confirm:
            return await self._send(data, parameter.taken)
        stood = await self._emptied(parameter)
        await self._runner.out.send(data)
        await asyncio.sleep(_SILENT_WRITE_S)
        said = await self._confirmed(parameter)
        if parameter.taken and not _fits(parameter.taken, said):
            if said == stood:
                raise Trouble(Outcome.WRONG, f"it said {said[0][:80]!r}, as it did before the write")
            raise Trouble(Outcome.REFUSED, f"it said {said[0][:80]!r}")
        return said[0]

    async def _confirmed(self, parameter: Parameter) -> list[str]:
        data = self._with_check(to_bytes(parameter.confirm))
        return [text.strip() for text in self._texts(data, await self._ask(data, reads=True, holds=parameter.taken))]

    async def _emptied(self, parameter: Parameter) -> list[str]:
        """Asks what a write will be judged by until nothing of before stands there: a queue of errors may hold some
        that other bytes made (SCPI 1999, volume 2, 21.8). What it says last; a device that does not say is no worse
        than before."""
        said: list[list[str]] = []
        while parameter.taken and len(said) < _MOST_ERRORS:
            try:
                said.append(await self._confirmed(parameter))
            except Trouble:
                return []
            if _fits(parameter.taken, said[-1]) or said[-_STANDS:] == said[-1:] * _STANDS:
                break
        return said[-1] if said else []

    def preview(self, parameter: Parameter, value: Setting) -> bytes:
        """Raises ValueError for a value that cannot be sent."""
        text = exact(value) if isinstance(value, float) else str(value)
        return self._with_check(send_text(parameter.write, text, self._runner.charset or UNCHOSEN))

    async def act(self, action: Action) -> str:
        return await self._send(self._with_check(to_bytes(action.send)), action.taken)

    async def _send(self, data: bytes, taken: str) -> str:
        if not taken and not self._at:
            await self._runner.out.send(data)
            await asyncio.sleep(_SILENT_WRITE_S)
            return "sent; it says nothing to that"
        texts = [text.strip() for text in self._texts(data, await self._ask(data, holds=taken))]
        if taken and not _fits(taken, texts):
            raise Trouble(Outcome.REFUSED, f"it said {texts[0][:80]!r}")
        return texts[0]


def _fits(taken: str, texts: Sequence[str]) -> bool:
    return any(search(taken, text) for text in texts)


def _find(like: str, answer: Answer, texts: list[str]) -> tuple[str, Match[str]] | None:
    if answer.question.codec is None and answer.question.texts(answer.data) == texts:
        return answer.question.find(like, answer.data)
    return next((placed for text in texts if (placed := found_in(like, text))), None)  # its check, or codes, are off


def _part(whole: str) -> str:
    return f"{whole[:40]!r} may be one number: the sheet's pattern takes a part of it, and has to say where it ends"


def _as_came(said: str, heard: bytearray, charset: str) -> bytes:
    """The bytes of what was read in `heard`; where the character set is not known, the last that came."""
    codecs = (CHARSETS[charset],) if charset in CHARSETS else ("utf-8", "latin-1")
    ways = [said.encode(codec, "replace") for codec in codecs]
    return next((data for data in ways if data in heard), bytes(heard[-200:]))


def _reading(parameter: Parameter, text: str, raw: bytes, ms: float | None) -> Reading:
    value: Setting = text.strip()
    if parameter.kind in ("number", "whole"):
        number = float(text) if re.fullmatch(NUMBER, text.strip(), re.ASCII) else math.nan
        if not math.isfinite(number):
            return Reading(parameter.name, Outcome.WRONG, raw=raw, words=f"{text!r} is no number", ms=ms)
        if why := no_value(number):
            return Reading(parameter.name, Outcome.WRONG, raw=raw, words=why, ms=ms)
        value = whole_or(number)
    elif parameter.kind in ("choice", "switch") and text.strip().isdecimal():
        value = int(text)
    return Reading(parameter.name, Outcome.READ, value, raw, ms=ms)
