"""One question and its answer, without I/O: when the answer has ended, and how long it took."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

from ordolex.core.link.judge import LineErrors
from ordolex.core.link.owed import Owed
from ordolex.core.link.question import Question, Verdict

MAX_ANSWER = 1 << 20
"""Bytes after which an answer is taken to have ended: a device that floods must not fill the memory."""

_AFTER_LINE_END_S = 0.03
_QUIET_S = 0.15
_LONGEST_TIMES, _LONGEST_S = 10, 30.0  # time-outs, and seconds at least, after which one answer is over
_LINGER_S = 0.1  # how much longer is waited where an answer may be the one before, given twice
_QUIET_CHARACTERS = 20  # at slow rates a silence is counted in characters


class Ended(Enum):
    UNTIL = "the text that ends it came"
    FRAME = "the answer is whole"
    LINE_END = "line end, then silence"
    SILENCE = "silence"
    NOTHING = "no answer in time"
    LOST = "the port went away"
    STOPPED = "stopped by hand"
    TOO_LONG = "longer than is kept as one answer"
    LATE = "it came after the time-out"
    ENDLESS = "it talks on without the text that would end it"
    DOUBTFUL = "it may be the answer to an earlier question"


@dataclass(frozen=True, slots=True)
class Answer:
    """What came back. Times are seconds after the question was handed to the port; None where nothing came."""

    question: Question
    data: bytes
    ended: Ended
    first_s: float | None
    last_s: float | None
    errors: LineErrors = field(default_factory=LineErrors)

    @property
    def verdict(self) -> Verdict:
        if self.ended is Ended.DOUBTFUL:
            return Verdict.UNJUDGED
        verdict = self.question.judge(self.data)
        return Verdict.WRONG if verdict is Verdict.RIGHT and self.errors.total else verdict


_BLANKS = 8
"""Line ends that may stand before an echo."""


class Exchange:
    """The wait for one answer. `character_s` is the time of one character at the line settings in force; `owed` says
    which answers of earlier questions may still come."""

    def __init__(self, question: Question, now_s: float, character_s: float, owed: Owed | None = None) -> None:
        self.question = question
        self.asked_s = now_s
        self._owed = Owed() if owed is None else owed
        self._lingers_until: float | None = None
        self._double = 0
        # The question itself needs its time on the wire before a device can answer it.
        self._first_deadline = now_s + len(question.data) * character_s + question.timeout_s
        # A device that talks by itself must not keep one question waiting for ever.
        self._last_deadline = self._first_deadline + max(_LONGEST_TIMES * question.timeout_s, _LONGEST_S)
        self._quiet_s = max(_QUIET_S, _QUIET_CHARACTERS * character_s)
        self._after_line_end_s = max(_AFTER_LINE_END_S, 4 * character_s)
        self._parts = bytearray()
        self._first_s: float | None = None
        self._last_s: float | None = None
        self._errors = LineErrors()

    def receive(self, data: bytes, errors: LineErrors | None, now_s: float) -> Answer | None:
        """Takes an arrival; the answer where this ends it, None where more may come."""
        if errors is not None:
            self._errors.add(errors)
        if not data:
            return None
        if self._first_s is None:
            self._first_s = now_s
        self._last_s = now_s
        self._parts += data
        codec, until = self.question.codec, self.question.until
        if codec is not None and codec.whole(bytes(self._parts)):
            return self._frame_came(now_s)
        if until is not None and until in self._behind_echo()[-(len(data) + len(until)) :]:
            return self._end(Ended.UNTIL)
        if len(self._parts) >= MAX_ANSWER:
            return self._end(Ended.TOO_LONG)
        return None

    def _frame_came(self, now_s: float) -> Answer | None:
        """A right answer is there. It may be a late one, or the one before given twice: then the next one counts."""
        codec = self.question.codec
        assert codec is not None
        data = bytes(self._parts)
        if self._owed.could_be_older(self.question, data):
            return self._end(Ended.DOUBTFUL)
        if not self._owed.could_be_double(self.question, data, now_s):
            self._owed.came_alone()
            return self._end(Ended.FRAME)
        rest = codec.after_first(data)
        if codec.whole(rest):
            self._owed.doubled = True
            self._parts = bytearray(rest)
            return self._end(Ended.FRAME)
        if self._lingers_until is None:
            self._linger(now_s)
        return None

    def next_deadline(self) -> float:
        if self._last_s is None:
            return self._first_deadline
        return min(self._quiet_deadline(), self._last_deadline)

    def _quiet_deadline(self) -> float:
        assert self._last_s is not None
        if self._lingers_until is not None:
            return self._lingers_until
        codec = self.question.codec
        if self.question.until is not None or (codec is not None and codec.patient):
            return self._last_s + self.question.timeout_s
        if codec is not None:  # what came is no answer: foreign frames and noise do not shorten the wait for it
            return max(self._first_deadline, self._last_s + self._quiet_s)
        if not self._parts.strip(b"\r\n"):  # the rest of the answer before, that came late: the answer is still to come
            return max(self._first_deadline, self._last_s + self._quiet_s)
        if (self.question.unhurried and not self._ends_with_line()) or self._is_half_our_own():
            return max(self._first_deadline, self._last_s + self._quiet_s)
        return self._last_s + (self._after_line_end_s if self._ends_with_line() else self._quiet_s)

    def tick(self, now_s: float) -> Answer | None:
        """The answer, if its deadline has passed."""
        if now_s < self.next_deadline():
            return None
        if self._last_s is None:
            return self._end(Ended.NOTHING)
        if self.question.owes and self.question.codec is None:
            return self._text_came(now_s)
        if self._lingers_until is not None:
            self._owed.came_alone()
            return self._end(Ended.FRAME)
        if now_s >= self._last_deadline:
            return self._end(Ended.ENDLESS)
        return self._end(Ended.LINE_END if self._ends_with_line() else Ended.SILENCE)

    def _text_came(self, now_s: float) -> Answer | None:
        """The same for text, which has no frames: what comes behind the answer that was given twice is the answer."""
        data = bytes(self._parts)
        ended = Ended.LINE_END if self._ends_with_line() else Ended.SILENCE
        if self._owed.could_be_older(self.question, data):
            return self._end(Ended.DOUBTFUL)
        if self._lingers_until is None and self._owed.could_be_double(self.question, data, now_s):
            self._double = len(data)
            self._linger(now_s)
            return None
        if 0 < self._double < len(data):
            self._owed.doubled = True
            self._parts = self._parts[self._double :]
        else:
            self._owed.came_alone()
        return self._end(ended)

    def _linger(self, now_s: float) -> None:
        """Waits for the answer itself. From who gives each answer twice it has to come, or to come twice, too: there,
        and where it is not known yet, all the time is waited that any answer has."""
        own = self.asked_s + 2 * self._owed.turn_round_s + _LINGER_S if self._owed.single else self._first_deadline
        self._lingers_until = min(max(own, now_s + _LINGER_S), max(self._first_deadline, now_s + _LINGER_S))

    def stop(self, why: Ended) -> Answer:
        """Ends the wait early; what has come is kept."""
        return self._end(why)

    def _behind_echo(self) -> bytes:
        """What came, without our own question at its beginning; nothing while it may still be that."""
        return self.question.behind_echo(bytes(self._parts))

    def _is_half_our_own(self) -> bool:
        """Whether all that came is a part of the question as it went out: an echo whose rest is on its way."""
        own = self.question.data.strip(b"\r\n")
        came = self._parts[: len(own) + _BLANKS].lstrip(b"\r\n")
        return len(came) < len(own) and own.startswith(came)

    def _ends_with_line(self) -> bool:
        return self._parts.endswith((b"\n", b"\r"))

    def _end(self, ended: Ended) -> Answer:
        def after(at: float | None) -> float | None:
            return None if at is None else at - self.asked_s

        return Answer(self.question, bytes(self._parts), ended, after(self._first_s), after(self._last_s), self._errors)
