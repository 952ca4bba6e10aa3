"""A device that only speaks when asked: harmless questions, at the likeliest settings first."""

from __future__ import annotations

from collections.abc import Sequence

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Ended
from ordolex.core.link.question import Question, Verdict
from ordolex.core.match.plan import Attempt, longest_s
from ordolex.core.match.verdict import Kind
from ordolex.io.clock import mono_s
from ordolex.io.match.search import LOOK_AT, Search

_ANSWER_S = 0.6
_LIKELY_S = 1.0
_LATENESS = 4


class Asking:
    def __init__(self, search: Search, plan: Sequence[Attempt]) -> None:
        self._search = search
        self._match, self._ear, self._options = search.match, search.ear, search.options
        self._plan = plan
        self._asked: set[tuple[str, bytes]] = set()

    async def run(self) -> None:
        plan = list(self._plan)
        while plan:
            attempt = plan.pop(0)
            left = longest_s([attempt, *plan], self._options.wait_s)
            self._match.now = f"asking at {attempt.line.text}, {len(plan) + 1} left, at most {left:.0f} s"
            self._search.tell()
            began = mono_s()
            await self._search.tune(attempt.line)
            question = Question(attempt.sent, timeout_s=self._wait_s(attempt))
            answer = await self._search.runner.ask(question, at_once=True)
            if answer.ended in (Ended.STOPPED, Ended.LOST):
                self._search.keep(attempt.sent, "stopped", began)
                return
            if not self._ear.data:
                self._search.keep(attempt.sent, "silence", began)
                continue
            await self._ear.until(LOOK_AT[1], _ANSWER_S)
            await self._search.look()
            assert self._match.verdict is not None
            self._search.keep(attempt.sent, self._match.verdict.words, began, attempt.line)
            if await self._prove(attempt):
                return
            if self._match.verdict.kind is Kind.FASTER:  # it answered, so only rates on that side are worth asking at
                plan.sort(key=lambda other: other.line.baud <= attempt.line.baud)
            elif self._match.verdict.kind is Kind.SLOWER:
                plan.sort(key=lambda other: other.line.baud >= attempt.line.baud)

    def _wait_s(self, attempt: Attempt) -> float:
        """Longer at the settings that the sheet names, and where this computer is late itself."""
        likely = attempt.line in self._options.known
        return max(_LIKELY_S if likely else 0.0, self._options.wait_s) + _LATENESS * self._ear.late_s

    async def _prove(self, attempt: Attempt) -> bool:
        """Asks at the likeliest settings, all questions where they are almost certain; a clean answer is the match."""
        for settings, question in self._worth_trying(attempt):
            if (settings.text, question) in self._asked:
                continue
            self._asked.add((settings.text, question))
            began = mono_s()
            await self._search.tune(settings)
            answer = await self._search.runner.ask(
                Question(question, timeout_s=max(_LIKELY_S, 2 * self._options.wait_s)), at_once=True
            )
            clean = bool(answer.data) and not answer.errors.total and _readable(answer.data)
            right = answer.verdict is Verdict.RIGHT
            if clean and (right or answer.verdict is not Verdict.WRONG):
                self._match.found = settings
                self._match.answered = right
                self._match.evidence = f"{len(answer.data)} bytes answered {answer.question.text!r} without errors"
                self._search.keep(question, "answered", began)
                return True
            self._search.keep(question, "not clean there" if answer.data else "silence there", began)
        return False

    def _worth_trying(self, attempt: Attempt) -> list[tuple[LineSettings, bytes]]:
        """(settings, question): what the inference says, likeliest first. A question that brought bytes comes first."""
        ranked = [r for r in self._match.inference.ranked if not r.inverted and r.probability > 0.05][:4]
        sure = [r.settings for r in ranked[:1] if r.probability > 0.6]
        first = [(r.settings, attempt.question) for r in ranked]
        return first + [(settings, question) for settings in sure for question in self._options.questions]


def _readable(data: bytes) -> bool:
    good = sum(32 <= byte < 127 or byte in b"\r\n\t\x02\x03\x06\x15" for byte in data)
    return good >= 0.9 * len(data)
