"""Causes are weighed in one place: bytes, control lines, an inference, and how tests by hand came out."""

import pytest

from ordolex.core.advice.by_hand import HAND_TESTS
from ordolex.core.advice.causes import Inferred, Told, causes
from ordolex.core.advice.signs_of import OF_BYTES, OF_SILENCE
from ordolex.core.line.notation import read_line
from ordolex.core.link.judge import LineErrors
from ordolex.core.link.signs import Signs

SPOILT = Signs(bytes(range(0x80, 0xC0)), LineErrors(framing=20, breaks=2))
SILENT = Signs(b"", asked=3, unanswered=3)
AT = read_line("9600 8N1").settings


def names(signs: Signs, told: Told | None = None) -> list[str]:
    return [cause.name for cause in causes(signs, told or Told())]


def share(name: str, signs: Signs, told: Told) -> float:
    return next((cause.share for cause in causes(signs, told) if cause.name == name), 0.0)


def outcome(test: str, words: str) -> dict[str, int]:
    (number,) = (n for n, one in enumerate(HAND_TESTS[test].outcomes) if one.words == words)
    return {test: number}


def test_every_cause_has_a_test_whose_outcomes_tell() -> None:
    for name, *_, by_hand, _ in (*OF_BYTES, *OF_SILENCE):
        weights = [one.weighs.get(name, 0.0) for one in HAND_TESTS[by_hand].outcomes]
        assert max(weights) > 0 and min(weights) < max(weights), (name, weights)
    known = {name for name, *_ in (*OF_BYTES, *OF_SILENCE)}
    for test in HAND_TESTS.values():
        assert len(test.outcomes) >= 2
        for one in test.outcomes:
            assert one.weighs and set(one.weighs) <= known, (test.name, one.words)


def test_the_outcome_of_a_test_changes_the_order() -> None:
    assert names(SPOILT)[0] == "rate"
    told = Told(outcomes=outcome("unplug", "the same still comes"))
    assert names(SPOILT, told)[0] == "floating"
    first = causes(SPOILT, told)[0]
    assert "plug pulled: the same still comes" in first.speaks_for
    rate = next(cause for cause in causes(SPOILT, told) if cause.name == "rate")
    assert "plug pulled: the same still comes" in rate.against
    assert "20 framing errors in the last 64 bytes" in rate.speaks_for


@pytest.mark.parametrize(
    ("seems", "inverted", "first"),
    [("4800 8N1", False, "rate"), ("9600 8N1", True, "inverted"), ("9600 7E1", False, "parity")],
)
def test_an_inference_ranks_the_causes_as_it_ranks_the_settings(seems: str, inverted: bool, first: str) -> None:
    told = Told(inferred=Inferred(read_line(seems).settings, inverted, 0.97, AT))
    assert names(SPOILT, told)[0] == first
    unsure = Told(inferred=Inferred(read_line(seems).settings, inverted, 0.5, AT))
    assert share(first, SPOILT, unsure) < share(first, SPOILT, told)


def test_settings_that_seem_right_speak_against_wrong_ones() -> None:
    told = Told(inferred=Inferred(AT, False, 0.98, AT))
    for name in ("rate", "parity", "inverted"):
        assert share(name, SPOILT, told) < 0.25
    assert share("rate", SPOILT, Told()) > 0.5


def test_silence_is_told_apart_by_tests_and_control_lines() -> None:
    assert "asked" not in names(SILENT) and names(Signs(b""))[0] == "asked"
    assert "address" not in names(SILENT) and "address" in names(SILENT, Told(bus=True))
    assert names(SILENT, Told(outcomes=outcome("lamp", "no lamp, no display")))[0] == "off"
    assert names(SILENT, Told(outcomes=outcome("loop", "nothing came back")))[0] == "broken"
    powered = Told(inputs=frozenset({"DSR"}))
    assert share("off", SILENT, powered) < share("off", SILENT, Told())
    off = next(cause for cause in causes(SILENT, powered) if cause.name == "off")
    assert any("DSR on" in words for words in off.against)


def test_shares_leave_room_for_another_cause_and_add_up() -> None:
    for signs in (SPOILT, SILENT, Signs(b"oxygen 9.4 mg/l\r\n" * 9, LineErrors(overruns=2))):
        found = causes(signs)
        assert found == sorted(found, key=lambda cause: -cause.share)
        assert 0.2 < sum(cause.share for cause in found) < 1
    contradicting = Told(outcomes={**outcome("voltage", "-3 to -15 V"), **outcome("unplug", "it stops")})
    assert share("floating", SPOILT, contradicting) < 0.05


def test_a_device_that_ends_its_lines_in_its_own_way_and_answers_rightly_is_not_odd() -> None:
    answers = Signs(b"9.84 mg/l\n11.5 C\n6 mg/l\n", LineErrors())
    assert names(answers)[0] == "line end", "before it is asked, that may be what is wrong"
    assert names(answers, Told(proven=True)) == []


def test_many_framing_errors_speak_for_the_rate_though_most_of_it_are_letters() -> None:
    signs = Signs(data=b"bBVsVNv\x96\xdf\x17", errors=LineErrors(framing=6), sent=b"*IDN?\n", asked=1)
    found = causes(signs)
    assert found and found[0].name == "rate"
