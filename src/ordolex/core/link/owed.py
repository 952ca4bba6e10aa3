"""Answers that are still owed: of protocols whose answers do not say which question they belong to.

A device that answers after the time-out owes that answer. Whoever asks the next question must not take it for his own.
Every unanswered question is kept here until its answer has come late, or so much time has passed that it comes no more;
and the last answers are kept, because some devices and adapters give each of them twice.

Without I/O and clock: times are seconds of one monotonic clock that the caller reads.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from ordolex.core.link.question import Question, Verdict
from ordolex.core.text.charsets import text_of
from ordolex.core.text.refused import is_refusal

LONGEST_S = 20.0
"""An answer that is later than this is not waited for: no serial protocol waits so long for one."""
_MARGIN_S = 0.1
_LATE_FACTOR = 1.5  # what is waited for answers whose lateness was measured
_SUSPECTED_TIMES, _SUSPECTED_S = 4.0, 3.0  # how much longer an answer is held to be possible
_BY_HAND_TIMES = 3.0
_DOUBTS = 2
"""How often a question must be answered at once, after its unanswered one was let run out, to have been silent."""
_SINGLES = 2  # answers that must have come alone before it is believed that they do
_REMEMBERED = 6  # answers that are compared with what comes next
_DOUBLE_WITHIN_S = 3.0
_DISTURBED_S = 10.0  # so long a line counts as disturbed behind what came and was no answer
_MOST_HEARD = 4096


@dataclass(frozen=True, slots=True)
class Late:
    """Answers came after the time-out: what was waited, and what they took."""

    timeout_s: float
    took_s: float

    @property
    def enough_s(self) -> float:
        """A time-out that would be long enough: half as much again as the slowest took, in whole tenths."""
        return -(-round(self.took_s * _LATE_FACTOR * 1000) // 100) / 10

    @property
    def words(self) -> str:
        return f"answers come late: time-out {self.timeout_s:g} s, they take {self.took_s:.1f} s"


@dataclass(slots=True)
class _Debt:
    """doubts  how often the same question was answered although this had been waited for long enough"""

    question: Question
    sent_s: float
    doubts: int = 0


class Owed:
    """What one link is owed. `late` says how late answers were, once that was seen."""

    def __init__(self) -> None:
        self.late: Late | None = None
        self.doubled = False
        """Whether an answer was seen twice."""
        self._alone = 0
        self.turn_round_s = 0.0
        """The slowest answer that came in time."""
        self._bound_s = 0.0
        self._disturbed_until_s = float("-inf")
        self._doubted = False
        self._debts: list[_Debt] = []
        self._heard = bytearray()
        self._given: deque[tuple[Question, bytes, float]] = deque(maxlen=_REMEMBERED)

    @property
    def frames(self) -> bool:
        """Whether frames are owed: what comes then is not judged as text."""
        return any(debt.question.codec is not None for debt in self._debts)

    @property
    def single(self) -> bool:
        """Whether it was seen that answers come once here, and nothing else lately."""
        return not self.doubled and self._alone >= _SINGLES

    def disturbed(self, now_s: float) -> None:
        """Bytes came that are no answer, nor asked for: a piece of one, given again, or noise."""
        self._disturbed_until_s = now_s + _DISTURBED_S

    def is_disturbed(self, now_s: float) -> bool:
        return now_s < self._disturbed_until_s

    def came_alone(self) -> None:
        """An answer came to its question with no copy of another before it."""
        if self._given:
            self._alone += 1

    def forget(self) -> None:
        """The port was opened anew, or has other settings: nothing that was asked before is answered any more."""
        self._debts.clear()
        self._heard.clear()
        self._given.clear()
        self._bound_s, self._doubted, self._alone = 0.0, False, 0
        self._disturbed_until_s = float("-inf")

    def unanswered(self, question: Question, sent_s: float) -> None:
        """The wait for this question has ended without its answer."""
        if _is_told_apart(question):
            return
        self._debts.append(_Debt(question, sent_s))

    def answered(self, question: Question, data: bytes, sent_s: float, heard_s: float) -> None:
        """The question was answered. Where it had been asked before in vain, this may be the answer to the first time
        it was asked, and the last one's may still come."""
        if _is_told_apart(question):
            return
        same = [debt for debt in self._debts if debt.question.data == question.data]
        if same:
            silent = all(sent_s - debt.sent_s >= self._patience_s(debt) for debt in same)
            doubts = max(debt.doubts for debt in same) + 1 if silent else 0
            if doubts >= _DOUBTS:  # it was silent, not late: nothing that was let run out came
                self._debts = [debt for debt in self._debts if debt not in same]
            else:
                self._debts.remove(same[0])
                self._debts.append(_Debt(question, sent_s, doubts))
                self._bound_s = max(self._bound_s, heard_s - same[0].sent_s)
        else:
            self.turn_round_s = max(self.turn_round_s, heard_s - sent_s)
        self._gave(question, data, heard_s)

    def _gave(self, question: Question, data: bytes, now_s: float) -> None:
        self._given.append((question, _answer_in(question, data), now_s))

    def wait_s(self, question: Question, now_s: float) -> float:
        """How long to wait before this is asked; 0 where nothing of another question can be taken for its answer."""
        self._run_out(now_s)
        until = [debt.sent_s + self._patience_s(debt) for debt in self._debts if _confusable(debt.question, question)]
        return max(0.0, max(until, default=now_s) - now_s)

    def hear(self, data: bytes, now_s: float) -> tuple[Question, bytes, float] | None:
        """Takes what came while nothing was asked. The late answer in it, if there is one: its question, the bytes, and
        the seconds that it took."""
        if not self._debts:
            self._heard.clear()
            again = bool(self._given) and data.endswith(self._given[-1][1])
            self.doubled |= again
            if not again and self._given and self._given[-1][0].codec is not None:
                self.disturbed(now_s)
            return None
        self._heard += data[-_MOST_HEARD:]
        del self._heard[:-_MOST_HEARD]
        heard = bytes(self._heard)
        whole = _whole_lines(heard)
        found = [d for d in self._debts if is_answer(d.question, heard if d.question.codec is not None else whole)]
        if not found and (
            bound := [d for d in self._debts if d.question.codec is None and is_answer(d.question, heard)]
        ):
            self._bound_s = max(self._bound_s, now_s - bound[0].sent_s)  # without a line end it may not be all of it
        if len({debt.question.data for debt in found if debt.question.codec is None}) > 1:
            self._heard.clear()  # nobody can tell whose it is
            self.suspect(now_s)
            return None
        for debt in found[:1]:
            self._debts.remove(debt)
            self._heard.clear()
            self._came_late(debt.question, now_s - debt.sent_s)
            self._gave(debt.question, heard, now_s)
            return debt.question, heard, now_s - debt.sent_s
        return None

    def hear_beside(self, question: Question, data: bytes, now_s: float) -> list[Question]:
        """The same for what came while `question` was asked, as far as it can be no answer to that one: the questions
        that were answered late in it."""
        others = [d for d in self._debts if not _confusable(d.question, question) and is_answer(d.question, data)]
        for debt in others:
            self._debts.remove(debt)
            self._came_late(debt.question, now_s - debt.sent_s)
        return [debt.question for debt in others]

    def _came_late(self, question: Question, took_s: float) -> None:
        if took_s > question.timeout_s and (self.late is None or took_s > self.late.took_s):
            self.late = Late(question.timeout_s, took_s)

    def could_be_older(self, question: Question, data: bytes) -> bool:
        """Whether the answer in `data` may as well belong to another question that is still owed one."""
        return any(
            debt.question.data != question.data and is_answer(debt.question, data)
            for debt in self._debts
            if debt.question.codec is not None or debt.question.owes or (self.late and _any_line_answers(debt.question))
        )

    def could_be_double(self, question: Question, data: bytes, now_s: float) -> bool:
        """Whether the answer in `data` is, byte for byte, one that another question was given lately."""
        answer = _answer_in(question, data)
        return any(
            asked.data != question.data
            and answer == given
            and now_s - at_s < _DOUBLE_WITHIN_S
            and _confusable(asked, question)
            for asked, given, at_s in self._given
        )

    def after_another(self, question: Question, data: bytes, now_s: float) -> bytes:
        """What stands behind another question's answer that was given once more before it, where that is right or any
        line may be; else all of it."""
        for asked, given, at_s in self._given:
            if asked.data == question.data or now_s - at_s >= _DOUBLE_WITHIN_S or not given:
                continue
            rest = data.lstrip(b"\r\n\0")
            behind = rest[len(given) :]
            with_prompt = b"\n" in given or b"\r" in given  # it stands behind the line, and the answer behind that
            ends = with_prompt or behind[:1] in (b"\r", b"\n")
            again = rest.startswith(given) and ends and behind.strip(b"\r\n\0")
            if again and question.judge(behind) in (Verdict.RIGHT, Verdict.UNJUDGED, Verdict.ECHO):
                self.doubled = True
                return behind
        return data

    def holds_a_piece(self, question: Question, data: bytes, now_s: float) -> bool:
        """Whether it begins with a piece of another question's answer that was given once more and cut short, with the
        answer right behind it on the same line: both begin alike."""
        line = data.lstrip(b"\r\n\0").split(b"\r")[0].split(b"\n")[0]
        for asked, given, at_s in self._given:
            if asked.data == question.data or now_s - at_s >= _DOUBLE_WITHIN_S:
                continue
            common = next(
                (at for at, (a, b) in enumerate(zip(line, given, strict=False)) if a != b), min(len(line), len(given))
            )
            begins = line[: len(line) - len(line.lstrip(_NOT_DIGITS))]
            if begins and begins == given[: len(begins)] and common > len(begins) and begins in line[common - 1 :]:
                return True
        return False

    def suspect(self, now_s: float) -> None:
        """An answer came that may be any of those that are owed: they may take as long as the oldest of them has been
        waited for, and so long everything is let run out."""
        if self._debts:
            self._doubted = True
            self._bound_s = max(self._bound_s, now_s - min(debt.sent_s for debt in self._debts))

    def _patience_s(self, debt: _Debt) -> float:
        measured = self.late.took_s * _LATE_FACTOR if self.late is not None else 0.0
        wait = max(2 * debt.question.timeout_s, measured, self._bound_s)
        return min(LONGEST_S, wait + _MARGIN_S)

    def _suspected_s(self, debt: _Debt) -> float:
        """How long its answer is held to be possible. What has been waited for long enough is still suspected: a device
        or a computer that is busy answers later than it was seen to. Where it is not known how late answers are, for
        long; but after a doubtful answer only while all is let run out, for what did not come then comes no more."""
        patience = self._patience_s(debt)
        asked_by_hand = debt.question.codec is None and debt.question.expected is None and not debt.question.owes
        if self._doubted:
            return patience
        if asked_by_hand:  # a command that somebody types may have no answer at all
            return max(patience, _BY_HAND_TIMES * debt.question.timeout_s + _MARGIN_S)
        known = self.late is not None or self._bound_s > 0
        return min(LONGEST_S, max(_SUSPECTED_S, _SUSPECTED_TIMES * patience)) if known else LONGEST_S

    def _run_out(self, now_s: float) -> None:
        """Drops what comes no more."""
        self._debts = [debt for debt in self._debts if now_s - debt.sent_s < self._suspected_s(debt)]
        if not self._debts:
            self._bound_s, self._doubted = 0.0, False


_NOT_DIGITS = bytes(set(range(0x21, 0x7F)) - set(b"0123456789+-."))


def _is_told_apart(question: Question) -> bool:
    """Whether the answer says which question it belongs to."""
    return question.codec is not None and question.codec.numbered


def is_answer(question: Question, data: bytes) -> bool:
    """Whether these bytes can be the answer; of one whose shape is not known, any whole line is."""
    if question.codec is not None:
        return question.codec.judge(data) is Verdict.RIGHT
    verdict = question.judge(data)
    if verdict is Verdict.RIGHT:
        return True
    refused = is_refusal(text_of(question.behind_echo(data)))
    return bool(_whole_lines(data)) and (refused or (_any_line_answers(question) and verdict is Verdict.UNJUDGED))


def _whole_lines(data: bytes) -> bytes:
    """What ends with a line end; a prompt may stand behind it."""
    return data[: max(data.rfind(b"\r"), data.rfind(b"\n")) + 1] if data.strip(b"\r\n") else b""


def _any_line_answers(question: Question) -> bool:
    """Whether an answer is owed whose shape is not known, or any whole line may be it."""
    return question.owes or (question.codec is None and question.expected is None)


def _answer_in(question: Question, data: bytes) -> bytes:
    """The answer without what stands around it."""
    answers = question.codec.answers(data) if question.codec is not None else []
    return answers[0] if answers else data.strip()


def _confusable(owed: Question, asked: Question) -> bool:
    """Whether the answer to one could be taken for the other's. Frames say whose they are, text does not."""
    if owed.codec is None or asked.codec is None:
        return owed.codec is None and asked.codec is None
    return owed.codec.answers_from == asked.codec.answers_from
