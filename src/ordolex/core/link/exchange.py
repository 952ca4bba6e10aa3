"""One question and its answer, without I/O: when the answer has ended, and how long it took."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

from ordolex.core.link.judge import LineErrors
from ordolex.core.link.question import Question, Verdict

MAX_ANSWER = 1 << 20
"""Bytes after which an answer is taken to have ended: a device that floods must not fill the memory."""

_AFTER_LINE_END_S = 0.03
_QUIET_S = 0.15
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
        verdict = self.question.judge(self.data)
        return Verdict.WRONG if verdict is Verdict.RIGHT and self.errors.total else verdict


class Exchange:
    """The wait for one answer. `character_s` is the time of one character at the line settings in force."""

    def __init__(self, question: Question, now_s: float, character_s: float) -> None:
        self.question = question
        self._asked_s = now_s
        # The question itself needs its time on the wire before a device can answer it.
        self._first_deadline = now_s + len(question.data) * character_s + question.timeout_s
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
            return self._end(Ended.FRAME)
        if until is not None and until in self._parts[-(len(data) + len(until)) :]:
            return self._end(Ended.UNTIL)
        if len(self._parts) >= MAX_ANSWER:
            return self._end(Ended.TOO_LONG)
        return None

    def next_deadline(self) -> float:
        if self._last_s is None:
            return self._first_deadline
        codec = self.question.codec
        if self.question.until is not None or (codec is not None and codec.patient):
            return self._last_s + self.question.timeout_s
        return self._last_s + (self._after_line_end_s if self._ends_with_line() else self._quiet_s)

    def tick(self, now_s: float) -> Answer | None:
        """The answer, if its deadline has passed."""
        if now_s < self.next_deadline():
            return None
        if self._last_s is None:
            return self._end(Ended.NOTHING)
        return self._end(Ended.LINE_END if self._ends_with_line() else Ended.SILENCE)

    def stop(self, why: Ended) -> Answer:
        """Ends the wait early; what has come is kept."""
        return self._end(why)

    def _ends_with_line(self) -> bool:
        return self._parts.endswith((b"\n", b"\r"))

    def _end(self, ended: Ended) -> Answer:
        def after(at: float | None) -> float | None:
            return None if at is None else at - self._asked_s

        return Answer(self.question, bytes(self._parts), ended, after(self._first_s), after(self._last_s), self._errors)
