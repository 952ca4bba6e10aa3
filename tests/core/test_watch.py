"""Rounds without I/O: values out of answers, limits, what is computed, conditions, turns on a line, figures, files."""

from __future__ import annotations

import csv
import io
import json
import random
from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.sheet.fields import ValueField
from ordolex.core.text.charsets import text_of
from ordolex.core.text.nmea0183 import sentence
from ordolex.core.text.number_in import doubtful_in
from ordolex.core.watch.condition import ConditionError, Now, read_condition
from ordolex.core.watch.derived import Derivation
from ordolex.core.watch.extract import extract, first_number, split
from ordolex.core.watch.limits import Guard, Limits
from ordolex.core.watch.polls import Poll, plan_link, polls_of
from ordolex.core.watch.resolve import offers, resolved
from ordolex.core.watch.round import Round, RoundError, as_toml, read_round
from ordolex.core.watch.samples import Quality, Sample
from ordolex.core.watch.schedule import Schedule
from ordolex.core.watch.state import Alarms, ItemState
from ordolex.core.watch.stats import compared, figures
from ordolex.core.watch.tables import Column, json_lines, long_csv, wide_csv
from ordolex.io.own import sheets

# ---- values out of answers


@pytest.mark.parametrize(
    ("field", "text", "value", "quality"),
    [
        ({"column": 2}, "7.1;8.25;9", 8.25, Quality.GOOD),
        ({"column": 2}, "7.1;;9", None, Quality.NOT_READABLE),
        ({"column": 4}, "7.1;8.25;9", None, Quality.NOT_READABLE),
        ({"key": "flow"}, "flow=12.5 l/s total=9", 12.5, Quality.GOOD),
        ({"key": "low"}, "flow=12.5 low=3", 3.0, Quality.GOOD),  # not the end of another key
        ({"key": "gone"}, "flow=12.5", None, Quality.NOT_READABLE),
        ({"places": (5, 8)}, "ST  12.5kg", 12.5, Quality.GOOD),
        ({"places": (20, 22)}, "ST  12.5kg", None, Quality.NOT_READABLE),
        ({"column": 1, "none": ["----", "9999"]}, "----", None, Quality.NOT_READABLE),
        ({"column": 1, "none": ["9999"]}, "9999", None, Quality.NOT_READABLE),
        ({"column": 1, "scale": 0.1, "offset": -5}, "173", 12.3, Quality.GOOD),
        ({"column": 1, "unit": "mg/l"}, "9.1 %", None, Quality.NOT_READABLE),  # the unit changed
        ({"column": 1, "unit": "C"}, "9.1 °C", 9.1, Quality.GOOD),
        ({"column": 1, "kind": "text"}, "RUN", "RUN", Quality.GOOD),
        ({"key": "O2"}, "O2=8,17 mg/l", None, Quality.NOT_READABLE),
        ({"key": "O2", "comma": True}, "T=-3,5 C; O2=8,17 mg/l", 8.17, Quality.GOOD),
        ({"places": (1, 4)}, "8,17 mg/l", None, Quality.NOT_READABLE),
        ({"column": 2, "comma": True}, "-3,5;8,17;9", 8.17, Quality.GOOD),
        ({"column": 3, "comma": True, "kind": "text"}, "-3,5;8,17;v1.2,3", "v1.2,3", Quality.GOOD),
        ({"column": 1, "comma": True}, "1.234,5", None, Quality.NOT_READABLE),
        ({"column": 1, "comma": True}, "8.17", None, Quality.NOT_READABLE),
        ({"column": 1}, "8,17", 8.0, Quality.GOOD),  # whoever says column says what a comma is
        ({"column": 2}, "3,9.91E+37", None, Quality.NOT_READABLE),  # SCPI 1999: no measurement
        ({"places": (1, 8)}, "14:05:33", None, Quality.NOT_READABLE),
        ({"places": (1, 10)}, "2031-03-09", None, Quality.NOT_READABLE),
        ({"column": 1}, "nan", None, Quality.NOT_READABLE),
        ({"column": 1}, "1e999", None, Quality.NOT_READABLE),
        ({"column": 1}, "", None, Quality.NOT_READABLE),
    ],
)
def test_a_field_finds_its_value_or_says_why_not(
    field: dict[str, object], text: str, value: object, quality: Quality
) -> None:
    made = ValueField.model_validate({"name": "v"} | field)
    found = extract([made], text)["v"]
    assert (found.value, found.quality) == (value, quality)
    assert bool(found.words) == (value is None)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("8,17 mg/l", None), ("O2 8,17", None), ("1,234.5 kWh", None), ("1.234,5 kWh", None), ("1,234,567", None),
        ("8.17,22,98", 8.17), ("3,8.17", 3.0), ("3,22,98", 3.0), ("8.17, 22", 8.17), ("14:05:33 8.17", 8.17),
        ("2031-03-09T14:05 8.17 mg/l", 8.17), ("unit 3", 3.0), ("-3.5", -3.5), ("v1.2.3", None), ("1.2.3", None),
        ("1'234.5", None), ("1 234,5 kWh", None), ("12 004.75 m3", None),
        ("3 215", 3.0), ("3 15.5", 3.0), ("9.91E37", None), ("-9.9E+37", None), ("9.8E37", 9.8e37),
    ],
)  # fmt: skip
def test_of_a_number_that_may_be_a_part_nothing_is_taken(text: str, value: float | None) -> None:
    found = first_number(text)
    assert (found.value, bool(found.words)) == (value, value is None)


def test_a_sentence_is_read_by_its_fields_and_only_with_a_right_check() -> None:
    field = ValueField(name="v", sentence="WIMWV", column=2)
    good = sentence(b"WIMWV,214.8,R,0.1,K,A").decode()
    assert extract([field], good)["v"].quality is Quality.NOT_READABLE  # a letter
    number = ValueField(name="v", sentence="WIMWV", column=1)
    assert extract([number], "noise\r\n" + good)["v"].value == 214.8
    assert extract([number], good.replace("214.8", "215.8"))["v"].value is None
    for charset in ("utf-8", "latin-1"):
        body = sentence("IIXDR,C,21.4,C,Zulauf-Süd".encode(charset))
        field = ValueField(name="v", sentence="IIXDR", column=2)
        assert extract([field], text_of(body))["v"].value == 21.4


SPLIT = [  # none of these was looked at while it was built
    ("PV 71.3 SP 70.0 OUT 45%", {"PV": 71.3, "SP": 70.0, "OUT": 45.0}),
    ("+001.523E+02", {"value 1": 152.3}),
    ("Temp:21.4C,RH:48.2%", {"Temp": 21.4, "RH": 48.2}),
    ("12.1\t-0.4\t1013.2", {"value 1": 12.1, "value 2": -0.4, "value 3": 1013.2}),
    ("S,+00.00 g", {"value 1": "S", "value 2": 0.0}),
    ("NO SENSOR", {"value 1": "NO", "value 2": "SENSOR"}),
    ("FLOW = 3.2 m3/h\r\nTOTAL = 88121 m3\r\n", {"FLOW": 3.2, "TOTAL": 88121.0}),
    (sentence(b"ERRPM,E,1,2418.2,10.5,A").decode(), {"value 1": "E", "value 2": 1.0, "value 3": 2418.2}),
    ("", {}),
]


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("8,17 mg/l", {"value 1": 8.17}),
        ("-3,5;8,17;9", {"value 1": -3.5, "value 2": 8.17, "value 3": 9.0}),
        ("pH 7,2 ORP -31,5", {"pH": 7.2, "ORP": -31.5}),
        ("T: 21,4C, RH: 48,2%", {"T": 21.4, "RH": 48.2}),
    ],
)
def test_where_a_comma_is_said_to_be_a_decimal_one_it_is(text: str, wanted: dict[str, float]) -> None:
    assert doubtful_in(text) and {field.name: one.value for field, one in split(text, comma=True)} == wanted


@pytest.mark.parametrize(("text", "wanted"), SPLIT)
def test_an_answer_without_a_sheet_is_split_into_columns(text: str, wanted: dict[str, object]) -> None:
    found = {field.name: one.value for field, one in split(text)}
    assert {name: found.get(name) for name in wanted} == wanted


@given(st.text(max_size=300) | st.text("0123456789.,;:-= aC\n", max_size=40), st.booleans())
def test_whatever_a_device_says_is_split_without_an_error_and_reads_the_same_again(text: str, comma: bool) -> None:
    for field, one in split(text, comma=comma):
        assert extract([field], text)[field.name] == one
    first_number(text)


# ---- limits


def test_limits_begin_after_their_delay_and_end_with_hysteresis() -> None:
    guard = Guard(Limits(low=6, high=9, hysteresis=0.5, delay_s=2), 0)
    said = [
        (at, c.what, c.on)
        for at, v in enumerate([7, 5.9, 5.8, 5.7, 6.2, 6.4, 6.6, 9.1, 8, 9.2])
        for c in guard.value(v, at)
    ]
    assert said == [(3, "low", True), (6, "low", False)]  # 6.2 and 6.4 are within the hysteresis; 9.1 was too short
    assert guard.quality is Quality.GOOD


def test_stuck_and_silent_begin_by_time_and_end_with_a_value() -> None:
    guard = Guard(Limits(stuck_s=3, silent_s=5), 0)
    assert [c.what for at in range(4) for c in guard.value(7.0, at)] == ["stuck"]
    assert guard.quality is Quality.STUCK
    assert [(c.what, c.on) for c in guard.value(7.1, 4)] == [("stuck", False)]
    assert not guard.tick(8.9)
    assert [(c.what, c.on) for c in guard.tick(9.0)] == [("silent", True)]
    assert not guard.tick(20)  # once
    assert [(c.what, c.on) for c in guard.value(7.2, 21)] == [("silent", False)]


def test_a_value_that_is_old_is_never_shown_as_now() -> None:
    item = read_round(ONE, "f").item[0]
    state = ItemState(item, 1, Guard(item.limits, 0), "C", began_s=0)
    assert state.quality(0.5) is None
    assert state.quality(100) is Quality.NO_ANSWER
    state.took(5.0, Quality.GOOD, "", 101)
    assert (state.quality(102), state.quality(101 + item.stale_s + 0.1)) == (Quality.GOOD, Quality.STALE)
    state.took(None, Quality.REFUSED, "no such register", 103)
    assert state.quality(103) is Quality.REFUSED and state.missing == 1


def test_the_first_of_what_stands_together_is_first_up_until_nothing_stands() -> None:
    alarms, guard = Alarms(), {name: Guard(Limits(low=5), 0) for name in "abc"}
    for at, (name, value) in enumerate([("b", 4), ("a", 3), ("b", 6), ("a", 7), ("c", 1)]):
        for change in guard[name].value(value, at):
            alarms.change(name, change, at, at)
        if at == 1:
            assert [(one.item, one.first_up) for one in alarms.all] == [("b", True), ("a", False)]
            assert alarms.acknowledge("b") == 1 and [one.item for one in alarms.open] == ["a"]
    assert [(one.item, one.first_up) for one in alarms.all] == [("c", True)]


# ---- computed


def test_what_is_computed_has_a_value_only_of_values_that_are_now() -> None:
    less = Derivation("difference", ["a", "b"], 2.0)
    assert less.heard("a", 7.0, 0) is None
    assert less.heard("b", 5.5, 1) == 1.5
    assert less.heard("b", 5.0, 3.5) is None  # a is old
    assert less.heard("a", None, 4) is None and less.heard("b", 5.0, 4.1) is None  # a was lost
    assert Derivation("ratio", ["a", "b"], 9).heard("a", 1.0, 0) is None
    rate = Derivation("rate", ["a"], 9, over_s=10, per_s=60)
    assert [rate.heard("a", v, t) for v, t in [(10, 0), (11, 5), (12, 10), (13, 15)]] == [None, 12.0, 12.0, 12.0]
    rate.heard("a", None, 16)
    assert rate.heard("a", 99, 17) is None  # nothing is computed over a gap
    mean = Derivation("mean", ["a"], 9, over_s=2)
    assert [mean.heard("a", v, t) for t, v in enumerate([1.0, 2.0, 3.0, 10.0])] == [1.0, 1.5, 2.0, 5.0]
    zero = Derivation("ratio", ["a", "b"], 9)
    zero.heard("a", 1.0, 0)
    assert zero.heard("b", 0.0, 0) is None


# ---- conditions


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("raceway 1 < 6", True), ("raceway 1 >= 5.5 and 'pump b' = 2", True),
        ("raceway 1 > 6 or pump b is stuck", True),
        ("not (raceway 1 < 6)", False), ("gone < 3", False), ("not gone < 3", True), ("raceway 1 is low", True),
        ("pump b is good", False),
    ],
)  # fmt: skip
def test_conditions_hold_as_they_are_written(text: str, holds: bool) -> None:
    known = {"raceway 1": Now(5.5, ("low",)), "pump b": Now(2.0, ("stuck",)), "gone": Now(None)}
    assert read_condition(text).holds(known, 0) is holds


def test_for_counts_without_a_break() -> None:
    condition = read_condition("a < 6 for 10s and b > 0")
    now = [(0, 5), (6, 5), (8, 7), (9, 5), (18, 5), (19, 5)]
    assert [condition.holds({"a": Now(a), "b": Now(1.0)}, t) for t, a in now] == [False] * 5 + [True]


@pytest.mark.parametrize(
    ("text", "at"),
    [
        ("a <", 4),
        ("a ~ 3", 3),
        ("a < 3 for 10", 11),
        ("(a < 3", 7),
        ("a is odd", 6),
        ("< 3", 1),
        ("a < 3 b", 7),
        ("", 1),
    ],
)
def test_a_condition_that_cannot_be_read_shows_where(text: str, at: int) -> None:
    with pytest.raises(ConditionError) as error:
        read_condition(text)
    lines = str(error.value).splitlines()
    assert f"at {at}:" in lines[0] and lines[2].index("^") == 2 + at - 1


# ---- turns on a line


def run(
    schedule: Schedule, until_s: float, takes: dict[object, float], silent: dict[object, tuple[float, float]]
) -> Counter[object]:
    now, asked = 0.0, Counter[object]()
    while now < until_s:
        turn, wait = schedule.next(now)
        if turn is None:
            now += wait
            continue
        schedule.began(turn, now)
        asked[turn.key] += 1
        begin, end = silent.get(turn.key, (1e9, 1e9))
        answers = not begin <= now < end
        now += takes[turn.key] if answers else turn.timeout_s
        schedule.done(turn, now, answered=answers)
    return asked


def test_the_earliest_deadline_goes_first_and_nobody_starves_on_a_full_line() -> None:
    schedule = Schedule([("fast", 0.1, 0.5, 1), ("slow", 2.0, 0.5, 2), ("wide", 1.0, 0.5, 3)], 0)
    asked = run(schedule, 60, {"fast": 0.09, "slow": 0.09, "wide": 0.09}, {})
    assert asked["slow"] >= 29 and asked["wide"] >= 57 and asked["fast"] >= 500
    roomy = Schedule([(n, 1.0, 0.5, n) for n in range(10)], 0)
    run(roomy, 60, dict.fromkeys(range(10), 0.05), {})
    assert max(late for turn in roomy.turns for late in turn.late_s) < 0.06


def test_one_who_is_silent_slows_nobody_down_and_is_back_at_full_pace_at_once() -> None:
    polls = [("a", 0.5, 0.4, 1), ("b", 0.5, 0.4, 2), ("b2", 0.5, 0.4, 2)]
    schedule = Schedule(polls, 0)
    asked = run(schedule, 120, {"a": 0.05, "b": 0.05, "b2": 0.05}, {"b": (10, 100), "b2": (10, 100)})
    assert asked["a"] >= 235  # of 240
    assert asked["b"] < 120
    after = [turn for turn in schedule.turns if turn.key in ("b", "b2")]
    assert all(turn.rarely == 1 and not turn.is_silent for turn in after)


def test_what_was_missed_is_not_made_up_for_and_pace_and_pause_are_obeyed() -> None:
    schedule = Schedule([("a", 1.0, 0.5, 1)], 0)
    schedule.paused = True
    assert schedule.next(50)[0] is None
    schedule.once(50)
    assert schedule.next(50)[0] is not None and schedule.next(50)[0] is None
    schedule.paused = False
    schedule.begin_again(100)
    schedule.at_pace(2.0, 100)
    assert run_from(schedule, 100, 110) in (20, 21)


def test_a_unit_that_rests_is_not_asked_and_the_others_have_its_time_and_it_goes_on_at_once() -> None:
    schedule = Schedule([("a", 1.0, 0.5, 1), ("b", 1.0, 0.5, 2), ("b2", 1.0, 0.5, 2)], 0)
    schedule.rest(2, 0, resting=True)
    assert set(run(schedule, 20, {"a": 0.1}, {})) == {"a"}
    schedule.rest(2, 20, resting=False)
    assert run_from(schedule, 20, 30) in range(29, 33), "nothing that was missed is made up for"


def run_from(schedule: Schedule, now: float, until: float) -> int:
    count = 0
    while now < until:
        turn, wait = schedule.next(now)
        if turn is None:
            now += wait
            continue
        schedule.began(turn, now)
        schedule.done(turn, now, answered=True)
        count += 1
    return count


# ---- rounds


ONE = """
name = "r"
[[link]]
name = "L"
endpoint = "/dev/ttyS9"
line = "9600 8N1"
[[item]]
name = "x"
link = "L"
ask = 'MEAS?\\r'
"""


def test_a_round_is_the_same_after_it_was_written_and_read() -> None:
    text = (
        ONE
        + "low = 3\nhysteresis = 0.5\n"
        + """
[[item]]
name = "y"
link = "L"
modbus = { at = "40003", type = "float32", order = "CDAB" }
unit_id = 4
[[item]]
name = "z"
derive = "difference"
of = ["x", "y"]
"""
    )
    one = read_round(text, "f")
    assert read_round(as_toml(one), "g") == one


@pytest.mark.parametrize(
    ("added", "says"),
    [
        ("every_s = 0.001", "0.02"),
        ("every_s = nan", "every_s"),
        ("low = inf", "low"),
        ("low = 5\nhigh = 3", "low must be less"),
        ("hear = 'x'", "give one of"),
        ("wrong = 3", "wrong"),
        ("[[item]]\nname = 'x'\nlink = 'L'\nask = '?'", "two items are called 'x'"),
        ("[[item]]\nname = 'y'\nlink = 'M'\nask = '?'", "there is no link 'M'"),
        ("[[item]]\nname = 'y'\nlink = 'L'\nhear = 'a (b)'", "(?P<value>"),
        ("[[item]]\nname = 'y'\nderive = 'sum'\nof = ['q']", "there is no item 'q'"),
        (
            "[[item]]\nname = 'y'\nderive = 'sum'\nof = ['z']\n[[item]]\nname = 'z'\nderive = 'sum'\nof = ['y']",
            "computed",
        ),
        ("[[item]]\nname = 'y'\nderive = 'magic'\nof = ['x']", "magic"),
        ("like = '('", "pattern"),
        ("ask = 3", "line"),
    ],
)
def test_a_round_that_cannot_be_says_where_and_what(added: str, says: str) -> None:
    with pytest.raises(RoundError, match=r"f\.toml") as error:
        read_round(ONE + added + "\n", "f.toml")
    assert says in str(error.value)


def test_a_condition_of_a_round_is_held_against_its_items() -> None:
    with pytest.raises(RoundError, match="no item 'q'"):
        read_round('until = "q < 3"\n' + ONE, "f")
    with pytest.raises(RoundError, match="at 4"):
        read_round('until = "x <"\n' + ONE, "f")


def test_every_sheet_offers_what_a_round_can_read() -> None:
    known = sheets.all_sheets()[0]
    offered = {name: offers(sheet, "L") for name, sheet in known.items()}
    for name, items in offered.items():
        if items:
            unique = list({item.name: item for item in items}.values())
            link = [{"name": "L", "endpoint": "/dev/ttyS9", "line": "9600 8N1", "sheet": name}]
            round_ = Round.model_validate({"name": "r", "link": link, "item": [item.model_dump() for item in unique]})
            resolved(round_, known)
    assert {"oxygen-transmitter", "temperature-string", "lift-station-plc", "level-logger"} <= {
        name for name, items in offered.items() if items
    }
    with pytest.raises(RoundError, match="offers no 'salt'; it offers oxygen"):
        link = [{"name": "L", "endpoint": "/dev/ttyS9", "sheet": "oxygen-transmitter"}]
        resolved(
            Round.model_validate({"name": "r", "link": link, "item": [{"name": "s", "link": "L", "read": "salt"}]}),
            known,
        )


# ---- the plan of a line


def registers(*places: tuple[str, float]) -> Round:
    items = [{"name": at, "link": "L", "modbus": {"at": at}, "every_s": every, "unit_id": 3} for at, every in places]
    return Round.model_validate({"name": "r", "link": [{"name": "L", "endpoint": "/dev/ttyS9"}], "item": items})


def test_neighbouring_registers_are_read_together_within_the_limits_of_the_protocol() -> None:
    near = polls_of(registers(("40001", 1), ("40003", 1), ("40200", 1), ("30001", 1), ("40002", 5)), "L", "modbus-rtu",
                    lambda item: (b"", 0), 3)  # fmt: skip
    assert sorted((p.block.place.table, p.block.place.address, p.block.count, p.every_s) for p in near if p.block) == [
        ("holding", 0, 3, 1), ("holding", 1, 1, 5), ("holding", 199, 1, 1), ("input", 0, 1, 1),
    ]  # fmt: skip


def test_the_share_of_line_time_is_counted_from_bits_turn_round_and_silence() -> None:
    line = read_line("9600 8E1").settings
    (poll,) = polls_of(registers(("40001", 0.1)), "L", "modbus-rtu", lambda item: (b"", 0), 3)
    plan = plan_link("L", line, [poll], 0.02)
    bits = (8 + 7) * 11  # request of 8 bytes, answer of 7, 11 bits each
    silence = 3.5 * 11 / 9600
    assert plan.share == pytest.approx((bits / 9600 + 0.02 + silence) / 0.1, rel=0.01)
    assert plan.fits and plan.known
    many = polls_of(
        registers(*((f"4{n:04}", 0.1) for n in range(1, 400, 12))), "L", "modbus-rtu", lambda item: (b"", 0), 3
    )
    full = plan_link("L", line, many, None)
    assert not full.fits and not full.known and "assumed" in full.words
    assert [one.gain > 0 for one in full.advice] == [True] * len(full.advice)
    assert {one.words.split()[0] for one in full.advice} == {"read", "ask", "use"}


# ---- figures


def test_a_change_is_more_than_noise_only_if_it_is() -> None:
    dice, right = random.Random(7), 0
    for _ in range(200):
        level = [0.0]
        for _ in range(400):
            level.append(0.9 * level[-1] + dice.gauss(0, 1))  # values that follow each other
        found = compared(level[1:201], level[201:])
        assert found is not None
        right += not found.is_more_than_noise
    assert right >= 170  # of 200; as if independent it would be about 70
    step = compared([dice.gauss(5, 0.1) for _ in range(100)], [dice.gauss(5.2, 0.1) for _ in range(100)])
    assert step is not None and step.is_more_than_noise and step.change == pytest.approx(0.2, abs=0.05)
    assert compared([1.0], [2.0]) is None and figures([None, None]).missing == 2


# ---- files


def columns() -> list[Column]:
    def sample(us: int, value: float | str | None, quality: Quality = Quality.GOOD) -> Sample:
        return Sample(1, us, value, quality)

    one = Column(
        "=cmd|' /C calc'!A0", 'L, "a"', "mg/l", [sample(1_000_000, 9.5), sample(3_000_000, None, Quality.NO_ANSWER)]
    )
    return [one, Column("state", "M", "", [sample(1_000_000, "+RUN"), sample(2_000_000, -3.0)])]


def test_values_as_csv_are_harmless_and_read_back() -> None:
    rows = list(csv.reader(io.StringIO("".join(long_csv(columns())))))
    assert rows[1] == ["1970-01-01T00:00:01.000Z", 'L, "a"', "'=cmd|' /C calc'!A0", "9.5", "mg/l", "good"]
    assert [row[3] for row in rows[1:]] == ["9.5", "'+RUN", "-3.0", ""]
    wide = list(csv.reader(io.StringIO("".join(wide_csv(columns())))))
    assert [row[1:] for row in wide[1:]] == [["9.5", "'+RUN"], ["", "-3.0"], ["", ""]]
    assert [json.loads(line)["quality"] for line in json_lines(columns())] == ["good", "good", "good", "no answer"]


def test_a_question_whose_length_only_its_protocol_knows_is_planned_by_what_it_took() -> None:
    poll = Poll("m: readout", "m", ("energy",), 10.0, 5.0, 6, 12, ask=b"energy")
    before = plan_link("m", LineSettings(300, 7, Parity.EVEN), [poll], None)
    after = plan_link("m", LineSettings(300, 7, Parity.EVEN), [poll], 0.2, {"m: readout": 1.74, "other": 9.0})
    assert before.pass_s < 1.2 and after.pass_s == 1.74 and after.share == pytest.approx(0.174)
