"""The ladder, the judge, questions and exchanges: what lifts a link, what drops it, and on what evidence."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from ordolex.core.advice.next_step import advise
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import MAX_ANSWER, Answer, Ended, Exchange
from ordolex.core.link.judge import WINDOW, Judge, LineErrors
from ordolex.core.link.ladder import TABLE, Happening, Rung, next_rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.retry import Tries
from ordolex.core.link.state import LinkState
from ordolex.core.protocols.codecs import ModbusCodec
from ordolex.core.protocols.modbus.frames import Rtu
from ordolex.core.talk.conversation import Conversation, Direction
from ordolex.core.talk.rate_rows import Faults, RateRow, fastest_clean, faults_of

LINE = LineSettings(19200)


# ---- the table


def test_every_pair_of_the_table_is_there() -> None:
    assert len(TABLE) == len(Rung) * len(Happening)


def test_nothing_lifts_a_link_past_the_rung_that_its_evidence_is_for() -> None:
    most = {
        Happening.SEEN: Rung.PRESENT, Happening.OPENED: Rung.HELD, Happening.BYTES: Rung.HEARD,
        Happening.CLEAN: Rung.CLEAR, Happening.RIGHT: Rung.PROVEN,
    }  # fmt: skip
    for (rung, happening), new in TABLE.items():
        assert new <= max(rung, most.get(happening, Rung.ABSENT))


def test_rungs_are_climbed_one_by_one_once_open() -> None:
    for (rung, happening), new in TABLE.items():
        if rung >= Rung.HELD and happening is not Happening.OPENED:
            assert new <= rung + 1


@pytest.mark.parametrize("happening", [Happening.GONE, Happening.RELEASED])
def test_a_port_that_is_not_held_claims_nothing(happening: Happening) -> None:
    for rung in Rung:
        assert next_rung(rung, happening) <= Rung.PRESENT


@pytest.mark.parametrize("happening", [Happening.UNANSWERED, Happening.QUIET, Happening.RETUNED, Happening.UNCLEAN])
def test_contrary_evidence_takes_the_proof_away(happening: Happening) -> None:
    assert next_rung(Rung.PROVEN, happening) < Rung.CLEAR


# ---- the judge


def judged(*chunks: bytes, errors: LineErrors | None = None) -> Judge:
    judge = Judge()
    for chunk in chunks:
        judge.receive(chunk, errors)
    return judge


@pytest.mark.parametrize("flood", [b"\x80" * 9000, b"\xff" * 9000, bytes(range(0x80, 0xC0)) * 200])
def test_a_flood_that_cannot_be_read_is_judged_so_by_its_end(flood: bytes) -> None:
    judge = Judge()
    judge.receive(b"good text to begin with\r\n", None)
    judge.receive(flood, None)
    assert judge.bad >= 150 and not judge.clean
    judge.receive("und dann ist alles lesbar, auch ä und ö ° \n".encode() * 100, None)
    assert judge.bad == 0 and judge.clean


@pytest.mark.parametrize(
    "data", [b"9.42 mg/l\n", b"ok\r\n", b"Raceway 1: enter operator name ", "11 °C\r\n".encode(), b"\x0211\x03\r\n"]
)
def test_readable_text_is_clean(data: bytes) -> None:
    assert judged(data).clean
    assert judged(*(data[i : i + 1] for i in range(len(data)))).clean


@pytest.mark.parametrize("data", [b"\x00\x00\x00\n", b"ab\xf8\xfe\n", b"\xe0\x00\xe0", b"x", b"ab", b"\n", b"\n\n\n"])
def test_garbage_and_too_little_are_not(data: bytes) -> None:
    assert not judged(data).clean


def test_line_errors_stain_readable_bytes() -> None:
    judge = judged(b"9.42 mg/l\n", errors=LineErrors(framing=1))
    assert not judge.clean and judge.bad == 1


def test_an_old_fault_is_forgotten_after_a_window_of_clean_bytes() -> None:
    judge = judged(b"\x00\x00")
    for _ in range(WINDOW // 8 + 1):
        assert not judge.clean or judge.seen >= WINDOW
        judge.receive(b"clean 1\n", None)
    assert judge.clean


def test_sentences_are_checked_however_they_arrive() -> None:
    right, wrong = b"$YXXDR,C,9.4,C,T1*09\r\n", b"$YXXDR,C,9.4,C,T1*08\r\n"
    for size in (1, 5, 50):
        stream = right + right + wrong
        judge = judged(*(stream[i : i + size] for i in range(0, len(stream), size)))
        assert (judge.checks_right, judge.checks_wrong) == (2, 1)
        assert not judge.clean


@given(st.lists(st.binary(max_size=100), max_size=20))
def test_the_window_counts_what_is_in_it(chunks: list[bytes]) -> None:
    judge = judged(*chunks)
    assert 0 <= judge.bad <= max(judge.seen, sum(1 for c in chunks))
    assert judge.seen <= WINDOW + 100


# ---- questions


@pytest.mark.parametrize(
    ("question", "answer", "verdict"),
    [
        ("*IDN?", b"Brookmade,OX-2,unit 1,1.14\n", Verdict.RIGHT),
        ("*idn?", b"Brookmade,OX-2,unit 1,1.14\r\n", Verdict.RIGHT),
        ("*IDN?", b"*IDN?\r\nBrookmade,OX-2,unit 1,1.14\r\n", Verdict.RIGHT),
        ("*IDN?", b"J\x8aJ\x9e\xd6,,,", Verdict.WRONG),
        ("*IDN?", b"9.42\n", Verdict.WRONG),
        ("*IDN?", b"*IDN?\n", Verdict.ECHO),
        ("*OPC?", b"1\n", Verdict.RIGHT),
        ("*OPC?", b"0\n", Verdict.WRONG),
        ("MEAS:OXYG?", b"9.42 mg/l\n", Verdict.RIGHT),
        ("MEAS:OXYG?", b"-1.5E+3\n", Verdict.RIGHT),
        (":SYST:ERR?", b'-113,"Undefined header"\n', Verdict.RIGHT),
        ("MEAS:OXYG?", b"ERROR what\n", Verdict.WRONG),
        ("MEAS:OXYG?", b"MEAS:OXYG?\r\nERR 3\r\n", Verdict.WRONG),
        ("MEAS:OXYG?", b"\xf8\x9c\xf0\x81\n", Verdict.WRONG),
        ("MODE?", b"AUTO\r\n", Verdict.UNJUDGED),
        ("SYST:ERR?", b"ERR 7\r\n", Verdict.UNJUDGED),  # what was asked for
        ("STATE?", b"STATE?\r\npump 2 failed\r\n", Verdict.UNJUDGED),
        ("PLACE?", "Zulauf Süd\n".encode(), Verdict.UNJUDGED),
        ("hello", b"good day\n", Verdict.UNJUDGED),
        ("hello", b"", Verdict.NONE),
    ],
)
def test_answers_are_judged_by_shape(question: str, answer: bytes, verdict: Verdict) -> None:
    assert Question(question.encode() + b"\n").judge(answer) is verdict


@pytest.mark.parametrize("charset", ["utf-8", "latin-1"])
def test_a_pattern_fits_what_it_says_in_whatever_character_set_it_comes(charset: str) -> None:
    question = Question("größe?\n".encode(), like=r"[\d.]+ °C \(größer\)")
    assert question.text == "größe?"
    assert question.judge("9.5 °C (größer)\r\n".encode(charset)) is Verdict.RIGHT
    assert question.judge("9.5 °C (grösser)\r\n".encode(charset)) is Verdict.WRONG
    as_kept_once = Question(b"T?\n", like="9.5 °C".encode().decode("latin-1"))
    assert as_kept_once.judge("9.5 °C\r\n".encode()) is Verdict.RIGHT


def test_a_given_end_is_what_a_right_answer_has() -> None:
    question = Question(b"AT\r", until=b"OK\r\n")
    assert question.judge(b"\r\nOK\r\n") is Verdict.RIGHT
    assert question.judge(b"\r\nERROR\r\n") is Verdict.WRONG


def test_a_right_looking_answer_with_line_errors_is_not_right() -> None:
    answer = Answer(Question(b"*OPC?\n"), b"1\n", Ended.LINE_END, 0.1, 0.1, LineErrors(parity=1))
    assert answer.verdict is Verdict.WRONG


# ---- exchanges, on a made-up clock


def test_an_answer_ends_with_a_line_and_a_short_silence() -> None:
    exchange = Exchange(Question(b"*IDN?\n"), 100.0, 0.0005)
    assert exchange.receive(b"Brook", None, 100.05) is None
    assert exchange.receive(b"made\n", None, 100.06) is None
    assert exchange.tick(100.07) is None
    answer = exchange.tick(exchange.next_deadline())
    assert answer is not None and answer.ended is Ended.LINE_END
    assert answer.data == b"Brookmade\n"
    assert (answer.first_s, answer.last_s) == (pytest.approx(0.05), pytest.approx(0.06))


def test_the_rest_of_the_answer_before_is_not_the_answer() -> None:
    """A busy computer reads the LF of a CR LF long behind the CR, and the next question is out by then."""
    exchange = Exchange(Question(b"B\r", timeout_s=1.0), 100.0, 0.001)
    assert exchange.receive(b"\n", None, 100.02) is None and exchange.tick(100.5) is None
    assert exchange.receive(b"7.16\r\n", None, 100.6) is None
    answer = exchange.tick(exchange.next_deadline())
    assert answer is not None and answer.data.strip() == b"7.16" and exchange.next_deadline() < 101.1
    blank = Exchange(Question(b"\r", timeout_s=1.0), 0.0, 0.001)
    blank.receive(b"\r\n", None, 0.1)
    ended = blank.tick(blank.next_deadline())
    assert ended is not None and ended.data == b"\r\n"  # where nothing else comes, a blank line is what came


def test_half_an_echo_is_no_answer_however_long_the_pause_in_it() -> None:
    """A plug or an echoing device whose bytes are held up on their way, as by a busy computer."""
    exchange = Exchange(Question(b"\x1b[2Jdone?\n", timeout_s=1.0), 100.0, 0.001)
    exchange.receive(b"\x1b[2J", None, 100.02)
    assert exchange.tick(100.9) is None
    exchange.receive(b"done?\n", None, 100.95)
    answer = exchange.tick(exchange.next_deadline() + 0.001)
    assert answer is not None and answer.verdict is Verdict.ECHO and exchange.next_deadline() < 101.5
    exchange = Exchange(Question(b"level?\n", timeout_s=1.0), 100.0, 0.001)
    exchange.receive(b"lev", None, 100.02)  # and no more: it is said at the time-out
    assert exchange.tick(101.0) is None and exchange.tick(101.1) is not None


def test_an_answer_without_a_line_end_waits_for_a_longer_silence() -> None:
    exchange = Exchange(Question(b"?"), 0.0, 0.0005)
    exchange.receive(b"login: ", None, 0.1)
    assert exchange.next_deadline() >= 0.2
    assert exchange.tick(0.5) is None, "devices speak in pieces, with pauses of up to 0.4 s"
    answer = exchange.tick(0.56)
    assert answer is not None and answer.ended is Ended.SILENCE


def test_nothing_in_time_is_an_answer_too() -> None:
    exchange = Exchange(Question(b"x" * 100, timeout_s=1.0), 0.0, 0.01)
    assert exchange.tick(1.9) is None, "the question itself takes a second on the wire"
    answer = exchange.tick(2.0)
    assert answer is not None and answer.ended is Ended.NOTHING and answer.verdict is Verdict.NONE


def test_the_end_is_found_across_arrivals() -> None:
    exchange = Exchange(Question(b"AT\r", until=b"OK\r\n"), 0.0, 0.001)
    assert exchange.receive(b"\r\nO", None, 0.1) is None
    answer = exchange.receive(b"K\r\n", None, 0.2)
    assert answer is not None and answer.ended is Ended.UNTIL


def test_a_flood_ends_an_answer() -> None:
    exchange = Exchange(Question(b"x"), 0.0, 0.0001)
    answers = [exchange.receive(b"y" * 65_536, None, 0.01 * i) for i in range(20)]
    assert answers[MAX_ANSWER // 65_536 - 1] is not None


# ---- the state of a link


class Climb(RuleBasedStateMachine):
    """Whatever happens in whatever order, a link never claims what its evidence does not bear."""

    def __init__(self) -> None:
        super().__init__()
        self.state = LinkState(LINE)
        self.now = 1000.0
        self.open = False

    def later(self, seconds: float) -> float:
        self.now += seconds
        return self.now

    @rule()
    def appears(self) -> None:
        self.state.seen(self.later(1))

    @rule()
    def is_pulled(self) -> None:
        self.state.gone("pulled", self.later(1))
        self.open = False

    @rule()
    def opens(self) -> None:
        self.state.opened(self.later(1))
        self.open = True

    @rule()
    def is_released(self) -> None:
        self.state.released(self.later(1))
        self.open = False

    @rule(data=st.sampled_from([b"9.42 mg/l\n", b"\x00\xf8", b"$YXXDR,C,9.4,C,T1*09\r\n", b"x"]), bad=st.booleans())
    def hears(self, data: bytes, bad: bool) -> None:
        if self.open:
            self.state.heard(data, LineErrors(framing=1) if bad else None, self.later(0.3))

    @rule(data=st.sampled_from([b"1\n", b"", b"what?\n", b"*OPC?\n"]))
    def is_asked(self, data: bytes) -> None:
        if self.open:
            question = Question(b"*OPC?\n")
            self.state.sent(b"*IDN?\n", self.later(0.1))
            if data:
                self.state.heard(data, None, self.later(0.1))
            ended = Ended.LINE_END if data else Ended.NOTHING
            at = 0.1 if data else None
            self.state.answered(Answer(question, data, ended, at, at), self.later(0.1))

    @rule()
    def retunes(self) -> None:
        self.state.retuned(LineSettings(9600), self.later(1))

    @rule()
    def is_left_alone(self) -> None:
        self.state.tick(self.later(120))

    @invariant()
    def claims_no_more_than_it_knows(self) -> None:
        evidence = self.state.evidence()
        if evidence.rung >= Rung.HELD:
            assert self.open
        if evidence.rung >= Rung.HEARD:
            assert evidence.heard > 0
        if evidence.rung >= Rung.CLEAR:
            assert evidence.bad_lately == 0
        assert (evidence.rung is Rung.PROVEN) == (evidence.proof is not None)
        if evidence.proof is not None:
            assert evidence.proof.question == "*OPC?" and evidence.proof.answer == "1"
        reached = [at for at in evidence.since_s if at is not None]
        assert len(reached) == evidence.rung and all(at <= self.now for at in reached)
        advice = advise(evidence, self.now)
        assert (advice is None) == (evidence.rung is Rung.PROVEN)
        if advice is not None:
            assert advice.sentence.strip() and not re.search(r"\bconnected\b", advice.sentence, re.I)


Climb.TestCase.settings = __import__("hypothesis").settings(max_examples=60, deadline=None)
TestClimb = Climb.TestCase


def opened() -> LinkState:
    state = LinkState(LINE)
    state.seen(0.0)
    state.opened(1.0)
    return state


def test_an_open_silent_port_is_held_and_says_how_long() -> None:
    state = opened()
    advice = advise(state.evidence(), 13.0)
    assert state.rung is Rung.HELD and advice is not None
    assert "0 bytes in 12 s" in advice.sentence


def test_a_known_question_without_an_answer_drops_a_proven_link() -> None:
    state = opened()
    state.heard(b"9.4 mg/l\n", None, 2.0)
    state.answered(Answer(Question(b"MEAS:OXYG?\n"), b"9.4 mg/l\n", Ended.LINE_END, 0.04, 0.05), 2.1)
    assert state.rung is Rung.PROVEN
    state.answered(Answer(Question(b"what\n"), b"", Ended.NOTHING, None, None), 4.0)
    assert state.rung is Rung.PROVEN, "an unknown question left unanswered says nothing"
    state.answered(Answer(Question(b"MEAS:OXYG?\n"), b"", Ended.NOTHING, None, None), 6.0)
    assert state.rung is Rung.HELD


@pytest.mark.parametrize("gap", [0.02, 0.3])
@pytest.mark.parametrize("asked", [False, True])
def test_who_speaks_by_itself_is_known_also_right_behind_an_answer_and_without_pauses(asked: bool, gap: float) -> None:
    state, now = opened(), 2.0
    if asked:
        codec = ModbusCodec(Rtu(), 4, bytes.fromhex("0300000001"), "register 0")
        question, answer = Question(codec.sent, codec=codec), Rtu().wrap(4, bytes.fromhex("03020001"))
        state.sent(question.data, now)
        state.heard(answer, None, now + 0.01, framed=True)
        state.answered(Answer(question, answer, Ended.FRAME, 0.01, 0.01), now + 0.01)
        assert state.rung is Rung.PROVEN and not state.evidence().by_itself
    for i in range(1, 20):
        state.heard(Rtu().wrap(9, bytes.fromhex("03020001")), None, now + 0.01 + gap * i)
    assert state.evidence().by_itself


def test_a_talker_that_falls_silent_drops_to_held_and_climbs_again() -> None:
    state = opened()
    for i in range(5):
        state.heard(b"$YXXDR,C,9.4,C,T1*09\r\n", None, 2.0 + 2 * i)
    assert state.rung is Rung.CLEAR
    state.tick(15.0)
    assert state.rung is Rung.CLEAR
    state.tick(20.1)
    assert state.rung is Rung.HELD
    state.heard(b"$YXXDR,C,9.4,C,T1*09\r\n", None, 30.0)
    assert state.rung is Rung.CLEAR


@pytest.mark.parametrize(
    ("errors", "data", "word"),
    [
        (LineErrors(framing=3), b"\xf8\xfe\x00", "baud"),
        (LineErrors(breaks=9), b"\x00\x00", "polarity"),
        (LineErrors(parity=4), b"ab", "parity"),
        (None, b"\xf8\xfe\xe0", "baud"),
        (LineErrors(framing=6), bytes.fromhex("4a8a4a9ed6c3730ed648f3b8c2f0e143"), "baud"),  # with a shift-out in it
        (LineErrors(breaks=9), b"\x80\x00\x80\x00\x00\x80\x00\x80\x00\x00\x80\x00", "baud"),  # far above its rate
    ],
)
def test_the_likeliest_cause_follows_the_kind_of_error(errors: LineErrors | None, data: bytes, word: str) -> None:
    state = opened()
    state.heard(data, errors, 2.0)
    advice = advise(state.evidence(), 3.0)
    assert state.rung is Rung.HEARD and advice is not None and word in advice.causes[0]


# ---- the conversation


def test_rows_tell_who_spoke_and_how_long_the_answer_took() -> None:
    talk = Conversation()
    rows = talk.sent(b"*IDN?\n", 1_000_000)
    rows += talk.heard(b"Brook", 1_041_000) + talk.heard(b"made\nlate", 1_050_000, LineErrors(framing=2))
    rows += talk.tick(1_100_000)
    assert [(r.direction, r.data, r.after_ms, r.errors) for r in rows] == [
        (Direction.SENT, b"*IDN?\n", None, ""),
        (Direction.HEARD, b"Brookmade\n", 41.0, "2 framing errors"),
    ]
    assert talk.unfinished == b"late"
    (row,) = talk.tick(1_400_000)
    assert (row.data, row.at_us) == (b"late", 1_050_000)


def test_a_remark_in_passing_does_not_cut_a_line() -> None:
    talk = Conversation()
    rows = talk.heard(b"ab", 1) + talk.note("lines", 2, cut=False) + talk.heard(b"c\n", 3)
    assert [r.shown for r in rows] == ["lines", "abc↓"]
    rows = talk.heard(b"xy", 4) + talk.note("released", 5)
    assert [r.shown for r in rows] == ["xy", "released"]


def test_the_ladder_of_tries_goes_from_cheap_to_dear_and_forgets_after_success() -> None:
    tries = Tries()
    assert tries.words("p") == ""
    said = []
    for _ in range(5):
        tries.failed("p")
        said.append(tries.words("p"))
    assert said[0].startswith("1 try failed; try again") and "unplug" in said[1] and "off and on" in said[2]
    assert said[4].startswith("5 tries failed; restart both ends") and tries.words("q") == ""
    tries.opened("p")
    assert tries.words("p") == ""


@pytest.mark.parametrize(
    ("heard", "wrong", "missing", "doubled"),
    [
        (b"OX-2 unit 3", 0, 0, 0),
        (b"OX-2 unit 4", 1, 0, 0),
        (b"OX-2 unt 3", 0, 1, 0),
        (b"OX-2 unnit 3", 0, 0, 1),
        (b"OX-2 OX-2 unit 3", 0, 0, 5),
        (b"OX-2 unit 3~", 1, 0, 0),
        (b"", 0, 11, 0),
    ],
)
def test_an_answer_is_compared_byte_for_byte(heard: bytes, wrong: int, missing: int, doubled: int) -> None:
    assert faults_of(b"OX-2 unit 3", heard) == Faults(wrong, missing, doubled)


def test_a_rate_says_no_more_than_its_bytes_allow() -> None:
    assert RateRow(300, bytes=600).margin == "under 0.5 %"
    assert RateRow(300, bytes=600, errors=1).margin == "none" and not RateRow(300, bytes=600, errors=1).clean
    refused = RateRow(600, trouble="the device refused: ERROR")
    assert not refused.clean and refused.margin == "" and fastest_clean([refused]) is None


def test_half_an_answer_of_unknown_shape_is_not_taken_for_all_of_it() -> None:
    for unhurried, ends_s in ((False, 0.55), (True, 0.8)):
        exchange = Exchange(Question(b"A\r", timeout_s=0.8, unhurried=unhurried), 0.0, 0.001)
        exchange.receive(b"7.12 11.4 0.3", None, 0.1)
        assert exchange.next_deadline() == pytest.approx(ends_s, abs=0.01), "a silence without a line end"
    exchange.receive(b"12 98.1\r\n", None, 0.12)
    assert exchange.next_deadline() == pytest.approx(0.57, abs=0.01), (
        "more lines may follow: how it pauses is not known"
    )
    owed = Exchange(Question(b"A\r", timeout_s=0.8, owes=True), 0.0, 0.001)
    owed.receive(b"7.12\r\n", None, 0.12)
    assert owed.next_deadline() == pytest.approx(0.15, abs=0.01)
