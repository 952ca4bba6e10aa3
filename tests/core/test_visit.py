"""Facts with source and proof, and the report as data: every sentence is built from what the record holds."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.tables.table import Table
from ordolex.core.visit.chart import chart_shape
from ordolex.core.visit.facts import contradictions, facts_of, search
from ordolex.core.visit.folder import texts
from ordolex.core.visit.making import MOST_ROWS, Material, report_of
from ordolex.core.visit.moved import ticked_words
from ordolex.core.visit.report import ChartPart, Report, Urgency
from ordolex.io.own.sheets import all_sheets

SHEETS = all_sheets()[0]
LINK = LinkRecord(1, "pump house bus", "/dev/made-up", "19200 8E1", "sticker", sheet="variable-speed-drive", unit=3)
_OF = {"sheet": "variable-speed-drive", "unit": 3}


def event(kind: str, text: str = "", link: int = 1, at_s: int = 0, **detail: Any) -> Event:
    return Event(link, at_s * 1_000_000, 0, kind, text, detail)


def rung(to: str, at_s: int = 0, **detail: Any) -> Event:
    return event("rung", f"… → {to}", at_s=at_s, to=to, **detail)


def made(*events: Event, link: LinkRecord = LINK, **more: Any) -> Report:
    found = Material("Alder Brook Hatchery", "ordolex 0", [link], list(events), sheets=SHEETS, **more)
    return report_of(found, lambda us: f"t{us // 1_000_000}", zone="UTC", made_us=99_000_000)


FOUND = event("found", values={"set-point": 35.0, "ramp": 12}, anew=True, **_OF)


def test_a_fact_has_its_source_and_what_contradicts_it_is_shown_beside_it() -> None:
    events = [
        event("opened", "/dev/made-up opened at 19200 8E1"), rung("Proven", 2),
        event("fact", subject="firmware", value="2.03", source="plate", at_s=3),
        event("fact", subject="firmware", value="2.01", source="manual", at_s=4),
        event("fact", subject="needed from others", value="a key", source="", at_s=5),
        event("fact", subject="needed from others", value="a ladder", source="", at_s=6),
        event("scan", found={"7": "PLC"}, at_s=7),
    ]  # fmt: skip
    facts = facts_of(LINK, events, SHEETS[LINK.sheet])
    line = next(fact for fact in facts if fact.subject == "line settings")
    assert (line.value, line.source) == ("19200 8E1", "sticker") and "answered rightly" in line.proof
    assert contradictions(facts) == ["firmware: 2.03 (plate) ≠ 2.01 (manual)"]
    assert [fact.value for _, fact in search([("bus", f) for f in facts], "unit 7 scan")] == ["PLC"]
    wrong = facts_of(replace(LINK, line="9600 8N1"), events)
    assert not next(fact for fact in wrong if fact.subject == "line settings").proof, "proven at other settings"


def test_two_units_of_a_bus_and_a_changed_setting_do_not_contradict_each_other() -> None:
    """Each unit has its number; what was read before a change is older, not otherwise."""
    link = replace(LINK, sheet="panel-meter")
    read = [event("found", values={"unit": unit}, sheet="panel-meter", unit=unit, at_s=unit) for unit in (11, 12)]
    facts = facts_of(link, read, SHEETS["panel-meter"])
    assert {f.subject: f.value.strip() for f in facts if f.source == "read from the device"} == {
        "unit 11: unit ID on the bus": "11", "unit 12: unit ID on the bus": "12",
    }  # fmt: skip
    assert contradictions(facts) == []
    matched = [event("match", line=line, at_s=at) for line, at in (("9600 8N1", 1), ("19200 8E1", 2))]
    assert contradictions(facts_of(LINK, matched)) == [], "the last match and the link agree"
    other = contradictions(facts_of(LINK, matched[:1]))
    assert len(other) == 1 and "9600 8N1 (Match)" in other[0] and "19200 8E1 (sticker)" in other[0]


def test_the_same_said_again_stands_once_with_its_last_time() -> None:
    twice = [event("fact", subject="place", value="lid", source="seen", at_s=n) for n in (1, 9)]
    facts = [fact for fact in facts_of(LINK, twice) if fact.source == "seen"]
    assert [fact.at_us for fact in facts] == [9_000_000]


def test_what_is_not_stored_or_did_not_hold_is_to_settle_now() -> None:
    held = event("set", "set set-point", name="set-point", before=35.0, wanted=42.0, after=42.0, verdict="held", **_OF)
    refused = event("set", "set ramp: 12 s → 500 s, refused", name="ramp", before=12, wanted=500, after=12,
                    verdict="refused", **_OF)  # fmt: skip
    report = made(FOUND, held, refused, rung("Proven"))
    soon = [point.words for point in report.open_points if point.urgency is Urgency.SOON]
    assert soon == ["not stored: set-point (unit 3)", "set ramp: 12 s → 500 s, refused"]
    rows = {row.name: row for row in report.links[0].settings[0].rows}
    assert (rows["set-point"].found, rows["set-point"].left) == ("35 Hz", "42 Hz") and rows["set-point"].changed
    assert not rows["ramp"].changed
    assert "1 setting changed on 1 device, each read back." in report.summary
    stored = event("set", "store in the drive: taken", stored=True, **_OF)
    report = made(FOUND, held, stored, rung("Proven"))
    assert not report.open_points and report.summary[-1] == "No open point is known."


@pytest.mark.parametrize(
    ("events", "words"),
    [
        ([rung("Clear")], "not proven"),
        (
            [rung("Proven"), event("procedure", "network: stopped", procedure="network", what="typed", trouble="t")],
            "stopped",
        ),
        ([rung("Proven"), event("procedure", "n", procedure="network", what="typed", trouble="")], "not made to last"),
        ([rung("Proven"), event("note", "key switch is still at LOCAL")], "key switch"),
    ],
)
def test_open_points(events: list[Event], words: str) -> None:
    report = made(*events, link=replace(LINK, sheet="feeder-controller", unit=-1))
    points = [point.words for point in report.open_points if not point.words.startswith("as it ships")]
    assert [words in point for point in points] == [True]


def test_a_procedure_that_was_made_to_last_is_no_open_point() -> None:
    steps = [event("procedure", what, procedure="network", what=what, trouble="") for what in
             ("as found", "typed", "to make it last")]  # fmt: skip
    points = made(rung("Proven"), *steps, link=replace(LINK, sheet="feeder-controller")).open_points
    assert [point.words for point in points if not point.words.startswith("as it ships")] == []


def test_what_a_device_ships_with_and_what_the_network_may_reach_are_said() -> None:
    """A password that the manual prints, an address that all of a kind share, a port that is lent without a log-in."""
    feeder = made(rung("Proven"), link=replace(LINK, sheet="feeder-controller")).open_points
    assert [point.words for point in feeder] == [
        "as it ships: the operator's password of the manual; whether that was changed, look"
    ]
    drive = SHEETS["variable-speed-drive"]
    alike = drive.model_copy(update={"bus": drive.bus.model_copy(update={"common": True})})
    material = Material("site", "", [LINK], [rung("Proven")], sheets={"variable-speed-drive": alike})
    points = report_of(material, str, zone="UTC").open_points
    assert any("a second one on the line would answer too" in point.words for point in points)
    lent = RelayPlan("lent", "listen+tcp://0.0.0.0:4001", "/dev/ttyUSB0")
    near = RelayPlan("near", "listen+tcp://127.0.0.1:4001", "/dev/ttyUSB0")
    report = report_of(Material("site", "", [], [], relays=[lent, near]), str, zone="UTC")
    assert ["no login" in point.words for point in report.open_points] == [True]


def test_proof_is_the_last_right_answer_else_what_raised_the_rung() -> None:
    right = event("answer", "asked", at_s=5, question_hex=b"*IDN?\n".hex(), answer_hex=b"a,b,c,d\n".hex(),
                  verdict="right", last_ms=31.4)  # fmt: skip
    proof = made(right, rung("Proven")).links[0].proof
    assert proof is not None and (proof.when, proof.ms, proof.right) == ("t5", "31 ms", 1) and "*IDN?" in proof.asked
    listed = made(rung("Proven", 7, asked="list events", said="39 rows", ms=2005.0)).links[0].proof
    assert listed is not None and (listed.asked, listed.answered) == ("list events", "39 rows")
    framed = event("answer", "x", question_hex="0b030019000155 67".replace(" ", ""), answer_hex="0b030200002045",
                   verdict="right", last_ms=30.0)  # fmt: skip
    modbus = made(framed, rung("Proven")).links[0].proof
    assert (
        modbus is not None
        and modbus.asked.startswith("unit 11: read 1 from holding 25")
        and modbus.answered == "unit 11: 0"
    )
    assert made(rung("Clear")).links[0].proof is None


def test_tables_with_gaps_are_open_and_long_ones_are_cut() -> None:
    long = Table("events", ("number", "what"), tuple((str(n), "x") for n in range(1, MOST_ROWS + 9) if n != 17))
    report = made(rung("Proven"), tables=[(event("table"), long), (event("table"), replace(long, rows=long.rows[:2]))])
    assert [part.more for part in report.tables] == [7, 0]
    assert [p.words for p in report.open_points] == ["table events: 1 missing in the numbering: 17"], (
        "the last pull counts"
    )


def test_a_link_without_a_trace_is_left_out_and_an_empty_book_says_so() -> None:
    report = made()
    assert not report.links and report.period == "nothing was recorded" and "0 links worked on" in report.summary[0]
    assert texts(report)["settings.txt"] == "no links\n" and report.outline()[0] == (0, "Summary")


def test_a_charts_lines_stay_in_the_box_and_a_gap_begins_a_new_one() -> None:
    points = [(0, 1.0, 1.0), (10, 2.0, 3.0), (20, None, None), (30, 2.0, 2.0)]
    shape = chart_shape(ChartPart("t", "V", "", points, low=0.5, high=900.0), 100, 50)
    assert [len(line) for line in shape.lines] == [3, 1]
    assert all(0 <= x <= 100 and 0 <= y <= 50 for line in shape.lines for x, y in line)
    assert [label for _, label in shape.limits] == ["limit 0.5"], "a limit far away would flatten the line"
    assert chart_shape(ChartPart("t", "V", "", [(0, None, None)]), 100, 50).lines == []
    flat = chart_shape(ChartPart("t", "V", "", [(0, 6.0, 6.0), (5, 6.0, 6.0)]), 100, 50)
    assert len(flat.ticks) >= 2 and {round(y) for line in flat.lines for _, y in line} == {25}


def test_how_far_a_link_came_says_no_more_than_the_record_tells() -> None:
    opened = event("opened", "opened at 9600 8N1", at_s=1, line="9600 8N1")
    said = {"asked": "read 1", "said": "35", "ms": 4.0}
    at_first = event("answer", verdict="none", at_s=2)
    chain = {row.layer: row for row in made(opened, at_first).links[0].reached}
    assert [(row.layer, row.state) for row in chain.values()] == [
        ("serial port", "reached"), ("line", "not told"), ("device", "not reached"),
    ]  # fmt: skip
    assert chain["device"].words == "asked 1 time, never answered rightly"
    garbled = made(opened, event("answer", verdict="unjudged"), heard={1: (1, 4)}).links[0].reached
    assert [(row.state, row.words) for row in garbled[1:]] == [
        ("not reached", "1 byte heard, never clear"),
        ("not told", "asked 1 time, but no question of which a right answer is known"),
    ]
    proven = made(opened, rung("Proven", 3, **said), rung("Present", 9), heard={1: (9, 4)}).links[0].reached
    assert [row.state for row in proven] == ["reached"] * 3
    assert proven[1].words == "9 bytes heard, clear first at t3" and proven[2].words == "read 1 → 35, t3"


def test_how_far_a_link_came_over_a_network_and_by_a_modem() -> None:
    server = replace(LINK, endpoint="rfc2217://box:4001", sheet="")
    refused = made(event("refused", "box:4001 refuses"), link=server).links[0].reached
    assert [(row.layer, row.state) for row in refused[:2]] == [
        ("device server", "not reached"), ("line settings", "not told"),
    ]  # fmt: skip
    assert refused[0].words == "never opened: box:4001 refuses"
    agreed = made(event("opened", "", line="9600 8N1"), link=server).links[0].reached
    assert agreed[1].words == "the server agreed to 9600 8N1 (RFC 2217)"
    never = made(event("note", "seen"), link=replace(LINK, endpoint="tcp://box:1", sheet="")).links[0].reached
    assert [row.state for row in never] == ["not told"] * 3
    modem = next(name for name, sheet in SHEETS.items() if sheet.family.dials)
    rows = {
        row.layer: row.state for row in made(event("note", "seen"), link=replace(LINK, sheet=modem)).links[0].reached
    }
    assert rows["modem and call"] == "not told", "who answered behind a call is not in this chain"


def test_a_link_whose_port_cannot_be_read_is_reported_all_the_same() -> None:
    odd = made(event("note", "seen"), link=replace(LINK, endpoint="bogus://a", sheet="oxygen-transmitter")).links[0]
    assert odd.cable is not None and not odd.hidden and odd.reached[0].layer == "port"


def test_limits_that_were_passed_are_told_and_what_still_stands_is_an_open_point() -> None:
    def passed(item: str, text: str, on: bool, at_s: int) -> Event:
        return event("watch", text, at_s=at_s, item=item, what="low", on=on, value=6.1, unit="mg/l", since_us=0)

    many = [passed("raceway 3", f"raceway 3 {n}", n % 2 == 0, 100 + n) for n in range(100)]
    report = made(
        passed("raceway 1", "raceway 1 is low: 6.1 mg/l", True, 1), passed("raceway 1", "no longer low", False, 2),
        passed("raceway 2", "raceway 2 is low: 5.9 mg/l", True, 3), event("watch", "a remark on the round", at_s=4),
        *many,
    )  # fmt: skip
    told = [one.words for one in report.links[0].watched]
    assert told[0] == "63 earlier ones from here on, in the record" and told[-1] == "raceway 3 99" and len(told) == 41
    standing = [point.words for point in report.open_points if "end of the watch" in point.words]
    assert standing == ["at the end of the watch: raceway 2 is low: 5.9 mg/l"]


def test_what_was_moved_is_to_put_back_until_somebody_notes_that_it_is() -> None:
    link = replace(LINK, sheet="temperature-string")
    (jumper,) = SHEETS[link.sheet].ready.jumper  # type: ignore[union-attr]
    back = f"{jumper.what}: {jumper.restore}"
    ticked = event("note", ticked_words(link.sheet, [f"{jumper.what}: {jumper.for_work}", "Power: on"]), at_s=1)
    plain = texts(made(rung("Held"), link=link))["restore.txt"]
    assert "no note says that something was put back" in plain and f"{back}; no note says that it was moved" in plain
    owing = made(ticked, link=link)
    assert f"  {back}\n" in texts(owing)["restore.txt"]
    assert (Urgency.SOON, f"to put back: {back}") in [(p.urgency, p.words) for p in owing.open_points]
    still = made(ticked, event("note", f"at the end, NOT put back: {back}", at_s=2), link=link)
    assert f"to put back: {back}" in [p.words for p in still.open_points]
    done = made(
        ticked,
        event("note", f"at the end, put back: {'; '.join(made(ticked, link=link).to_restore)}", at_s=2),
        link=link,
    )
    assert not [p for p in done.open_points if p.words.startswith("to put back")] and not done.to_restore
    bare = texts(made(rung("Held"), link=replace(link, sheet="")))["restore.txt"]
    assert "nor that something was moved; no sheet names something to put back" in bare
