"""A device that only speaks when asked: harmless questions, at the likeliest settings first."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import replace

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.match.order import Attempt, longest_s, reaction_s
from ordolex.core.match.shapes import checked_in
from ordolex.core.match.verdict import Kind
from ordolex.core.text.counts import counted
from ordolex.io.match.search import LOOK_AT, Search
from ordolex.io.system.clock import mono_s

_ANSWER_S = 0.6
_LIKELY_S = 1.0
_LATENESS = 4
_SPOKEN_FOR = 0.5  # of a rate, over all answers
_PLENTY, _PLENTY_JUDGED = 160, 600  # bytes, of an answer that nothing is known of, and of one that can be right
_SEEMS_INVERTED = 0.8
_MOST_LOOKS = 3
_LEAST, _MUCH = 3, 12  # characters of text that are worth asking again for, and that need it no more
_RATES, _MOST_FIRST, _WORTH_ASKING = 10, 5, 0.03
_CUT = 2  # characters that the change of settings may cut, where the device is in the middle of saying something
_ENDS_S = 3.0  # so long it is let end that
_SURE, _ASKED_AGAIN = 0.6, 3  # settings that are more likely than this are asked at so often


class Asking:
    """`still_inverted` looks whether a line is inverted after all: one that is understands no question."""

    def __init__(
        self, search: Search, plan: Sequence[Attempt], still_inverted: Callable[[], Awaitable[bool]] | None = None
    ) -> None:
        self._search = search
        self._still_inverted = still_inverted
        self._looks = Counter[LineSettings]()
        self._match, self._ear, self._options = search.match, search.ear, search.options
        self._plan = plan
        self._rates: dict[int, float] = {}
        """How much the answers so far speak for each rate, in all."""
        self._asked = Counter[tuple[LineSettings, bytes]]()
        self._questions = {question.data: question for question in search.options.questions}

    async def run(self) -> None:
        plan = list(self._plan)
        while plan:
            attempt = plan.pop(0)
            left = longest_s([attempt, *plan], self._options.wait_s)
            self._match.now = f"asking at {attempt.line.text}, {len(plan) + 1} left, at most {left:.0f} s"
            self._search.tell()
            began = mono_s()
            if not await self._search.tune(attempt.line):
                continue
            question = self._question(attempt.question, attempt.sent, self._wait_s(attempt))
            answer = await self._ask(question)
            endless = len(self._ear.data) >= _plenty(question)
            if answer.ended is Ended.LOST or (answer.ended is Ended.STOPPED and not endless):
                self._search.keep(attempt.sent, "stopped", began)
                return
            if not self._ear.data:
                self._search.keep(attempt.sent, "silence", began)
                continue
            if self._ear.data == attempt.sent:
                self._search.keep(attempt.sent, "only our own bytes came back", began, attempt.line)
                continue
            framed = question.codec is not None and answer.verdict is Verdict.RIGHT
            if not framed:
                await self._ear.until(LOOK_AT[1], _ANSWER_S)
            await self._search.look()
            assert self._match.verdict is not None
            words = "a right answer" if framed else self._match.verdict.words
            self._search.keep(attempt.sent, words, began, attempt.line)
            if await self._prove(attempt, framed=framed):
                return
            if await self._is_inverted():
                return
            if self._match.verdict.kind is Kind.FASTER:  # it answered, so only rates on that side are worth asking at
                plan.sort(key=lambda other: other.line.baud <= attempt.line.baud)
            elif self._match.verdict.kind is Kind.SLOWER:
                plan.sort(key=lambda other: other.line.baud >= attempt.line.baud)
            likely = self._likely_rate()
            if likely and likely != attempt.line.baud:
                plan.sort(key=lambda other: other.line.baud != likely)

    async def _is_inverted(self) -> bool:
        """Looks at settings that what comes speaks for for sure, turned over; again if a look did not settle it."""
        best = self._match.inference.best
        if best is None or not best.best.inverted or best.probability < _SEEMS_INVERTED:
            return False
        if self._still_inverted is None or self._looks[best.best.settings] >= _MOST_LOOKS:
            return False
        self._looks[best.best.settings] += 1
        return await self._still_inverted()

    def _likely_rate(self) -> int:
        """The rate that short answers have spoken for together, once they have said it twice or clearly; 0 for none. A
        few bytes seldom tell the format, and each answer adds to what is known of the rate."""
        for ranked in self._match.inference.ranked:
            if not ranked.inverted:
                self._rates[ranked.settings.baud] = self._rates.get(ranked.settings.baud, 0.0) + ranked.probability
        best = max(self._rates, key=lambda baud: self._rates[baud], default=0)
        return best if self._rates.get(best, 0.0) >= _SPOKEN_FOR else 0

    async def ask_as_before(self) -> None:
        """What it answered before tells its settings often: then nothing need be listened for. It is asked what it
        answered then, if that may be asked."""
        before = self._options.answered
        asked = [data for data in dict.fromkeys(before.asked[::-1]) if data in self._questions]
        if not before.captures or not self._questions:
            return
        found = await self._search.infer(before.captures[-2:], _RATES)
        likely = [group.best for group in found.groups[:_MOST_FIRST] if group.probability > _WORTH_ASKING]
        await self.ask_at([one.settings for one in likely if not one.inverted], (asked or list(self._questions))[:2])

    async def ask_at(self, likely: Sequence[LineSettings], questions: Sequence[bytes] = ()) -> None:
        """These or all questions, at these settings only: what was heard speaks for them."""
        for settings in likely:
            for data in questions or self._questions:
                began = mono_s()
                self._search.tell(f"asking at {settings.text}, which what was heard speaks for")
                if not await self._search.tune(settings):
                    break
                rests_on = await self._answered(data)
                if rests_on:
                    self._match.found, self._match.evidence = settings, rests_on
                self._search.keep(data, "answered" if rests_on else "no answer that counts", began)
                if rests_on:
                    return

    async def _ask(self, question: Question) -> Answer:
        """Of a device that talks all along no answer ends: so many bytes are enough."""
        loop = asyncio.get_running_loop()
        asked = loop.create_task(self._search.runner.ask(question, at_once=True))
        plenty = loop.create_task(self._ear.gather(_plenty(question), float("inf")))
        try:
            await asyncio.wait({asked, plenty}, return_when=asyncio.FIRST_COMPLETED)
            if not asked.done():
                self._search.runner.stop_asking()
            return await asked
        finally:
            plenty.cancel()
            asked.cancel()
            await asyncio.wait({asked, plenty})  # who stops a match finds the port free of its question

    def _wait_s(self, attempt: Attempt) -> float:
        """Longer at the settings that the sheet names, and where this computer is late itself."""
        likely = _LIKELY_S if attempt.line in self._options.known else 0.0
        return max(likely, self._options.wait_s, reaction_s(attempt.question)) + _LATENESS * self._ear.late_s

    def _question(self, meant: bytes, sent: bytes, timeout_s: float) -> Question:
        """As it goes out; an answer to it can be judged only where it goes out as it is meant."""
        if meant == sent and meant in self._questions:
            return replace(self._questions[meant], timeout_s=timeout_s)
        return Question(sent, timeout_s=timeout_s)

    async def _prove(self, attempt: Attempt, *, framed: bool) -> bool:
        """Asks at the likeliest settings, all questions where they are almost certain; a right answer is the match, or
        a clean one that is no accident."""
        best = self._match.inference.best
        sure = best.best.settings if best is not None and best.probability > _SURE else None
        for settings, question in self._worth_trying(attempt, framed=framed):
            # one failed answer is no proof against settings that everything since speaks for
            if self._asked[settings, question] >= (_ASKED_AGAIN if settings == sure else 1):
                continue
            self._asked[settings, question] += 1
            began = mono_s()
            if not await self._search.tune(settings):
                continue
            rests_on = await self._answered(question)
            if rests_on:
                self._match.found = settings
                self._match.evidence = rests_on
                self._search.keep(question, "answered", began)
                return True
            self._search.keep(question, "not clean there" if self._ear.data else "silence there", began)
        return False

    async def _answered(self, question: bytes) -> str:
        """What an answer rests on, in words; empty for none that counts. A right frame or check is proof whatever its
        bytes look like, and so is text of the shape that is wanted. Of any other text there must be some, and it must
        come again: one or two bytes come by accident. A device that was in the middle of something else is let end,
        and asked anew."""
        asked = self._question(question, question, max(_LIKELY_S, 2 * self._options.wait_s))
        before = b""
        let_end = False
        for _ in range(3):
            answer = await self._ask(asked)
            data = asked.behind_echo(answer.data)
            if answer.verdict is Verdict.RIGHT:
                self._match.answered = True
                return f"{counted(len(data), 'byte')} answered {asked.text!r} without errors, and rightly"
            checked = checked_in(data)
            if checked and not answer.errors.total:  # the settings are right; that it answers the question is not said
                return f"{counted(len(data), 'byte')} came after {asked.text!r} without errors, {checked}"
            if not data or answer.verdict is Verdict.ECHO:
                return ""
            clean = not answer.errors.total and _readable(data)
            if clean and answer.verdict is Verdict.WRONG and len(data) >= 2 * _MUCH:
                # clear text all the same: something else that it had to say
                return f"{counted(len(data), 'byte')} came after {asked.text!r} without errors, another answer"
            if not clean or answer.verdict is Verdict.WRONG:
                if let_end or answer.errors.total > _CUT or not _readable(data[_CUT:-1]):
                    return ""
                let_end = True
                await self._ear.quiet(_ENDS_S)
                continue
            if before or len(data) >= _MUCH:
                again = " twice" if before else ""
                came = "came after" if self._talks else "answered"  # who talks by himself may have done so just then
                return f"{counted(len(data), 'byte')} {came} {asked.text!r} without errors{again}"
            if len(data) < _LEAST:
                return ""
            before = data
        return ""

    @property
    def _talks(self) -> bool:
        """Whether something came while it was only listened."""
        return any(len(capture.data) > _LEAST for capture in self._search.listens)

    def _worth_trying(self, attempt: Attempt, *, framed: bool) -> list[tuple[LineSettings, bytes]]:
        """(settings, question): what was reached by a right frame, else what the inference says, likeliest first. A
        question that brought bytes comes first."""
        if framed:
            rest = _at(attempt.line.baud, attempt.reaches[0])
            return [(rest, attempt.question), (attempt.line, attempt.question)]
        ranked = [r for r in self._match.inference.ranked if not r.inverted and r.probability > 0.05][:4]
        sure = [r.settings for r in ranked[:1] if r.probability > _SURE]
        first = [(r.settings, attempt.question) for r in ranked]
        return first + [(settings, question) for settings in sure for question in self._questions]


def _plenty(question: Question) -> int:
    return _PLENTY_JUDGED if question.codec is not None or question.like or question.until else _PLENTY


def _at(baud: int, format_: str) -> LineSettings:
    return LineSettings(baud, int(format_[0]), Parity(format_[1]), float(format_[2:]))


def _readable(data: bytes) -> bool:
    good = sum(32 <= byte < 127 or byte in b"\r\n\t\x02\x03\x06\x15" for byte in data)
    return good >= 0.9 * len(data)
