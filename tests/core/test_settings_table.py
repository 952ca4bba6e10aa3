"""What the book holds of a device's settings, taken up again after a restart."""

from __future__ import annotations

from ordolex.core.device.setting import Outcome, Reading, Written
from ordolex.core.device.settings_table import SettingsTable
from ordolex.io.own.sheets import all_sheets

SHEET = all_sheets()[0]["variable-speed-drive"]
OF = {"sheet": SHEET.name, "unit": 4}


def test_as_found_and_as_left_are_known_again_and_only_of_this_unit() -> None:
    table = SettingsTable(SHEET, 4)
    table.remember([
        ("found", {"values": {"set-point": 35.0}, **OF}),
        ("found", {"values": {"set-point": 99.0}, "sheet": SHEET.name, "unit": 3}),
        ("set", {"name": "set-point", "before": 35.0, "wanted": 42.5, "after": 42.5, "verdict": "held", **OF}),
        ("set", {"name": "set-point", "before": 1.0, "after": 2.0, "verdict": "held", "sheet": "other", "unit": 4}),
        ("found", {"values": {"set-point": 42.5}, **OF}),
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
        ("found", {"values": {"set-point": 35.0}, **OF}),
        ("found", {"values": {"set-point": 40.0}, "anew": True, **OF}),
    ])  # fmt: skip
    assert again.row("set-point").found == 40.0
