"""What is known about one link at a moment: its rung, and the evidence for each.

The link runner tells it what happened, with the time; the interface reads `Evidence`. All times are seconds of one
monotonic clock that the caller reads.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field, replace

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.judge import Judge, LineErrors
from ordolex.core.link.ladder import Happening, Rung, next_rung
from ordolex.core.link.question import Verdict
from ordolex.core.link.signs import LOOKED_AT, Signs
from ordolex.core.text.charsets import CHARSETS, UNCHOSEN

_OVERDUE_FACTOR = 4.0
_OVERDUE_AT_LEAST_S = 10.0
_BURST_S = 0.1  # arrivals further apart than this are separate
_UNASKED_AFTER_S = 10.0  # bytes that come after so long a silence, of both, were not asked for


@dataclass(frozen=True, slots=True)
class Proof:
    """The answered question that proves a link. A device that has no ears is proven in one direction only, by saying
    what its sheet expects, with a right check: `question` is empty then."""

    question: str
    answer: str
    ms: float
    at_s: float


@dataclass(frozen=True, slots=True)
class Evidence:
    """One moment of a link, as data."""

    rung: Rung
    since_s: tuple[float | None, ...]
    """When each of the five rungs was reached, None for those not reached now."""
    line: LineSettings
    called: bool
    """Whether it is called over a network: there is nothing to plug in."""
    without: str
    """What carries it where line settings mean nothing there, such as raw TCP; empty where they do."""
    opened_s: float | None
    heard: int
    last_heard_s: float | None
    sent: int
    last_sent_s: float | None
    errors: LineErrors
    bad_lately: int
    seen_lately: int
    checks_right: int
    checks_wrong: int
    asked: int
    unanswered: int
    proof: Proof | None
    echoed: bool
    signs: Signs
    """The latest bytes and their errors, for the causes of what looks wrong."""
    heard_in_all: int
    """Bytes heard since the link was first opened here, over all openings and settings; `heard` is of this one."""
    errors_in_all: LineErrors
    trouble: str
    """Why the port is not held, in words; empty where it is, or where nobody tried."""
    by_itself: bool = False
    """Something came without a question before it."""
    unjudged: int = 0
    """Answers without line errors of which nobody knows whether they are right."""

    @property
    def settings(self) -> str:
        """The line settings in their short form, or that there are none."""
        return self.without or self.line.text

    @property
    def has_line(self) -> bool:
        """Whether line settings mean anything there."""
        return not self.without


@dataclass(slots=True)
class LinkState:
    line: LineSettings
    without: str = ""
    called: bool = False
    rung: Rung = Rung.ABSENT
    opened_s: float | None = None
    heard_bytes: int = 0
    last_heard_s: float | None = None
    sent_bytes: int = 0
    last_sent_s: float | None = None
    errors: LineErrors = field(default_factory=LineErrors)
    heard_in_all: int = 0
    errors_in_all: LineErrors = field(default_factory=LineErrors)
    asked: int = 0
    unanswered: int = 0
    unjudged: int = 0
    proof: Proof | None = None
    echoed: bool = False
    trouble: str = ""
    charset: str = ""
    """In which the device writes, a name of CHARSETS; empty where nobody chose."""
    _judge: Judge = field(default_factory=Judge)
    _since: dict[Rung, float] = field(default_factory=dict)
    _answered_before: set[bytes] = field(default_factory=set)
    _longest_gap_s: float = 0.0
    _unasked: int = 0
    _by_itself: bool = False
    """Something came that our bytes did not bring about, also where it never pauses."""
    _answering: bool = False
    """What comes may still be what our last bytes brought about, however long it is."""
    _whole_s: float = 0.0
    """When the last answer with a right check was whole."""
    _recent: deque[tuple[bytes, LineErrors | None, float]] = field(default_factory=deque)
    _recent_bytes: int = 0
    _last_sent: bytes = b""

    def seen(self, now_s: float) -> None:
        self._step(Happening.SEEN, now_s)

    def gone(self, why: str, now_s: float) -> None:
        self.trouble = why
        self.opened_s = None
        self._step(Happening.GONE, now_s)

    def opened(self, now_s: float) -> None:
        self.trouble = ""
        self.opened_s = now_s
        self._start_listening()
        self._step(Happening.OPENED, now_s)

    def released(self, now_s: float, why: str = "") -> None:
        self.trouble = why
        self.opened_s = None
        self._step(Happening.RELEASED, now_s)

    def retuned(self, line: LineSettings, now_s: float) -> None:
        """New line settings: what was heard and proven at the old ones says nothing about the new."""
        self.line = line
        self._start_listening()
        self._step(Happening.RETUNED, now_s)

    def sent(self, data: bytes, now_s: float) -> None:
        self._last_sent = data[-64:]
        self.sent_bytes += len(data)
        self.last_sent_s = now_s
        self._answering = True

    def heard(self, data: bytes, errors: LineErrors | None, now_s: float, *, framed: bool = False) -> None:
        """`framed` bytes are the answer to a framed question: its check judges them, not whether they are text."""
        if errors is not None:
            self.errors.add(errors)
            self.errors_in_all.add(errors)
        if not framed:
            self._judge.receive(data, errors)
        if data:
            self._note_rhythm(now_s)
            self.heard_bytes += len(data)
            self.heard_in_all += len(data)
            self.last_heard_s = now_s
            self._remember(data[-LOOKED_AT:], errors, now_s)
            self._step(Happening.BYTES, now_s)
        if framed:
            return
        if self._judge.bad:
            self._step(Happening.UNCLEAN, now_s)
        elif self._judge.clean:
            self._step(Happening.CLEAN, now_s)

    def answered(self, answer: Answer, now_s: float) -> None:
        self.asked += 1
        verdict = answer.verdict
        self.echoed = verdict is Verdict.ECHO
        if answer.question.codec is not None and answer.data:
            checked = not getattr(answer.question.codec, "without_check", False)
            self._judge.judged_by_check(verdict is Verdict.RIGHT, counts=checked)
            self._step(Happening.CLEAN if verdict is Verdict.RIGHT else Happening.UNCLEAN, now_s)
            if verdict is Verdict.RIGHT:
                self._answering, self._whole_s = False, now_s  # by its check: what comes behind it is somebody else's
        if verdict is Verdict.RIGHT and answer.last_s is not None:
            self._answered_before.add(answer.question.data)
            self._step(Happening.RIGHT, now_s)
            if self.rung is Rung.PROVEN:
                text = answer.question.words(answer.data)
                self.proof = Proof(answer.question.text, text, answer.last_s * 1000, now_s)
        elif verdict is Verdict.UNJUDGED and answer.ended is not Ended.DOUBTFUL:
            self.unjudged += not answer.errors.total
        elif verdict is Verdict.WRONG:
            self._step(Happening.WRONG, now_s)
        elif answer.ended is Ended.NOTHING and not answer.data:
            self.unanswered += 1
            if answer.question.must_answer or answer.question.data in self._answered_before:
                self._step(Happening.UNANSWERED, now_s)

    def shown_right(self, asked: str, said: str, ms: float, now_s: float) -> None:
        """Somebody who knows what a right answer is found it right: values of the expected shape, a whole list, an
        answer that the technician took as right. `asked` and `said` are for people."""
        self._step(Happening.RIGHT, now_s)
        if self.rung is Rung.PROVEN:
            self.proof = Proof(asked, said, ms, now_s)

    def recognised(self, said: str, now_s: float) -> None:
        """A device that only talks said what its sheet expects, with a right check."""
        self._step(Happening.RIGHT, now_s)
        if self.rung is Rung.PROVEN:
            self.proof = Proof("", said, 0.0, now_s)

    def reads_in(self, charset: str) -> None:
        """What comes from now on is judged as text of this character set; a name that is none of CHARSETS is no
        choice."""
        charset = charset if charset in CHARSETS else ""
        if charset != self.charset:
            self.charset = charset
            self._judge.charset = charset or UNCHOSEN
            self._judge.reset()

    def overdue_s(self) -> float | None:
        """When a device that talks by itself counts as silent; None for one that only answers."""
        if self._unasked < 3 or self.last_heard_s is None or self.rung < Rung.HEARD:
            return None
        return self.last_heard_s + max(_OVERDUE_AT_LEAST_S, _OVERDUE_FACTOR * self._longest_gap_s)

    def tick(self, now_s: float) -> None:
        overdue = self.overdue_s()
        if overdue is not None and now_s >= overdue:
            self._step(Happening.QUIET, now_s)

    def evidence(self) -> Evidence:
        return Evidence(
            rung=self.rung,
            since_s=tuple(self._since.get(Rung(i)) if i <= self.rung else None for i in range(1, 6)),
            line=self.line,
            called=self.called,
            without=self.without,
            opened_s=self.opened_s,
            heard=self.heard_bytes,
            last_heard_s=self.last_heard_s,
            sent=self.sent_bytes,
            last_sent_s=self.last_sent_s,
            errors=LineErrors(self.errors.framing, self.errors.parity, self.errors.breaks, self.errors.overruns),
            bad_lately=self._judge.bad,
            seen_lately=self._judge.seen,
            checks_right=self._judge.checks_right,
            checks_wrong=self._judge.checks_wrong,
            asked=self.asked,
            unanswered=self.unanswered,
            proof=self.proof,
            echoed=self.echoed,
            signs=self._signs(),
            heard_in_all=self.heard_in_all,
            errors_in_all=replace(self.errors_in_all),
            trouble=self.trouble,
            by_itself=self._by_itself,
            unjudged=self.unjudged,
        )

    def _start_listening(self) -> None:
        """Counts begin anew: they belong to one opening at one setting."""
        self._judge = Judge(self.charset or UNCHOSEN)
        self.heard_bytes = self.sent_bytes = self.asked = self.unanswered = self.unjudged = self._unasked = 0
        self.last_heard_s = self.last_sent_s = None
        self.errors = LineErrors()
        self._longest_gap_s = 0.0
        self._answering = self._by_itself = self.echoed = False
        self._recent.clear()
        self._recent_bytes = 0

    def _remember(self, data: bytes, errors: LineErrors | None, now_s: float) -> None:
        self._recent.append((data, errors, now_s))
        self._recent_bytes += len(data)
        while self._recent_bytes - len(self._recent[0][0]) >= LOOKED_AT:
            self._recent_bytes -= len(self._recent.popleft()[0])

    def _signs(self) -> Signs:
        errors = LineErrors()
        reported = False
        bursts, before_s = 0, float("-inf")
        for _, some, at_s in self._recent:
            if some is not None:
                errors.add(some)
                reported = True
            bursts += at_s - before_s > _BURST_S
            before_s = at_s
        return Signs(
            b"".join(data for data, _, _ in self._recent),
            errors if reported or self.errors.total else None,
            sent=self._last_sent if self.last_sent_s is not None else b"",
            unasked=self._by_itself or self.last_sent_s is None,
            bursts=max(1, bursts),
            asked=self.asked,
            unanswered=self.unanswered,
            charset=self.charset or UNCHOSEN,
        )

    def _note_rhythm(self, now_s: float) -> None:
        quiet_since_s = max(self.last_sent_s or 0.0, self.last_heard_s or 0.0)
        self._answering = self._answering and now_s - quiet_since_s < _UNASKED_AFTER_S
        if self._answering:
            return
        self._by_itself |= self.last_sent_s is None or now_s - max(self._whole_s, self.last_sent_s) > _BURST_S
        if self.last_heard_s is not None and now_s - self.last_heard_s > _BURST_S:
            self._unasked += 1
            self._longest_gap_s = max(self._longest_gap_s, now_s - self.last_heard_s)

    def _step(self, happening: Happening, now_s: float) -> None:
        old, self.rung = self.rung, next_rung(self.rung, happening)
        for rung in range(old + 1, self.rung + 1):
            self._since[Rung(rung)] = now_s
        if self.rung < Rung.PROVEN:
            self.proof = None
