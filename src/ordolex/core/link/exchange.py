"""One question and its answer, without I/O: when the answer has ended, and how long it took."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

from ordolex.core.link.echo import ENDS, Form, form_of
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.owed import Owed
from ordolex.core.link.pace import Pace
from ordolex.core.link.question import Codec, Question, Verdict
from ordolex.core.text.charsets import text_of
from ordolex.core.text.refused import is_refusal
from ordolex.core.text.visible import without_codes

MAX_ANSWER = 1 << 20
"""Bytes after which an answer is taken to have ended: a device that floods must not fill the memory."""

_AFTER_LINE_END_S = 0.03
_QUIET_S = 0.15  # after a frame
_TEXT_QUIET_S = 0.45  # after text without a line end, which may come in pieces with longer pauses than a frame may
_LONGEST_TIMES, _LONGEST_S = 10, 30.0  # time-outs, and seconds at least, after which one answer is over
_LINGER_S = 0.1  # how much longer is waited where an answer may be the one before, given twice
_BEHIND_SIZE_S = 0.5  # what is left of an earlier answer may stand before this one
_PIECE_S = 0.002  # less is between the bytes of one piece
_BEFORE = 4  # bytes that a frame has before what it says
_APART_S, _APART_TIMES = 0.02, 4  # a pause that is longer than those between the pieces of one answer
_LONG = 8192  # bytes of an answer above which it is not judged anew with each piece
_TAIL = 64  # bytes at the end of what came that are looked at for a line end
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
    apart: bool = False
    """The question's own text came first, and by itself: surely an echo, by the pauses of what followed."""
    alone: bool = False
    """The same by any pause: an echo, or the beginning of an answer in small pieces."""

    @property
    def in_doubt(self) -> bool:
        """Whether what the answer begins with may be an echo, or a part of the answer."""
        with_end = self.question.data.endswith((b"\r", b"\n", b"\0"))  # as which it would come back, with one
        return self.question.is_in_doubt(self.data, apart=self.apart if with_end else self.alone)

    @property
    def verdict(self) -> Verdict:
        if self.ended is Ended.DOUBTFUL:
            return Verdict.UNJUDGED
        verdict = self.question.judge(self.data)
        return Verdict.WRONG if verdict is Verdict.RIGHT and self.errors.total else verdict


class Exchange:
    """The wait for one answer. `character_s` is the time of one character at the line settings in force; `owed` says
    which answers of earlier questions may still come, and `pace` how long the device pauses within one."""

    def __init__(
        self, question: Question, now_s: float, character_s: float, owed: Owed | None = None, pace: Pace | None = None
    ) -> None:
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
        self._pace = Pace() if pace is None else pace
        self._text_quiet_s = max(_TEXT_QUIET_S, _QUIET_CHARACTERS * character_s, self._pace.longer_than_seen_s)
        self._after_line_end_s = max(_AFTER_LINE_END_S, 4 * character_s, self._pace.longer_than_seen_s)
        if not (question.owes or question.codec or question.until or question.expected):
            self._after_line_end_s = max(self._after_line_end_s, self._pace.before_judging_s)
        self._parts = bytearray()
        self._behind_own_s = self._longest_gap_s = 0.0
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
        elif self.question.codec is None and self._last_s is not None:
            gap_s = now_s - self._last_s
            self._pace.paused(gap_s)
            short = len(self._parts) <= len(self.question.data) + _TAIL  # a long answer is not looked at each time
            if short and self._parts.strip(ENDS) and form_of(self.question.data, bytes(self._parts))[0] is Form.ALONE:
                self._behind_own_s = max(self._behind_own_s, gap_s)
            else:
                self._longest_gap_s = max(self._longest_gap_s, gap_s)
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
        if self._is_more_than(codec, data):
            self._owed.disturbed(now_s)
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

    @staticmethod
    def _is_more_than(codec: Codec, data: bytes) -> bool:
        """Whether something stands around the first answer, such as a piece of another."""
        first = next(iter(codec.answers(data)), b"")
        places = [data.find(first), data.upper().find(first.hex().upper().encode())]
        return bool(codec.after_first(data)) or min((at for at in places if at >= 0), default=0) > _BEFORE

    def next_deadline(self) -> float:
        if self._last_s is None:
            return self._first_deadline
        return min(self._quiet_deadline(), self._last_deadline)

    def _quiet_deadline(self) -> float:
        assert self._last_s is not None
        if self._lingers_until is not None:
            return self._lingers_until
        codec = self.question.codec
        if 0 < self.question.size <= len(self._parts):
            return self._last_s + min(_BEHIND_SIZE_S, self.question.timeout_s)
        if self.question.until is not None or (codec is not None and codec.patient):
            return self._last_s + self.question.timeout_s
        if codec is not None:  # what came is no answer: foreign frames and noise do not shorten the wait for it
            return max(self._first_deadline, self._last_s + self._quiet_s)
        ended = self._ends_with_line()
        silence = self._last_s + (self._after_line_end_s if ended else self._text_quiet_s)
        return max(self._first_deadline, silence) if self._may_go_on(ended) else silence

    def _may_go_on(self, ended: bool) -> bool:
        """Whether what came so far is not to be taken for the answer before the time-out: nothing but line ends and
        codes, such as the rest of an answer that came late; our own bytes, whose answer is on its way; half a line
        where no line end is told; what is not right yet, of a device that may be speaking still."""
        if len(self._parts) > _LONG:
            return self.question.unhurried and not ended
        data = bytes(self._parts)
        if not without_codes(data).strip(ENDS) or form_of(self.question.data, data)[0] in (Form.ALONE, Form.PART):
            return True
        if self.question.unhurried and not ended:
            return True
        if self.question.judge(data) is not Verdict.WRONG:
            return False
        return not (ended and is_refusal(text_of(self.question.behind_echo(data)), self.question.text))

    def tick(self, now_s: float) -> Answer | None:
        """The answer, if its deadline has passed."""
        if now_s < self.next_deadline():
            return None
        if self._last_s is None:
            return self._end(Ended.NOTHING)
        if self.question.owes and self.question.codec is None:
            return self._text_came(now_s)
        if self._lingers_until is not None:
            return self._end(self._came_alone(Ended.FRAME, now_s))
        if now_s >= self._last_deadline:
            return self._end(Ended.ENDLESS)
        return self._end(Ended.LINE_END if self._ends_with_line() else Ended.SILENCE)

    def _text_came(self, now_s: float) -> Answer | None:
        """The same for text, which has no frames: what comes behind the answer that was given twice is the answer."""
        data = self._owed.after_another(self.question, bytes(self._parts), now_s)
        self._parts = bytearray(data)
        if now_s < self._first_deadline and self._may_go_on(self._ends_with_line()):
            return None  # the other's answer is off, and what is left is not all of this one's
        ended = Ended.LINE_END if self._ends_with_line() else Ended.SILENCE
        if self._owed.holds_a_piece(self.question, data, now_s):
            return self._end(Ended.DOUBTFUL)
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
            ended = self._came_alone(ended, now_s)
        return self._end(ended)

    def _came_alone(self, ended: Ended, now_s: float) -> Ended:
        """Nothing more came. What reads as another question's answer is that one, where answers are known to come
        twice, for this one's would have, too; and may be where they come after the time-out."""
        odd = self._owed.doubled or self._owed.late is not None or self._owed.is_disturbed(now_s)
        if self._lingers_until is not None and odd:
            return Ended.DOUBTFUL
        self._owed.came_alone()
        return ended

    def _linger(self, now_s: float) -> None:
        """Waits for the answer itself. From who gives each answer twice it has to come, or to come twice, too: there,
        and where it is not known yet, all the time is waited that any answer has."""
        single = self._owed.single and not self._owed.is_disturbed(now_s)
        own = self.asked_s + 2 * self._owed.turn_round_s + _LINGER_S if single else self._first_deadline
        self._lingers_until = min(max(own, now_s + _LINGER_S), max(self._first_deadline, now_s + _LINGER_S))

    def stop(self, why: Ended) -> Answer:
        """Ends the wait early; what has come is kept."""
        return self._end(why)

    def _behind_echo(self) -> bytes:
        """What came, without our own question at its beginning; nothing while it may still be that."""
        return self.question.behind_echo(bytes(self._parts))

    def _ends_with_line(self) -> bool:
        """Codes behind a line end change nothing of it."""
        return without_codes(bytes(self._parts[-_TAIL:])).rstrip(b"\0\x11\x13").endswith((b"\n", b"\r"))

    def _end(self, ended: Ended) -> Answer:
        def after(at: float | None) -> float | None:
            return None if at is None else at - self.asked_s

        apart = self._behind_own_s > max(_APART_S, _APART_TIMES * self._longest_gap_s)
        data = bytes(self._parts)
        first_s, last_s = after(self._first_s), after(self._last_s)
        alone = self._behind_own_s > _PIECE_S
        return Answer(self.question, data, ended, first_s, last_s, self._errors, apart, alone)
