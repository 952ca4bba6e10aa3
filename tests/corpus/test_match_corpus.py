"""Match on content and devices that nobody tuned to: families kept apart, rates of which half and double lie near."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.question import Question
from ordolex.core.match.buses import bus_of
from ordolex.core.match.capture import Capture, Flags, starts_from_times
from ordolex.core.match.content import text_in
from ordolex.core.match.infer import infer
from ordolex.core.match.repetition import new_in
from ordolex.core.match.shapes import checked_in, like_text
from ordolex.core.match.stored import Answered, answered
from ordolex.core.match.verdict import Kind, judge
from ordolex.core.record.items import Chunk
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Receiver
from ordolex.io.match.asks import chosen, generic
from ordolex.io.match.listening import Listening
from ordolex.io.match.options import Options
from ordolex.io.system.faults import SettingsRefused
from tests.corpus.line import Talker, heard
from tests.corpus.live import matched, talker_of
from tests.corpus.maker import ALL, HELD_OUT, crc16, messages

NAMED = {family.name: family for family in ALL}
LETTERS = [family.name for family in HELD_OUT if " in " in family.name and "koi8" not in family.name][::2]


@pytest.mark.parametrize("name", LETTERS)
def test_clean_text_of_any_language_is_explained_by_its_own_settings(name: str) -> None:
    rng = random.Random(name)
    own = LineSettings(rng.choice((2400, 9600, 38400)))
    found = heard(rng, messages(NAMED[name], rng, 400), own, own, 64)
    best = infer([found.capture]).best
    assert best is not None and found.reads_alike(best.best.settings, best.best.inverted), best.best


@pytest.mark.parametrize("name", LETTERS)
def test_letters_of_another_alphabet_are_text_and_no_faster_sender(name: str) -> None:
    rng = random.Random(f"{name} again")
    own = LineSettings(rng.choice((2400, 9600, 38400)))
    capture = heard(rng, messages(NAMED[name], rng, 400), own, own, 64).capture
    verdict = judge([capture], infer([capture]))
    assert verdict.kind is not Kind.FASTER and "faster" not in verdict.words, verdict.words
    fast = LineSettings(6 * own.baud)
    garbage = heard(rng, messages(NAMED[name], rng, 4000), fast, own, 64).capture.data
    assert text_in(capture.data) > 0.3 and (len(garbage) < 20 or not like_text(garbage))


@pytest.mark.parametrize(("data", "baud"), [(b"*" * 64, 57600), (b"." * 40, 9600), (b"=-" * 30, 19200)])
def test_what_is_said_again_and_again_is_no_evidence(data: bytes, baud: int) -> None:
    rng = random.Random(7)
    own = LineSettings(baud)
    found = heard(rng, [data] * 4, own, own, len(data))
    best = infer([found.capture]).best
    right = best is not None and found.reads_alike(best.best.settings, best.best.inverted)
    assert right or best is None or best.probability < 0.9
    assert new_in(data) < 0.2 < 0.8 < new_in(b"raceway 1 oxygen 11.42 mg/l\r\nspring level 423 mm; flow 12.2\r\n")


def test_one_register_is_frame_enough() -> None:
    body = bytes([23, 3, 2, 1, 44])
    assert checked_in(body + crc16(body)) == "1 frame with a right CRC"


def test_units_without_a_sheet_are_asked_and_a_frame_that_is_typed_is_judged_as_one() -> None:
    asked = [question.text for question in generic((23, 24))]
    assert any("23" in text for text in asked) and any("24" in text for text in asked) and generic() != generic((23,))
    frame = bytes([23, 3, 0, 5, 0, 1])
    (question,) = chosen(None, (), [frame + crc16(frame)])
    body = bytes([23, 3, 2, 1, 44])
    assert question.codec is not None and question.codec.whole(body + crc16(body))
    assert chosen(None, (), [frame + b"\0\0"])[0].codec is None


@pytest.mark.parametrize(
    ("name", "own", "at"),
    [
        ("receiver", LineSettings(38400), 9600),
        ("english", LineSettings(76800), 1200),
        ("csv", LineSettings(28800, 7, Parity.ODD), 2400),
        ("registers", LineSettings(2400, 8, Parity.EVEN), 115200),
    ],
)
def test_who_talks_by_himself_is_found_by_what_he_says_and_not_by_the_absence_of_errors(
    name: str, own: LineSettings, at: int
) -> None:
    match, left = matched(talker_of(NAMED[name], own, seed=at, burst=2), LineSettings(at))
    assert match.found is not None, match.verdict
    assert (match.found.baud, match.found.data_bits, match.found.parity) == (own.baud, own.data_bits, own.parity)
    assert left == match.found and "answered" not in match.evidence


class Refuser(Talker):
    """Its server takes some formats only."""

    async def configure(self, line: LineSettings) -> None:
        if line.parity in (Parity.MARK, Parity.SPACE) or line.baud > 19200:
            raise SettingsRefused(f"the server does not know {line.text}", "choose another")
        await super().configure(line)


def test_a_server_that_refuses_a_format_costs_one_trial() -> None:
    def asked(data: bytes) -> bytes:
        return b"raceway 3 oxygen 10.1 mg/l\r\n" if data == b"\r" else b""

    device = Refuser(LineSettings(4800, 7, Parity.EVEN), None, asked=asked)
    match, left = matched(device, LineSettings(9600), replace(Options(generic()), give_up_s=600.0))
    assert any("refused" in trial.words for trial in match.trials), [trial.words for trial in match.trials]
    assert match.found == left == LineSettings(4800, 7, Parity.EVEN), match.evidence


def test_errors_at_a_wrong_rate_are_no_talker_out_of_step() -> None:
    own = LineSettings(115200)
    match, _ = matched(talker_of(NAMED["fixed"], own, 71, 2.0, 1), LineSettings(1200), Options(generic()))
    assert match.found is None or match.found.baud == own.baud, match.evidence


@pytest.mark.parametrize("text", ["4800 7E1", "19200 8E1", "2400 8N1"])
def test_what_it_answered_before_is_asked_first_where_the_record_speaks_for_it(text: str) -> None:
    """Nothing is listened for then: the device's garbled answers are in the record."""
    own, at, answer = read_line(text).settings, LineSettings(9600), b"raceway 3 oxygen 10.1 mg/l, flow 412\r\n"
    rng = random.Random(text)
    garbled = heard(rng, [answer] * 8, own, at, 120).capture
    talker = Talker(own, None, asked=lambda data: answer if b"*IDN?" in data else b"", seed=3)
    options = Options(generic(), answered=Answered((garbled,), (b"*IDN?\n",)), give_up_s=300.0)
    match, left_at = matched(talker, at, options)
    assert match.found is not None and match.found.baud == own.baud and left_at == match.found
    assert match.trials[0].sent == b"*IDN?\n" and sum(trial.seconds for trial in match.trials) < 7


@pytest.mark.parametrize("text", ["2400 8N2", "9600 8N1", "1200 8E1"])
def test_an_inverted_line_that_listening_missed_is_seen_while_it_is_asked(
    text: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An inverted device understands no question, but its own talk comes while an answer is waited for."""

    async def missed(listening: Listening) -> None:
        return

    monkeypatch.setattr(Listening, "run", missed)
    own, at, rng = read_line(text).settings, LineSettings(9600), random.Random(text)
    talker = Talker(own, lambda: NAMED["receiver"].make(rng), 1.0, inverted=True, seed=5)
    match, left_at = matched(talker, at, Options([Question(b"*IDN?\n")], wait_s=1.0))
    assert match.inverted and match.found is not None and match.found.baud == own.baud, match.verdict
    assert left_at == at


def test_only_what_came_behind_something_sent_is_an_answer() -> None:
    def chunk(direction: str, at_s: float, data: bytes) -> Chunk:
        return Chunk(1, direction, 0, int(at_s * 1e6), [data], int(at_s * 1e6))

    asked = [chunk("tx", 1.0, b"V?\r"), chunk("rx", 1.3, b"garbage"), chunk("rx", 1.5, b"more")]
    told = answered(asked, LineSettings(9600), with_flags=False)
    assert told.asked == (b"V?\r",) and b"".join(one.data for one in told.captures) == b"garbagemore"
    assert not answered([*asked, chunk("rx", 9.0, b"by itself")], LineSettings(9600), with_flags=False).captures
    assert not answered(asked[1:], LineSettings(9600), with_flags=False).captures


@pytest.mark.parametrize("seed", [2, 25, 44])
def test_however_sure_the_word_is_its_probabilities_stand_in_order_and_add_up(seed: int) -> None:
    rng = random.Random(seed)
    own, at = LineSettings(1200), LineSettings(rng.choice((1200, 9600, 19200)))
    found = heard(rng, messages(rng.choice(ALL), rng, 200), own, at, rng.choice((12, 24, 48)))
    inference = infer([found.capture])
    shares = [group.probability for group in inference.groups]
    assert shares == sorted(shares, reverse=True)
    assert sum(entry.probability for entry in inference.ranked) + inference.outside == pytest.approx(1.0, abs=1e-6)


def _on_a_bus(rng: random.Random, baud: int, at: LineSettings, *, breaks: bool) -> Capture:
    """Twelve messages: the first byte with a ninth bit that is high, or behind a break."""
    receiver, at_s = Receiver(at), 1.0
    for _ in range(12):
        first = LineSettings(baud // 2, 8, Parity.NONE, 1.0) if breaks else LineSettings(baud, 8, Parity.MARK, 1.0)
        then = LineSettings(baud, 8, Parity.NONE, 2.0) if breaks else LineSettings(baud, 8, Parity.SPACE, 1.0)
        data = bytes(rng.choice((0, 1, 255, rng.randrange(256))) for _ in range(rng.randint(4, 30)))
        for settings, said in (
            (first, b"\0" if breaks else bytes([rng.randrange(1, 9)])),
            (then, b"\0" * breaks + data),
        ):
            sender = Transmitter(settings)
            sender.free_at_s = at_s
            receiver.receive(sender.send(said, at_s))
            at_s = sender.free_at_s
        at_s += 0.05
    got = receiver.advance(at_s + 10)[rng.randrange(4) :][:160]
    times = [one.at_s for one in got]
    flags = tuple(Flags(one.framing, one.parity, one.broken) for one in got)
    return Capture(at, bytes(one.byte for one in got), flags, starts_from_times(times, at))


@pytest.mark.parametrize("breaks", [False, True])
@pytest.mark.parametrize("baud", [9600, 38400, 250000])
def test_a_bus_that_no_setting_reads_is_named_as_what_it_is(baud: int, breaks: bool) -> None:
    rng = random.Random(baud)
    capture = _on_a_bus(rng, baud, LineSettings(baud), breaks=breaks)
    verdict = judge([capture], infer([capture]))
    assert verdict.kind is Kind.BUS and ("begins with a break" if breaks else "nine bits") in verdict.words
    for wrong in (baud * 2, baud // 2):
        assert not bus_of(_on_a_bus(rng, baud, LineSettings(wrong), breaks=breaks))


@pytest.mark.parametrize("name", [family.name for family in HELD_OUT])
def test_no_talk_at_a_wrong_setting_looks_like_another_kind_of_bus(name: str) -> None:
    rng = random.Random(name)
    for own in ("9600 8N1", "4800 8E1", "9600 7O1", "19200 8N2", "1200 8N1", "57600 8N1"):
        found = heard(rng, messages(NAMED[name], rng, 900), read_line(own).settings, LineSettings(9600), 128)
        assert not bus_of(found.capture), own
