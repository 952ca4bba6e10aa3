"""What a visit needs, out of links, sheets, the bag and facts."""

from __future__ import annotations

from ordolex.core.record.items import LinkRecord
from ordolex.core.visit.facts import Fact
from ordolex.core.visit.preparing import Need, needs, ticked
from ordolex.core.wiring.parts import USUAL_BAG
from ordolex.core.wiring.solve import bag_of
from ordolex.io.own.sheets import all_sheets

SHEETS = all_sheets()[0]
BAG = bag_of([*USUAL_BAG, *USUAL_BAG])
ONE = LinkRecord(1, "raceway 1", "/dev/ttyUSB0", "19200 8N1", adapter="usb A7", sheet="oxygen-transmitter")
TWO = LinkRecord(2, "raceway 2", "/dev/ttyUSB1", "19200 8N1", adapter="usb A7", sheet="oxygen-transmitter")
BOX = LinkRecord(3, "weir box", "rfc2217://192.0.2.44:4001", sheet="")


def words(found: list[Need], kind: str) -> list[str]:
    return [need.words for need in found if need.kind == kind]


def test_what_two_links_need_is_one_thing_and_a_network_needs_an_address() -> None:
    facts = {3: [Fact("credentials with", "the site office", "phone", 5), Fact("address", "a free one of .0/24", "", 6),
                 Fact("needed from others", "power in the hut", "plan", 7)]}  # fmt: skip
    found = needs([ONE, TWO, BOX], SHEETS, BAG, facts, [("raceway 2", "not stored: alarm-low")])
    adapter = next(need for need in found if need.kind == "part")
    assert (
        adapter.words == "USB adapter, RS-232" and adapter.links == ("raceway 1", "raceway 2") and not adapter.missing
    )
    assert words(found, "credentials") == ["the site office"] and words(found, "from others") == ["power in the hut"]
    assert words(found, "address") == ["a free one of .0/24", "one in the network of 192.0.2.44, free to be used"]
    assert "ask for the calibration file" in words(found, "file")[0]
    steps = words(found, "power")
    assert steps[0].startswith("raceway 1, step 1: 24 V") and "step 2: power the transmitter" in steps[1]
    assert words(found, "open") == ["not stored: alarm-low"]
    assert [need.kind for need in found] == sorted((need.kind for need in found), key=[
        "part", "adapter", "file", "credentials", "from others", "address", "power", "open"].index)  # fmt: skip


def test_what_the_bag_lacks_is_missing_and_said_once() -> None:
    found = needs([ONE, TWO], SHEETS, bag_of(["straight cable DE-9"]), {})
    assert [(need.words, need.missing) for need in found if need.kind == "part"] == [("USB adapter, RS-232", True)]


def test_a_tick_holds_until_it_is_taken_away() -> None:
    need = {"need": "part: patch cable", "ticked": True}
    assert ticked([(5, need), (6, {"need": "file: x", "ticked": True}), (7, {**need, "ticked": False})]) == {
        "file: x": 6
    }
