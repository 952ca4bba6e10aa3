"""Menus and lists are picked by name; the device's own number is sent."""

import pytest

from ordolex.core.text.numbered import numbered


@pytest.mark.parametrize(
    ("text", "items"),
    [
        (" 1 Portion\n 2 Times\n 9 Leave", [("1", "Portion"), ("2", "Times"), ("9", "Leave")]),
        ("0 pump\n1 raceway 1\n2 raceway 2\nfeeder number: ", [("0", "pump"), ("1", "raceway 1"), ("2", "raceway 2")]),
        ("1) Network\n2) Clock\n\n3) Save", [("1", "Network"), ("2", "Clock"), ("3", "Save")]),
        ("[01] a\n[02] b", [("01", "a"), ("02", "b")]),
        ("1 old\n2 list\nx\ny\n1 new\n2 list", [("1", "new"), ("2", "list")]),
        ("9.4 mg/l\nOK", []),
        ("10:41:02 pump on\n10:41:07 pump off", []),
        ("", []),
    ],
)
def test_the_last_list_is_found_with_its_own_numbers(text: str, items: list[tuple[str, str]]) -> None:
    assert numbered(text.split("\n")) == items
