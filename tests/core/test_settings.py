"""Values, the table of settings, images, ratios and the checks of a plan."""

from __future__ import annotations

import pytest

from ordolex.core.device.form import plan_faults
from ordolex.core.device.image import Image, ImageTrouble, decode, differences
from ordolex.core.device.ratios import Ratio, RatioTrouble, compare, doubts, read_ratio
from ordolex.core.device.setting import Outcome, Reading, Written, read_setting, same, shown
from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.sheet.parameters import Parameter
from ordolex.core.sheet.procedures import Procedure
from ordolex.io.own.sheets import all_sheets

SHEETS = all_sheets()[0]
DRIVE = SHEETS["variable-speed-drive"]


def parameter(name: str) -> Parameter:
    found = DRIVE.parameter_named(name)
    assert found is not None
    return found


@pytest.mark.parametrize(
    ("name", "text", "value"),
    [("set-point", "42.5", 42.5), ("set-point", "42.5 Hz", 42.5), ("set-point", "42.5Hz", 42.5), ("ramp", "7", 7),
     ("control", "BUS", 2), ("control", "2", 2), ("run", "off", 0), ("run", "On", 1)],
)  # fmt: skip
def test_what_is_typed_is_understood(name: str, text: str, value: float) -> None:
    assert read_setting(parameter(name), text) == value


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [("set-point", "62", "more than 50 Hz"), ("set-point", "-1", "less than 0"), ("set-point", "4 kW", "unit is Hz"),
     ("ramp", "1.5", "whole numbers"), ("control", "radio", "none of 0 keypad"), ("run", "maybe", "on or off"),
     ("set-point", "", "give a value"), ("set-point", "nan", "no value"), ("set-point", "fast", "no number")],
)  # fmt: skip
def test_what_cannot_be_is_refused_before_anything_is_sent(name: str, text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        read_setting(parameter(name), text)


def test_values_are_shown_in_the_words_of_the_sheet() -> None:
    assert shown(parameter("control"), 2) == "bus" and shown(parameter("run"), 0) == "off"
    assert shown(parameter("set-point"), 42.5) == "42.5" and shown(parameter("set-point"), None) == ""
    assert same(parameter("set-point"), 42.5, 42.5000001) and not same(parameter("set-point"), 42.5, 42.6)
    assert same(parameter("control"), "Bus", "BUS")
    name = parameter("control").model_copy(update={"kind": "text"})
    assert same(name, "Pump 2 ", "Pump 2") and not same(name, "Pump 2", "PUMP 2"), "a name is what was written"


def reading(name: str, value: float) -> Reading:
    return Reading(name, Outcome.READ, value)


def test_the_table_goes_from_found_to_left_and_says_what_is_open() -> None:
    table = SettingsTable(DRIVE, 3)
    table.read([reading("set-point", 35.0), reading("ramp", 12), Reading("fault", Outcome.REFUSED, words="why")], 1.0)
    assert table.row("fault").verdict == "refused: why" and not table.open_points
    with pytest.raises(ValueError, match="only read"):
        table.want("speed", "5")
    with pytest.raises(ValueError):
        table.want("set-point", "99")
    assert table.row("set-point").wanted is None, "what is refused changes nothing"
    table.want("set-point", "42.5")
    table.want("ramp", "12")
    assert [p.name for p, _ in table.pending] == ["set-point"] and table.open_points == ["not applied: set-point"]
    table.written(Written("set-point", 35.0, 42.5, 42.5, "held"), 2.0)
    row = table.row("set-point")
    assert (row.found, row.now, row.left, row.wanted, row.state) == (35.0, 42.5, 42.5, None, "not stored")
    table.stored()
    assert not table.open_points
    assert table.lasted([reading("set-point", 35.0)], 3.0) == ["set-point is 35, it was left at 42.5"]
    assert table.row("set-point").verdict.startswith("did not last")
    table.read([reading("set-point", 42.5)], 4.0)
    assert table.undo() == 1 and table.pending == [(parameter("set-point"), 35.0)]
    table.written(Written("set-point", 42.5, 35.0, 42.5, "not held", "it reads 42.5"), 5.0)
    assert table.row("set-point").verdict == "not held: it reads 42.5" and table.open_points


def test_images_are_read_back_and_compared() -> None:
    one = Image("pump", "variable-speed-drive", 4, "2026-11-23T10:00:00Z", {"a": 1.5, "b": "x", "c": None}, {"a": "Hz"})
    assert decode(one.encode()) == one
    other = Image("pump", "variable-speed-drive", 4, "later", {"a": 2.5, "b": "x", "d": 7, "c": 3})
    assert [(d.name, d.kind) for d in differences(one, other)] == [
        ("a", "differs"), ("c", "not read"), ("d", "only in the second"),
    ]  # fmt: skip
    for wrong in ("", "[]", "{}", '{"kind": "other"}', one.encode().replace('"version": 1', '"version": 9'),
                  one.encode().replace("1.5", "[1]")):  # fmt: skip
        with pytest.raises(ImageTrouble):
            decode(wrong)


def test_ratios_and_the_mistakes_that_explain_a_reading() -> None:
    assert read_ratio("300/5") == Ratio(300, 5) and read_ratio("60").factor == 60
    assert not doubts(Ratio(300, 5), "current") and not doubts(Ratio(10000, 100), "voltage")
    assert (
        "1 A and 5 A" in doubts(Ratio(300, 3), "current")[0] and "changed over" in doubts(Ratio(5, 300), "current")[-1]
    )
    with pytest.raises(RatioTrouble):
        read_ratio("300 to 5")
    assert compare(0.118, 7.08, Ratio(300, 5)).fits
    assert "1 A taken for 5 A" in compare(0.118, 35.4, Ratio(300, 5)).words
    assert (
        "root 3" in compare(231.4, 400.8).why
        and "counted twice or not at all" in compare(7.08, 7.08, Ratio(300, 5)).why
    )
    assert "no usual mistake" in compare(1, 1.37).words


NETWORK = SHEETS["feeder-controller"].procedure[0]
GOOD = {
    "address": "192.0.2.50",
    "mask": "255.255.255.0",
    "gateway": "192.0.2.1",
    "host": "feeder-4",
    "domain": "a.example",
    "login": "operator",
}


@pytest.mark.parametrize(
    ("changes", "field", "says"),
    [
        ({"mask": "255.255.255"}, "mask", "3 octets, a mask has four"),
        ({"mask": "255.255.255.0.0"}, "mask", "5 octets"),
        ({"mask": "255.0.255.0"}, "mask", "not contiguous: octet 3"),
        ({"mask": "0.0.0.0"}, "mask", "masks out nothing"),
        ({"address": "192.0.2.256"}, "address", "256 is more than 255"),
        ({"address": "192.0.2.050"}, "address", "write 50"),
        ({"address": "192.0.2.0"}, "address", "name of the network"),
        ({"address": "192.0.2.255"}, "address", "broadcast"),
        ({"address": "192.0.2.7"}, "address", "this computer's own"),
        ({"address": "192.0.2.9"}, "address", "heard from another"),
        ({"gateway": "192.0.3.1"}, "gateway", "does not lie in 192.0.2.0/24"),
        ({"gateway": "192.0.2.50"}, "gateway", "own address"),
        ({"host": "feeder_4"}, "host", "'_' cannot stand"),
        ({"domain": "a..example"}, "domain", "empty"),
        ({"address": ""}, "address", "site IT supplies it"),
    ],
)
def test_a_plan_is_refused_at_the_field_that_is_wrong(changes: dict[str, str], field: str, says: str) -> None:
    assert plan_faults(NETWORK, GOOD, ["192.0.2.7/24"], ["192.0.2.9"]) == {}
    faults = plan_faults(NETWORK, GOOD | changes, ["192.0.2.7/24"], ["192.0.2.9"])
    assert says in faults[field], faults


def plan_of(*fields: tuple[str, str]) -> Procedure:
    asked = [{"name": name, "label": name, "kind": kind} for name, kind in fields]
    return Procedure.model_validate({"name": "network", "field": asked, "step": [{"send": "x"}]})


@pytest.mark.parametrize(
    "order",
    [
        ("ip1", "mask1", "ip2", "mask2"),
        ("ip1", "ip2", "mask1", "mask2"),
        ("mask2", "mask1", "ip2", "ip1"),
        ("lan_ip", "lan_mask", "field_ip", "field_mask"),
        ("lan_ip", "field_ip", "lan_mask", "field_mask"),
    ],
)
def test_addresses_and_masks_belong_together_by_jack(order: tuple[str, ...]) -> None:
    """The last mask of the form was taken for the first jack's."""
    gateway = "gw1" if "ip1" in order else "lan_gw"
    fields = plan_of(
        *((name, "mask" if "mask" in name else "ipv4") for name in order), ("dns", "ipv4"), (gateway, "gateway")
    )
    first = "1" if "ip1" in order else "lan"
    values = {
        name: ("255.255.255.0" if "mask" in name else "192.0.2.5") if first in name else
        ("255.255.255.192" if "mask" in name else "198.51.100.70") for name in order
    } | {"dns": "203.0.113.53", gateway: "192.0.2.200"}  # fmt: skip
    assert plan_faults(fields, values, ["203.0.113.53/24"]) == {}, "a name server may be this computer"
    second = next(name for name in order if first not in name and "mask" not in name)
    assert "two jacks in one subnet" in str(plan_faults(fields, values | {second: "192.0.2.70"}))
    assert "network" in plan_faults(fields, values | {second: "198.51.100.64"})[second]
