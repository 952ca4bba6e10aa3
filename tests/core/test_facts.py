"""What boot text tells of a device is found, and what only looks like it is not."""

from ordolex.core.text.facts import Fact, facts_in

BOOT = [
    "Brookmade FC-4 feeder controller",
    "boot 2.06, self test ok",
    "address 192.0.2.44 mask 255.255.255.0",
    "serial FC4-00317",
    "MAC 02:00:5e:10:00:44, again 192.0.2.44",
    "took 1.2.3.4.5 steps at 10.4 V, 300.1.2.3 is none",
]


def test_facts_of_boot_text() -> None:
    found = facts_in(BOOT)
    assert found[1] == Fact("address", "192.0.2.44", BOOT[2])
    assert {(fact.kind, fact.value) for fact in found} == {
        ("version", "2.06"), ("address", "192.0.2.44"), ("mask", "255.255.255.0"), ("serial number", "FC4-00317"),
        ("MAC address", "02:00:5e:10:00:44"),
    }  # fmt: skip
