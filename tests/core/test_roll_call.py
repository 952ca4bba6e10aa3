"""Who answers on a line, against who should; units as they are written; sheets by what a device says that it is."""

from __future__ import annotations

import pytest

from ordolex.core.bus.roll_call import Called, Standing, remembered, roll_call, summary
from ordolex.core.bus.units import UnitsError, as_ranges, has_place, read_callees, with_unit
from ordolex.core.sheet.ranking import fits, ranked
from ordolex.io.own.sheets import all_sheets


def here(unit: str, identity: str = "", said: str = "ok", doubled: str = "") -> Called:
    return Called(unit, said, 12.0, right=True, identity=identity, doubled=doubled)


def test_missing_new_moved_another_device_and_two_at_once() -> None:
    expected = {"3": "drive A", "4": "drive B", "7": "", "9": "plc"}
    called = [here("3", "drive A"), Called("4"), here("5", "drive B"), here("6", "stranger"),
              here("7", doubled="more bytes"), here("9", "other"), Called("8", "wrong check")]  # fmt: skip
    rows = {row.called.unit: (row.standing, row.words) for row in roll_call(expected, called)}
    assert rows == {
        "3": (Standing.ANSWERS, ""), "4": (Standing.MISSING, "it answers as unit 5 now"),
        "5": (Standing.MOVED, "it was unit 4"), "6": (Standing.NEW, ""), "7": (Standing.DOUBLED, "more bytes"),
        "9": (Standing.OTHER, "it was plc"), "8": (Standing.UNCLEAR, "wrong check"),
    }  # fmt: skip
    words = summary(roll_call(expected, called), 7, 4)
    assert words.startswith("4 of 7 answered rightly") and "1 missing" in words and "all 4" not in words


def test_where_nobody_is_expected_whoever_answers_is_right_and_silence_has_no_row() -> None:
    rows = roll_call({}, [here("A"), Called("B"), here("C")])
    assert [(row.called.unit, row.standing) for row in rows] == [("A", Standing.ANSWERS), ("C", Standing.ANSWERS)]
    assert remembered(rows) == {"A": "", "C": ""}
    assert summary(roll_call({"A": ""}, [here("A")]), 3, 1) == "1 of 3 answered rightly, all 1 that should be there"
    (row,) = roll_call({"Z": ""}, [])
    assert row.standing is Standing.MISSING and row.words == "it was not called"


def test_units_as_they_are_written() -> None:
    assert read_callees("1-3, A-C 17 pump") == ["1", "2", "3", "A", "B", "C", "17", "pump"]
    assert read_callees("08-11") == ["08", "09", "10", "11"]
    for text in ("3-1", "C-A", "1-9999", "", "A-Z é", "name-too-long"):
        with pytest.raises(UnitsError):
            read_callees(text)
    for units in (["1", "2", "3", "7"], ["A", "B", "C", "D"], ["08", "09", "10"], ["9", "10", "11"], ["A", "1"], ["z"]):
        assert read_callees(as_ranges(units)) == units


def test_a_question_with_a_unit_in_it() -> None:
    assert with_unit(b"#{unit:02}?\r", "7") == b"#07?\r" and with_unit(b"{unit:02X}", "31") == b"1F"
    assert with_unit(b"{unit}M\r", "B") == b"BM\r" and with_unit(b"{unit}{unit}", "1") == b"11"
    assert has_place(b"x{unit:03}") and not has_place(b"{units}")
    with pytest.raises(UnitsError, match="wants a number"):
        with_unit(b"{unit:02}", "B")


def test_sheets_are_ranked_by_what_a_device_says() -> None:
    sheets = all_sheets()[0].values()
    best = ranked(sheets, "Brookmade, VD-3 pump, 2.03", "modbus-rtu")
    assert best[0].sheet.name == "variable-speed-drive" and "names the model VD-3" in best[0].words
    assert fits(best[0].sheet, "Brookmade, vd-3 blower") and not fits(best[0].sheet, "LS-2")
    plc = [one.sheet.name for one in ranked(sheets, "Brookmade, LS-2 lift station, 1.7", "modbus-ascii")]
    assert plc[0] == "lift-station-plc"  # of two sheets for the model, the one for what is spoken here
    assert ranked(sheets, "zzz", "modbus-rtu") == []
