"""Asks one harmless question on many ports at once, to find out behind which of them a device answers.

Each port is opened, asked and let go; results come as they arrive. What passed is kept in the book as one event a try.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ordolex.core.bus.units import with_unit
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.judge import Judge, LineErrors
from ordolex.core.link.question import Question, Verdict
from ordolex.core.port.endpoint import Endpoint
from ordolex.core.record.items import Event
from ordolex.core.text import nmea0183
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.io.link.behind import MOST_S, heard_behind
from ordolex.io.link.journal import RecorderLike
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.survey import MADE_HERE, PortFacts
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.transport.base import Transport
from ordolex.io.transport.open import transport_for

AT_ONCE = 64
"""Ports opened at the same time: as many as a machine has at the most."""


@dataclass(frozen=True, slots=True)
class Try:
    """What came of one port. `answer` is None where it was skipped or did not open, and `why` says it."""

    port: PortFacts
    answer: Answer | None
    why: str
    unit: str = ""
    """Which unit was asked, where the question has a place for one."""
    against: str = ""
    """What else came there that speaks against these settings, though the answer itself has no line errors."""

    @property
    def heard(self) -> bool:
        return self.answer is not None and bool(self.answer.data or self.answer.errors.total)

    @property
    def by_itself(self) -> bool:
        """What came are sentences with a right checksum, as devices say them unasked, and no sentence had been sent."""
        if self.answer is None or self.answer.verdict is not Verdict.UNJUDGED or self.answer.errors.total:
            return False
        return self.answer.question.data[:1] not in (b"$", b"!") and nmea0183.census(self.answer.data)[0] > 0

    @property
    def answered(self) -> bool:
        """A device is there, and the settings fit: an answer that is right, or of unknown shape but clean text."""
        if self.answer is None or not self.answer.data or self.answer.errors.total:
            return False
        if self.answer.verdict is Verdict.RIGHT:
            return True
        if self.against or self.by_itself:
            return False
        judge = Judge()
        judge.receive(self.answer.data, None)
        return self.answer.verdict is Verdict.UNJUDGED and judge.clean


class _Tap:
    """The runner's record of one try: what passed goes into the book as the try's event, also when it is stopped."""

    full = False

    def __init__(self) -> None:
        self.passed = {"tx": b"", "rx": b""}
        self._errors = LineErrors()

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        self.passed[direction] += data
        if errors is not None:
            self._errors.add(errors)

    @property
    def against(self) -> str:
        """What line errors say of all that came; empty where they are few enough to be a disturbance."""
        if self._errors.total <= _DISTURBED * len(self.passed["rx"]):
            return ""
        return f"{len(self.passed['rx'])} bytes came in all, with {self._errors.words()}: it may be at other settings"

    def note(self, event: Event) -> None:
        pass


_ENDS_S = 1.0  # for an answer that has begun to come to its end
_REST_S = 0.3  # for the rest of what somebody says by itself, of which only a beginning was taken for the answer
_ONCE = "this came once, and not when the same was asked again: it may have been said by itself"
_DISTURBED = 0.05  # of all bytes with line errors, such as a disturbed line at right settings may have


def longest_s(ports: Sequence[PortFacts], line: LineSettings, question: Question, units: Sequence[str] = ()) -> float:
    """The most that asking can take, apart from ports that are slow to open; all are asked at once."""
    rounds = -(-sum(port.may_be_opened for port in ports) // AT_ONCE)
    each_s = _each_s(line, question) + (MOST_S if units else 0.0)
    return rounds * (max(1, len(units)) * each_s + 0.2)


def _each_s(line: LineSettings, question: Question) -> float:
    return question.timeout_s + line.seconds_for(len(question.data)) + _ENDS_S


async def ask_everywhere(
    ports: Sequence[PortFacts],
    line: LineSettings,
    question: Question,
    deliver: Callable[[Try], None],
    recorder: RecorderLike,
    make_transport: Callable[[Endpoint], Transport] = transport_for,
    units: Sequence[str] = (),
) -> list[Try]:
    """Asks on all free ports at once; one that is held is skipped and named. With `units` each of them is asked on each
    port, and there is a try for each that was heard. Cancelling lets every port go."""
    gate = asyncio.Semaphore(AT_ONCE)
    tries: list[Try] = []

    async def one(port: PortFacts) -> None:
        tap = _Tap()
        try:
            found = await _one(port, line, question, gate, make_transport, tap, units)
        except asyncio.CancelledError:
            detail = {"endpoint": port.endpoint, "line": line.text}
            detail |= {"sent_hex": tap.passed["tx"].hex(), "heard_hex": tap.passed["rx"].hex()}
            if tap.passed["tx"]:
                recorder.note(Event(0, utc_us(), round(mono_s() * 1e6), "try", f"{port.name}: stopped", detail))
            raise
        for done in found:
            tries.append(done)
            recorder.note(_event(done, line, question))
            deliver(done)

    try:
        await asyncio.gather(*(one(port) for port in ports))
    finally:
        answered = [f"{done.port.name} {done.unit}".strip() for done in tries if done.answered]
        asked = len({done.port.endpoint for done in tries if done.answer is not None})
        text = f"asked {question.text!r} at {line.text} on {asked} of {counted(len(ports), 'port')}: "
        text += f"{', '.join(answered)} answered" if answered else "none answered"
        recorder.note(Event(0, utc_us(), round(mono_s() * 1e6), "everywhere", text, {"tried": len(tries)}))
    return tries


async def _one(
    port: PortFacts, line: LineSettings, question: Question, gate: asyncio.Semaphore,
    make_transport: Callable[[Endpoint], Transport], tap: _Tap, units: Sequence[str],
) -> list[Try]:  # fmt: skip
    """Of each unit that was heard; one try where nobody was, or where no unit is asked."""
    if not port.may_be_opened:
        if port.state == MADE_HERE:
            return [Try(port, None, "skipped: a virtual port of our own, for a program")]
        return [Try(port, None, f"skipped: {port.state}" + (f" by {port.holder}" if port.holder else ""))]
    out = []
    async with gate:
        runner = LinkRunner(0, port.endpoint, line, tap, make_transport)
        try:
            await runner.open()
            for unit in units or ("",):
                asked = (
                    replace(question, data=with_unit(question.data, unit), owes=True, unhurried=True)
                    if units
                    else question
                )
                answer = await _asked(runner, line, asked)
                if answer.ended is Ended.DOUBTFUL:  # behind a silent unit: once that one's answer cannot come any more
                    await asyncio.sleep(runner.must_wait_s(asked))
                    answer = await _asked(runner, line, asked)
                out.append(Try(port, answer, "", unit))
            if any(one.answered for one in out):
                await asyncio.sleep(_REST_S)
                out = [replace(one, against=tap.against) for one in out]
            out = [await _again(runner, line, one) if one.unit else one for one in out]
        except Fault as fault:
            return [*(one for one in out if one.heard), Try(port, None, fault.what)]
        finally:
            await runner.release()
    return [one for one in out if one.heard] or [Try(port, out[-1].answer, "")]


async def _again(runner: LinkRunner, line: LineSettings, done: Try) -> Try:
    """A unit whose answer's shape nobody knows is asked once more: somebody may have spoken by himself just then."""
    if not done.answered or done.answer is None or done.answer.verdict is not Verdict.UNJUDGED:
        return done
    again = await _asked(runner, line, done.answer.question)
    return done if replace(done, answer=again).answered else replace(done, against=_ONCE)


async def _asked(runner: LinkRunner, line: LineSettings, question: Question) -> Answer:
    # whoever talks without a pause would be listened to for half a minute
    over = asyncio.get_running_loop().call_later(_each_s(line, question), runner.stop_asking)
    try:
        answer = await runner.ask(question)
    finally:
        over.cancel()
    if question.owes and answer.data:
        await heard_behind(runner, answer.last_s)
    return answer


def _event(done: Try, line: LineSettings, question: Question) -> Event:
    sent = done.answer.question.data if done.answer is not None else question.data
    detail: dict[str, object] = {"endpoint": done.port.endpoint, "line": line.text, "sent_hex": sent.hex()}
    detail |= {"unit": done.unit} if done.unit else {}
    if done.answer is None:
        text = f"{done.port.name}: {done.why}"
    else:
        errors = done.answer.errors
        detail |= {"heard_hex": done.answer.data.hex(), "line_errors": errors.total}
        detail["last_ms"] = None if done.answer.last_s is None else round(done.answer.last_s * 1000, 1)
        text = f"{done.port.name}{f' unit {done.unit}' if done.unit else ''}: {words(done)}"
    return Event(0, utc_us(), round(mono_s() * 1e6), "try", text, detail)


def words(done: Try) -> str:
    """What came, for a row of a list. The text is the device's: make it safe before it is shown."""
    answer = done.answer
    if answer is None:
        return done.why
    if answer.errors.total:
        return (
            f"{counted(len(answer.data), 'byte')} with {answer.errors.words()}: something is there, at other settings"
        )
    if not answer.data:
        return "no answer"
    if answer.verdict is Verdict.ECHO:
        return "only our own bytes came back: a loopback, or a device that echoes"
    text = text_of(answer.data).strip()
    if done.against and not done.answered:
        return f"{text[:60]}   {done.against}" if done.against == _ONCE else done.against
    if done.by_itself:
        return f"{text}   a sentence that it says by itself, no answer; the settings fit"
    if not done.answered:
        count = counted(len(answer.data), "byte")
        if text and text.isascii() and text.isprintable():
            return f"{count} of text, not whole or too few to tell: {text[:40]}"
        return f"{count}, no readable text: it may be at other settings"
    return f"{text}   {answer.last_s * 1000:.0f} ms" if answer.last_s is not None else text
