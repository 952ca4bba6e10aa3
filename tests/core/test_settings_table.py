"""What the book holds of a device's settings, taken up again after a restart."""

from __future__ import annotations

from ordolex.core.device.setting import Outcome, Reading, Written
from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.record.visits import visit_starts
from ordolex.io.own.sheets import all_sheets

SHEET = all_sheets()[0]["variable-speed-drive"]
OF = {"sheet": SHEET.name, "unit": 4}


def test_as_found_and_as_left_are_known_again_and_only_of_this_unit() -> None:
    table = SettingsTable(SHEET, 4)
    table.remember([
        ("found", {"values": {"set-point": 35.0}, **OF}, 0),
        ("found", {"values": {"set-point": 99.0}, "sheet": SHEET.name, "unit": 3}, 0),
        ("set", {"name": "set-point", "before": 35.0, "wanted": 42.5, "after": 42.5, "verdict": "held", **OF}, 0),
        ("set", {"name": "set-point", "before": 1.0, "after": 2.0, "verdict": "held", "sheet": "other", "unit": 4}, 0),
        ("found", {"values": {"set-point": 42.5}, **OF}, 0),
    ])  # fmt: skip
    row = table.row("set-point")
    assert (row.found, row.left) == (35.0, 42.5)
    table.read([Reading("set-point", Outcome.READ, 42.5)], 1.0)
    assert table.undo() == 1 and row.wanted == 35.0, "undo restores what was found before the restart"


def test_as_found_begins_anew_when_it_is_told_to() -> None:
    table = SettingsTable(SHEET, 4)
    table.written(Written("set-point", 35.0, 40.0, 40.0, "held"), 1.0)
    table.begin_anew()
    table.read([Reading("set-point", Outcome.READ, 40.0)], 2.0)
    assert table.row("set-point").found == 40.0 and table.row("set-point").left is None
    again = SettingsTable(SHEET, 4)
    again.remember([
        ("found", {"values": {"set-point": 35.0}, **OF}, 0),
        ("found", {"values": {"set-point": 40.0}, "anew": True, **OF}, 0),
    ])  # fmt: skip
    assert again.row("set-point").found == 40.0


HOUR = 3600 * 1_000_000
TWO = [0, 50 * HOUR, 100 * HOUR]
"""Three visits."""


def found(value: object, at: int, **more: object) -> tuple[str, dict[str, object], int]:
    return "found", {"values": {"set-point": value}, **OF, **more}, at * HOUR


def set_to(value: object, before: object, at: int) -> tuple[str, dict[str, object], int]:
    detail = {"name": "set-point", "before": before, "wanted": value, "after": value, "verdict": "held", **OF}
    return "set", detail, at * HOUR


def test_each_visit_keeps_its_own_as_found_and_undo_goes_back_to_any_of_them() -> None:
    table = SettingsTable(SHEET, 4)
    table.remember([found(30.0, 1), set_to(35.0, 30.0, 2), found(36.0, 51), set_to(40.0, 36.0, 52)], TWO)
    row = table.row("set-point")
    assert (row.found, row.left) == (None, None), "nothing was read in this visit yet"
    assert [(then.utc_us, then.found, then.end) for then in row.earlier] == [(0, 30.0, 35.0), (50 * HOUR, 36.0, 40.0)]
    table.read([Reading("set-point", Outcome.READ, 41.5)], 1.0)
    assert row.found == 41.5 and table.found_otherwise == [row]
    assert table.undo() == 0, "as found in this visit is as it is now"
    for to, value in (
        ((0, "found"), 30.0),
        ((0, "left"), 35.0),
        ((50 * HOUR, "found"), 36.0),
        ((50 * HOUR, "left"), 40.0),
    ):
        assert table.undo(to) == 1 and row.wanted == value


def test_what_is_as_it_was_left_is_no_difference_and_what_is_only_measured_neither() -> None:
    table = SettingsTable(SHEET, 4)
    measured = next(p.name for p in SHEET.parameter if not p.can_be_written and p.kind not in ("text",))
    table.remember([found(30.0, 1), ("found", {"values": {measured: 7}, **OF}, 2 * HOUR)], TWO)
    table.read([Reading("set-point", Outcome.READ, 30.0), Reading(measured, Outcome.READ, 9)], 1.0)
    assert table.found_otherwise == []
    table.differences_first()
    assert [row.parameter.name for row in table.rows] == [parameter.name for parameter in SHEET.parameter]


def test_openings_that_follow_each_other_soon_are_one_visit() -> None:
    openings = [(0, 9 * HOUR), (10 * HOUR, 0), (11 * HOUR, 12 * HOUR), (17 * HOUR, 18 * HOUR), (99 * HOUR, 99 * HOUR)]
    assert visit_starts(openings) == [0, 17 * HOUR, 99 * HOUR]
    assert visit_starts([]) == []
