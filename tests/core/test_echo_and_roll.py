"""What is said of an echo, and which points a device's lines tick."""

from __future__ import annotations

import pytest

from ordolex.core.talk.echo import EchoWatch, beside_the_typed, echo_hint
from ordolex.core.talk.points import Roll, read_points


@pytest.mark.parametrize(
    ("sent", "heard", "local", "says"),
    [
        (b"status\r", b"status\r\nok\r\n", False, ""),
        (b"status\r", b"status\r\nok\r\n", True, "stands twice"),
        (b"status\r", b"ssttaattuuss\r\n", False, "comes back twice"),
        (b"portion 120\r", b"prtion 12\r\nok\r\n", False, "2 of 10 characters are missing"),
        (b"status\r", b"ok\r\n", False, "does not echo"),
        (b"status\r", b"ok\r\n", True, ""),
        (b"st\r", b"ok\r\n", False, ""),
    ],
)  # fmt: skip
def test_the_echo_tells(sent: bytes, heard: bytes, local: bool, says: str) -> None:
    hint = echo_hint(sent, heard, local=local)
    assert says in hint and bool(hint) == bool(says)


def test_a_point_is_ticked_once_and_not_by_a_longer_name() -> None:
    roll = Roll(read_points("pump 2, Pump 20, , intake level, pump 2"))
    assert roll.points == ["pump 2", "Pump 20", "intake level"]
    assert roll.hear("EVENT 0041 PUMP 20 running", 7) == ["Pump 20"]
    assert roll.remaining == ["pump 2", "intake level"]
    assert roll.hear("pump 20 off", 8) == []
    assert roll.hear("pump 2 off, pump 20 off", 9) == ["pump 2"]
    assert roll.ticked["Pump 20"] == (7, "EVENT 0041 PUMP 20 running") and "remaining: intake level" in roll.words
    with pytest.raises(ValueError, match="commas"):
        read_points(" , ")


def test_an_echo_that_stops_is_noticed_only_where_there_was_one() -> None:
    watch = EchoWatch()
    watch.typed(b"menu", 1.0)
    assert not watch.stopped(9.0), "this device never gave anything back"
    watch.heard(b"menu\r\n")
    watch.typed(b"\r", 2.0)
    watch.typed(b"s", 3.0)
    assert not watch.stopped(3.1) and watch.stopped(3.4) == 1
    watch.over()
    watch.typed(b"x", 5.0)
    watch.heard(b"x")
    assert not watch.stopped(9.0)


def test_keys_that_come_back_one_by_one_are_an_echo_however_much_else_came() -> None:
    """A menu of many lines before them hid it: "the device does not echo", while every letter came back."""
    passed: list[tuple[bool, bytes]] = [(True, b"x"), (False, b"x" + b"1) gate 2) pump 3) feeder\r\n" * 20)]
    passed += [one for key in b"status" for one in ((True, bytes([key])), (False, bytes([key])))]
    assert echo_hint(*beside_the_typed(passed), local=False) == ""
    assert "does not echo" in echo_hint(*beside_the_typed([one for one in passed if one[0]]), local=False)
    assert "twice" in echo_hint(*beside_the_typed(passed), local=True)
