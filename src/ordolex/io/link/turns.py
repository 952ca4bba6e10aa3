"""Questions on a link, one after the other: each is sent, its answer waited for and judged, and what is still owed of
earlier ones is told from it."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import replace

from ordolex.core.link.echo import EchoHabit
from ordolex.core.link.exchange import Answer, Ended, Exchange
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.ladder import Rung
from ordolex.core.link.owed import Late, Owed, is_answer
from ordolex.core.link.pace import LONGEST_S, Pace
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import LinkState
from ordolex.io.link.held import Held
from ordolex.io.link.journal import Journal
from ordolex.io.system.clock import mono_s

_KEPT = 4096  # bytes of an answer that are kept with what it was worth
HELD_UP_S = 0.01
"""A deadline that is looked at so much later was missed because the computer was busy: that time does not count."""
MADE_UP_S = 2.0  # at the most


_WORTH = {
    Verdict.RIGHT: "right answer", Verdict.WRONG: "wrong answer", Verdict.ECHO: "our own bytes came back",
    Verdict.UNJUDGED: "an answer; what a right one looks like is not known", Verdict.NONE: "no answer",
}  # fmt: skip
_UNUSUAL = (Ended.LOST, Ended.STOPPED, Ended.TOO_LONG, Ended.LATE, Ended.ENDLESS, Ended.DOUBTFUL)


class Turns:
    """send       sends a question
    without    what of an answer may be kept
    proved_by  the question that proved the link last
    """

    def __init__(
        self, held: Held, state: LinkState, journal: Journal, send: Callable[[Question], Awaitable[None]],
        without: Callable[[bytes], bytes],
    ) -> None:  # fmt: skip
        self._held, self._state, self._journal, self._send, self._without = held, state, journal, send, without
        self.proved_by: Question | None = None
        self._turn = asyncio.Lock()
        self._exchange: Exchange | None = None
        self._answer: asyncio.Future[Answer] | None = None
        self._owed = Owed()
        self._echo, self._pace = EchoHabit(), Pace()
        self._late: asyncio.Future[Answer] | None = None
        self._late_for: Question | None = None
        self._by_hand = False
        self._timer: asyncio.TimerHandle | None = None
        self._makes_up = False
        """Whether the time is being waited for once more in which the computer did something else."""

    @property
    def asking(self) -> str:
        """The question that is under way, as text."""
        return self._exchange.question.text if self._exchange is not None else ""

    @property
    def framed(self) -> bool:
        """Whether what comes now belongs to a protocol with frames, and need not read as text."""
        return self._exchange.question.codec is not None if self._exchange is not None else self._owed.frames

    @property
    def late(self) -> Late | None:
        """How late answers come here, if any did."""
        return self._owed.late

    def forget(self) -> None:
        """Nothing is owed any more: the line is another."""
        self._owed.forget()
        self._echo.forget()
        self._pace.forget()

    async def ask(self, question: Question, *, at_once: bool = False) -> Answer:
        """Sends a question and waits for its answer. Raises a Fault only where it could not be sent.

        Where answers of earlier questions may still come that could be taken for this one's, they are let run out
        first, unless it is to go out `at_once`; if this very question was asked before and its answer comes late, that
        is the answer, and nothing is sent."""
        async with self._turn:
            late = None if at_once else await self._let_run_out(self._read_here(question))
            if late is not None:
                return late
            if not at_once and question.codec is None:
                await self._let_settle()
            question = self._read_here(question)
            character_s = 1 / self._state.line.characters_per_s
            self._exchange = Exchange(question, mono_s(), character_s, self._owed, self._pace)
            self._answer = asyncio.get_running_loop().create_future()
            self._by_hand = at_once
            asked_s = self._exchange.asked_s
            try:
                await self._send(question)
                self._wait_for_deadline()
                answer = await self._answer
            except BaseException:
                self._owed.unanswered(question, asked_s)
                raise
            finally:
                self._exchange = self._answer = None
                self._stop_timer()
            self._account_for(answer, asked_s)
            self._judged(answer)
            return answer

    async def late_answer(self, question: Question) -> Answer | None:
        """Waits for the answer of a question whose time-out has passed, for as long as it may still come; None where it
        does not. Nothing is sent."""
        async with self._turn:
            return await self._let_run_out(self._read_here(question))

    def must_wait_s(self, question: Question) -> float:
        """How long `ask` would let earlier answers run out before it sends this."""
        return self._owed.wait_s(self._read_here(question), mono_s())

    def _read_here(self, question: Question) -> Question:
        """The question, whose answer is read in the character set that was chosen for this device, and by what is known
        of its echo."""
        if question.codec is not None:
            return question
        return replace(question, charset=self._state.charset or question.charset, echo=self._echo.now)

    def heard(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if self._exchange is not None:
            answer = self._exchange.receive(data, errors, at_s)
            if answer is not None:
                self._settle(answer)
            elif self._timer is None or self._exchange.next_deadline() < self._timer.when():
                self._wait_for_deadline()
        elif data:
            self._heard_unasked(data, at_s)

    def finish(self, why: Ended) -> None:
        """Ends the wait for the present answer; what has come of it is kept."""
        if self._late is not None and self._late_for is not None and not self._late.done():
            self._late.set_result(Answer(self._late_for, b"", why, None, None))
        if self._exchange is not None:
            self._settle(self._exchange.stop(why))

    def finish_by_hand(self) -> None:
        """Ends the wait for what was asked by hand. What a round asks just now has its answer first: it takes a
        moment, and what is stopped is owed."""
        if self._by_hand:
            self.finish(Ended.STOPPED)

    # ---- answers that come late

    async def _let_run_out(self, question: Question) -> Answer | None:
        while self._held.transport is not None and (wait := self._owed.wait_s(question, mono_s())) > 0:
            late: asyncio.Future[Answer] = asyncio.get_running_loop().create_future()
            self._late, self._late_for = late, question
            until = mono_s() + wait
            try:
                await asyncio.wait({late}, timeout=wait)
                if not late.done() and (held_up_s := mono_s() - until) > HELD_UP_S:
                    await asyncio.wait({late}, timeout=min(held_up_s, MADE_UP_S))
                if late.done():
                    return late.result()
            finally:
                self._late = self._late_for = None
        return None

    async def _let_settle(self) -> None:
        """What still belongs to the answer before comes before the next question goes out."""
        latest = mono_s() + LONGEST_S  # a device that talks by itself is never quiet
        wait = self._pace.settles_s(mono_s())
        while wait > 0 and self._held.transport is not None:
            await asyncio.sleep(wait)
            wait = min(self._pace.settles_s(mono_s()), latest - mono_s())

    def _heard_unasked(self, data: bytes, at_s: float) -> None:
        """What comes while nothing is asked may be a late answer, or the rest of one."""
        self._pace.went_on(at_s)
        found = self._owed.hear(data, at_s)
        if found is None:
            return
        question, answered, took_s = found
        self._pace.answered(at_s, late=True)
        self._said_late(question)
        if self._late is not None and not self._late.done() and self._late_for is not None:
            if self._late_for.data != question.data:
                return
            answer = Answer(self._late_for, answered, Ended.LATE, took_s, took_s)
            self._judged(answer)
            self._late.set_result(answer)

    def _account_for(self, answer: Answer, asked_s: float) -> None:
        """What is owed after this answer, or after none."""
        now, question = mono_s(), answer.question
        for other in self._owed.hear_beside(question, answer.data, now):
            self._said_late(other)
        if answer.ended is Ended.LOST:
            return
        if question.codec is None and answer.data:
            self._pace.answered(None if answer.last_s is None else asked_s + answer.last_s)
            if not answer.errors.total and answer.ended not in _UNUSUAL:
                fits = question.fits_whole(answer.data)
                self._echo.learn(question.data, answer.data, fits, apart=answer.apart)
        if answer.ended is Ended.DOUBTFUL:
            self._owed.suspect(now)
        if answer.ended is not Ended.DOUBTFUL and is_answer(question, answer.data):
            heard_s = now if answer.last_s is None else asked_s + answer.last_s  # it may have been lingered over
            self._owed.answered(question, answer.data, asked_s, heard_s)
        else:
            self._owed.unanswered(question, asked_s)

    def _said_late(self, question: Question) -> None:
        late = self._owed.late
        words = f"the answer to {question.text!r} came late" + (f"; {late.words}" if late else "")
        self._journal.note("note", words)

    # ---- the answer's deadline

    def _wait_for_deadline(self) -> None:
        self._stop_timer()
        self._makes_up = False
        if self._exchange is not None:
            loop = asyncio.get_running_loop()
            delay = max(0.0, self._exchange.next_deadline() - mono_s())
            self._timer = loop.call_later(delay, self._deadline)

    def _deadline(self) -> None:
        self._timer = None
        if self._exchange is None:
            return
        held_up_s = mono_s() - self._exchange.next_deadline()
        if held_up_s > HELD_UP_S and not self._makes_up:  # what came meanwhile has not been read yet
            self._makes_up = True
            self._timer = asyncio.get_running_loop().call_later(min(held_up_s, MADE_UP_S), self._deadline)
            return
        answer = self._exchange.tick(mono_s())
        if answer is not None:
            self._settle(answer)
        else:
            self._wait_for_deadline()

    def _stop_timer(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _settle(self, answer: Answer) -> None:
        if self._answer is not None and not self._answer.done():
            self._answer.set_result(answer)

    def _judged(self, answer: Answer) -> None:
        before, state = self._state.rung, self._state
        if answer.ended not in (Ended.LOST, Ended.STOPPED):
            state.answered(answer, mono_s())
        if state.rung is Rung.PROVEN and answer.verdict is Verdict.RIGHT and answer.question.expected:
            self.proved_by = answer.question
        self._journal.rung_after(before)
        text = f"asked {answer.question.text!r}: {_WORTH[answer.verdict]}"
        text += f", {answer.ended.value}" if answer.ended in _UNUSUAL else ""
        detail: dict[str, object] = {
            "question_hex": "" if answer.question.secret else answer.question.data.hex(),
            "answer_hex": "" if answer.question.secret else self._without(answer.data)[:_KEPT].hex(),
            "first_ms": None if answer.first_s is None else round(answer.first_s * 1000, 3),
            "last_ms": None if answer.last_s is None else round(answer.last_s * 1000, 3),
            "verdict": answer.verdict.value,
            "line_errors": answer.errors.total,
        }
        self._journal.note("answer", text, detail)
