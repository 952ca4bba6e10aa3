"""The finder: listens to a device, or asks it, at settings that the inference chooses, until its settings are known.

It works on an open link's runner, so everything that passes is in the record. It sends nothing but the questions that
it was given, changes nothing at the device, and each change of the port's settings is said and noted.
"""

from __future__ import annotations

import asyncio
import contextlib
import re
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Ended
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question
from ordolex.core.link.question import Verdict as Judged
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.match.infer import Inference, Ranked, infer
from ordolex.core.match.plan import Attempt, attempts, longest_s
from ordolex.core.match.shapes import Shape
from ordolex.core.match.verdict import CERTAIN, Kind, Verdict, judge, listening_settings
from ordolex.io.clock import mono_s
from ordolex.io.faults import Fault
from ordolex.io.runner import LinkRunner

FIRST_LISTEN = LineSettings(19200)
"""High enough for the bit times of most senders, and near enough to both ends that one more listen reaches them."""
_LOOK_AT = (16, 32, 64)  # after so many bytes of one listen the inference is asked
_QUIET_S = 0.35  # silence after some bytes: what is there is looked at
_FEW = 6
_MOST_LISTENS = 8
_LADDER = (9600, 1200, 38400, 300, 4800, 19200, 57600, 2400, 115200)
"""Where to listen when a capture says nothing certain."""
_CONFIRM = 12
_ANSWER_S = 0.6
_ALMOST = 0.95


@dataclass(frozen=True, slots=True)
class Trial:
    """One listen or one question: the port's settings, what was sent and heard, and what it says."""

    line: LineSettings
    sent: bytes
    heard: Capture
    words: str
    seconds: float

    def as_dict(self) -> dict[str, object]:
        return {
            "line": self.line.text,
            "sent_hex": self.sent.hex(),
            "heard_hex": self.heard.data[:512].hex(),
            "line_errors": self.heard.errors,
            "verdict": self.words,
            "seconds": round(self.seconds, 3),
        }


@dataclass(slots=True)
class Match:
    """Everything so far. `found` are settings confirmed on the line; `answered` if a question proved them."""

    trials: list[Trial] = field(default_factory=list)
    captures: list[Capture] = field(default_factory=list)
    inference: Inference = field(default_factory=lambda: Inference((), ()))
    verdict: Verdict | None = None
    found: LineSettings | None = None
    inverted: bool = False
    answered: bool = False
    evidence: str = ""
    began_s: float = field(default_factory=mono_s)
    at_most_s: float = 0.0
    now: str = ""

    @property
    def seconds(self) -> float:
        return mono_s() - self.began_s

    @property
    def retunings(self) -> int:
        return sum(a.line != b.line for a, b in zip(self.trials, self.trials[1:], strict=False))


class Matcher:
    """Finds the settings behind one open port. `first` is where to listen first, where a sheet says so; `known` are
    settings to ask at before all others. `changed` is called, in the links' thread, whenever there is news."""

    def __init__(
        self,
        runner: LinkRunner,
        questions: Sequence[bytes] = (),
        *,
        first: LineSettings | None = None,
        known: Sequence[LineSettings] = (),
        tried: Collection[tuple[str, bytes]] = (),
        shapes: Sequence[Shape] = (),
        talks: str = "",
        listen_s: float = 2.5,
        wait_s: float = 0.25,
        give_up_s: float = 120.0,
        changed: Callable[[Match], None] = lambda match: None,
    ) -> None:
        self.match = Match()
        self._runner = runner
        self._questions = list(questions)
        self._plan = attempts(self._questions, known, tried)
        self._shapes = shapes
        self._talks = re.compile(talks.encode()) if talks else None
        self._listen_s, self._wait_s, self._give_up_s = listen_s, wait_s, give_up_s
        self._changed = changed
        self._bytes = bytearray()
        self._flags: list[Flags] = []
        self._times: list[float] = []
        self._useful: list[Capture] = []
        self._looking = False
        self._before = runner.line
        self._arrived = asyncio.Event()
        self._asked: set[tuple[str, bytes]] = set()
        self._first = first or FIRST_LISTEN
        self.match.at_most_s = min(give_up_s, self._most())

    def _most(self) -> float:
        if not self._questions:
            return self._give_up_s
        return self._listen_s + longest_s(self._plan, self._wait_s) + 5

    async def run(self) -> Match:
        """Until the settings are found, nothing is left to try, or the time is over. Cancel it to stop; the port stays
        at the setting that the link says. Raises a Fault if the port fails."""
        match = self.match
        self._before = self._runner.line
        before = self._runner.overhear
        self._runner.overhear = self._heard
        try:
            async with asyncio.timeout(self._give_up_s):
                await self._listen_and_tune()
                if match.found is None and not match.inverted and self._questions:
                    await self._ask_through()
        except TimeoutError:
            match.now = f"gave up after {self._give_up_s:g} s"
        finally:
            self._runner.overhear = before
            await asyncio.shield(self._leave_port())
            if match.found is None and match.verdict is None:
                match.verdict = judge([], Inference((), ()))
            self._note("match", self._summary(), {"trials": len(match.trials), "seconds": round(match.seconds, 2)})
            self._changed(match)
        return match

    async def _leave_port(self) -> None:
        """The port ends at the settings found, or at those that it had before."""
        wanted = self.match.found if self.match.found is not None and not self.match.inverted else self._before
        if self._runner.is_open and self._runner.line != wanted:
            with contextlib.suppress(Fault):
                await self._runner.retune(wanted)

    def _summary(self) -> str:
        match = self.match
        if match.found is not None:
            return f"matched: {match.found.text}{', inverted' if match.inverted else ''} ({match.evidence})"
        words = match.verdict.words if match.verdict is not None else "nothing heard"
        return f"not matched after {len(match.trials)} trials: {words}"

    # ---- listening

    def _heard(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        first = Flags()
        if errors is not None:
            first = Flags(errors.framing > 0, errors.parity > 0, errors.breaks > 0)
        character_s = self._runner.line.bits_per_frame / self._runner.line.baud
        for place, byte in enumerate(data):
            self._bytes.append(byte)
            self._flags.append(first if place == 0 else Flags())
            self._times.append(at_s - (len(data) - 1 - place) * character_s)
        if self._looking and len(self._times) > len(data):
            # the inference keeps the processor busy, bytes may be late: no rest of the line is read from that
            late = self._times[-len(data)] - self._times[-len(data) - 1]
            self._times[-len(data) :] = [time - late + character_s for time in self._times[-len(data) :]]
        self._arrived.set()

    def _capture(self) -> Capture:
        line = self._runner.line
        flags = tuple(self._flags) if self._runner.endpoint.kind == "rfc2217" else None
        return Capture(line, bytes(self._bytes), flags, starts_from_times(self._times, line)).first(_LOOK_AT[-1])

    def _begin(self) -> None:
        self._bytes.clear()
        self._flags.clear()
        self._times.clear()
        self._arrived.clear()

    async def _tune(self, line: LineSettings) -> None:
        if self._runner.line != line:
            await self._runner.retune(line)
        self._begin()

    async def _until(self, count: int, seconds: float) -> bool:
        """Waits for so many bytes; ends earlier when the device has fallen silent. Whether anything came."""
        end = mono_s() + seconds
        while len(self._bytes) < count:
            left = end - mono_s()
            if left <= 0:
                break
            self._arrived.clear()
            quiet = _QUIET_S + 2 * self._runner.line.bits_per_frame / self._runner.line.baud
            patience = min(left, quiet) if len(self._bytes) >= _FEW else left
            try:
                async with asyncio.timeout(patience):
                    await self._arrived.wait()
            except TimeoutError:
                break
        return bool(self._bytes)

    async def _look(self) -> None:
        """Asks the inference about everything heard, away from the loop."""
        capture = self._capture()
        heard = [*self._useful, capture] if capture.data else list(self._useful)
        at_its_rate = len(capture.data) >= _LOOK_AT[0] and self._at_its_rate(capture.heard_at)
        heard = heard[-1:] if at_its_rate else heard[-2:]
        most = 3 if at_its_rate else 6
        if len(heard) > 1 and len(capture.data) >= _LOOK_AT[1]:
            alone = await self._infer(heard[-1:], most)
            sure = alone.best is not None and alone.best.probability >= CERTAIN
            heard = heard[-1:] if sure else heard
            self.match.inference = alone if sure else await self._infer(heard, most)
        else:
            self.match.inference = await self._infer(heard, most)
        self.match.verdict = judge(heard, self.match.inference)
        self._changed(self.match)

    async def _infer(self, heard: Sequence[Capture], most_rates: int) -> Inference:
        """The inference, away from the loop; bytes that come meanwhile may seem late."""
        self._looking = True
        try:
            return await asyncio.to_thread(infer, heard, shapes=self._shapes, most_rates=most_rates)
        finally:
            self._looking = False

    def _keep(self, sent: bytes, words: str, began_s: float, line: LineSettings | None = None) -> None:
        capture = self._capture()
        trial = Trial(line or self._runner.line, sent, capture, words, mono_s() - began_s)
        self.match.trials.append(trial)
        if capture.data:
            self.match.captures.append(capture)
            if self.match.verdict is None or self.match.verdict.kind not in (Kind.SLOWER, Kind.FASTER):
                self._useful.append(capture)
        self._note("trial", f"{trial.line.text}: {words}", trial.as_dict())
        self._changed(self.match)

    def _note(self, kind: str, text: str, detail: dict[str, object]) -> None:
        self._runner.note(kind, text, detail)

    async def _listen_and_tune(self) -> None:
        """Listens where the inference says, until it is certain at the sender's own rate; then confirms."""
        line = listening_settings(self._first)
        visited: set[int] = set()
        for number in range(_MOST_LISTENS):
            began = mono_s()
            await self._tune(line)
            self.match.now = f"listening at {line.text}, at most {self.match.at_most_s:.0f} s in all"
            self._changed(self.match)
            patience = self._listen_s if number == 0 else max(self._listen_s, 4.0)
            next_line = await self._one_listen(line, patience)
            verdict = self.match.verdict
            self._keep(b"", verdict.words if verdict is not None and self._bytes else "silence", began)
            if not self.match.captures:
                return
            if next_line is None:
                if await self._confirm():
                    return
                next_line = line
            elif next_line == line and self._at_its_rate(line) and await self._confirm():
                return
            verdict = self.match.verdict
            certain = verdict is not None and verdict.kind is Kind.CERTAIN
            if certain and next_line.baud in visited and await self._confirm():
                return
            visited.add(line.baud)
            if next_line.baud in visited and next_line.baud != self._runner.line.baud:
                next_line = line
            if next_line == line or next_line.baud in visited:
                elsewhere = [baud for baud in _LADDER if baud not in visited]
                if not elsewhere:
                    return
                next_line = LineSettings(elsewhere[0])
            line = listening_settings(next_line)

    async def _one_listen(self, line: LineSettings, patience: float) -> LineSettings | None:
        """Where to listen next; None when it is certain, the same setting when there is nothing more to learn."""
        for count in _LOOK_AT:
            came = await self._until(count, patience)
            if not came:
                return line
            await self._look()
            verdict = self.match.verdict
            assert verdict is not None
            away = verdict.listen_at is not None and verdict.listen_at.baud != line.baud
            if verdict.kind is Kind.CERTAIN:
                # far above the sender's rate little of each character was seen: look again at his own
                ratio = self.match.inference.groups[0].best.exact_baud / line.baud
                return verdict.listen_at if away and not 0.3 < ratio < 1.1 else None
            if away and (len(self._bytes) >= 24 or verdict.kind in (Kind.SLOWER, Kind.FASTER)):
                return verdict.listen_at
            if len(self._bytes) < count:
                patience = min(patience, 1.5)
        return line

    def _at_its_rate(self, line: LineSettings) -> bool:
        best = self.match.inference.best
        return best is not None and best.best.settings.baud == line.baud and best.probability > 0.2

    async def _confirm(self) -> bool:
        """At the settings found the bytes must come without errors; the likeliest few are tried."""
        groups = [group for group in self.match.inference.groups[:3] if group.probability > 0.05]
        for group in groups:
            chosen = group.best
            if chosen.inverted:
                if chosen.probability < 0.5 or not await self._still_inverted(chosen):
                    continue
                self.match.inverted = True
                self.match.found = chosen.settings
                self.match.evidence = f"{len(chosen.reading)} characters read, the line is inverted"
                return True
            if await self._comes_clean(chosen, group.probability):
                return True
        return False

    async def _still_inverted(self, chosen: Ranked) -> bool:
        """No port can confirm an inverted line by reading it: it must still look so at twice the rate."""
        began = mono_s()
        await self._tune(listening_settings(chosen.settings.changed(baud=min(921600, 2 * chosen.settings.baud))))
        await self._until(_LOOK_AT[-1], max(2.0, self._listen_s))
        if not self._bytes:
            return False
        await self._look()
        best = self.match.inference.groups[0].best
        same = best.inverted and best.settings.baud == chosen.settings.baud
        self._keep(b"", "still inverted there" if same else "not inverted, seen from there", began)
        return same

    async def _comes_clean(self, chosen: Ranked, probability: float) -> bool:
        """Tunes to these settings, and waits for some bytes in a row without errors; the first may be cut. Unless they
        were almost certain before, the inference must agree with what comes there."""
        began = mono_s()
        self.match.now = f"confirming {chosen.settings.text}"
        await self._tune(chosen.settings)
        for count in (_CONFIRM, 3 * _CONFIRM):
            await self._until(count, max(2.0, self._listen_s))
            if self._clean_lately() or len(self._bytes) < count:
                break
        capture = self._capture()
        shape = f", {chosen.shape}" if chosen.shape else ""
        if not capture.data:
            self.match.evidence = f"{len(chosen.reading)} characters read; it was silent since"
            self._keep(b"", "silent while confirming", began)
        elif (self._clean_lately() and probability > _ALMOST) or await self._still_looks_like(chosen, capture):
            # a talker that never pauses may find the receiver out of step: errors, and yet the settings are right
            how = "without errors" if self._clean_lately() else "out of step, and the inference agrees"
            self.match.evidence = f"{len(chosen.reading)} characters heard, {len(capture.data)} of them {how}{shape}"
            self._keep(b"", f"confirmed: {how} there", began)
            await self._recognise()
        else:
            self._keep(b"", f"{capture.errors} errors in {len(capture.data)} bytes there", began)
            return False
        self.match.found = chosen.settings
        return True

    def _clean_lately(self) -> bool:
        return not any(any(flag) for flag in self._flags[-_CONFIRM + 2 :])

    async def _still_looks_like(self, chosen: Ranked, capture: Capture) -> bool:
        """Whether what came at these settings speaks for them by itself."""
        alone = await self._infer([capture], 3)
        if alone.best is None or alone.best.best.settings.baud != chosen.settings.baud or alone.best.best.inverted:
            return False
        among = any(member.settings == chosen.settings for member in alone.best.members)
        return among or (self._clean_lately() and len(capture.data) < 3 * _CONFIRM)

    async def _recognise(self) -> None:
        """A device that cannot be asked is proven, in its one direction, by saying what its sheet expects."""
        if self._talks is None:
            return
        end = mono_s() + max(4.0, 2 * self._listen_s)
        while mono_s() < end:
            found = self._talks.search(bytes(self._bytes))
            if found is not None:
                said = found[0].decode("latin-1")
                await asyncio.sleep(0.1)
                self._runner.recognise(said)
                self.match.answered = self._runner.rung is Rung.PROVEN
                return
            self._arrived.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(0.5):
                    await self._arrived.wait()

    # ---- asking

    async def _ask_through(self) -> None:
        plan = list(self._plan)
        while plan:
            attempt = plan.pop(0)
            left = longest_s([attempt, *plan], self._wait_s)
            self.match.now = f"asking at {attempt.line.text}, {len(plan) + 1} left, at most {left:.0f} s"
            self._changed(self.match)
            began = mono_s()
            await self._tune(attempt.line)
            answer = await self._runner.ask(Question(attempt.sent, timeout_s=self._wait_s))
            if answer.ended in (Ended.STOPPED, Ended.LOST):
                self._keep(attempt.sent, "stopped", began)
                return
            if not self._bytes:
                self._keep(attempt.sent, "silence", began)
                continue
            await self._until(_LOOK_AT[1], _ANSWER_S)
            await self._look()
            assert self.match.verdict is not None
            self._keep(attempt.sent, self.match.verdict.words, began, attempt.line)
            if await self._prove(attempt):
                return
            if self.match.verdict.kind is Kind.FASTER:  # it answered, so only rates on that side are worth asking at
                plan.sort(key=lambda other: other.line.baud <= attempt.line.baud)
            elif self.match.verdict.kind is Kind.SLOWER:
                plan.sort(key=lambda other: other.line.baud >= attempt.line.baud)

    async def _prove(self, attempt: Attempt) -> bool:
        """Asks at the likeliest settings, all questions where they are almost certain; a clean answer is the match."""
        for settings, question in self._worth_trying(attempt):
            if (settings.text, question) in self._asked:
                continue
            self._asked.add((settings.text, question))
            began = mono_s()
            await self._tune(settings)
            answer = await self._runner.ask(Question(question, timeout_s=max(0.3, 2 * self._wait_s)))
            clean = bool(answer.data) and not answer.errors.total and _readable(answer.data)
            right = answer.verdict is Judged.RIGHT
            if clean and (right or answer.verdict is not Judged.WRONG):
                self.match.found = settings
                self.match.answered = right
                self.match.evidence = f"{len(answer.data)} bytes answered {answer.question.text!r} without errors"
                self._keep(question, "answered", began)
                return True
            self._keep(question, "not clean there" if answer.data else "silence there", began)
        return False

    def _worth_trying(self, attempt: Attempt) -> list[tuple[LineSettings, bytes]]:
        """(settings, question): what the inference says, likeliest first. A question that brought bytes comes first."""
        ranked = [r for r in self.match.inference.ranked if not r.inverted and r.probability > 0.05][:4]
        sure = [r.settings for r in ranked[:1] if r.probability > 0.6]
        first = [(r.settings, attempt.question) for r in ranked]
        return first + [(settings, question) for settings in sure for question in self._questions]


def _readable(data: bytes) -> bool:
    good = sum(32 <= byte < 127 or byte in b"\r\n\t\x02\x03\x06\x15" for byte in data)
    return good >= 0.9 * len(data)
