"""Addresses: whether PC and device can speak, a free one beside the device's, what a device named."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv4Interface

import pytest

from ordolex.core.net.addresses import (
    AddressError,
    OwnAddress,
    Target,
    fits,
    free_neighbours,
    read_address,
    read_mask,
    read_network,
    read_target,
)
from ordolex.core.net.boot_text import addresses_named
from ordolex.core.net.own_change import beside
from ordolex.core.port.endpoint import EndpointError, read_endpoint


def own(*texts: str) -> list[OwnAddress]:
    return [OwnAddress(f"eth{number}", IPv4Interface(text)) for number, text in enumerate(texts)]


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("192.168.1", "3 numbers"), ("192.168.1.2.3", "5 numbers"), ("192.168.1.256", "no IPv4"),
        ("box", "no IPv4"), ("", "IPv4"),
    ],
)  # fmt: skip
def test_an_address_that_is_none_says_why(text: str, why: str) -> None:
    with pytest.raises(AddressError, match=why):
        read_address(text)


@pytest.mark.parametrize(
    ("text", "host", "prefix", "port"),
    [
        ("192.168.1.20", "192.168.1.20", None, None), (" 10.4.0.9/16 ", "10.4.0.9", 16, None),
        ("10.4.0.9/255.255.255.128:4001", "10.4.0.9", 25, 4001), ("intake.example:23", "intake.example", None, 23),
    ],
)  # fmt: skip
def test_a_device_is_typed_with_what_is_known_of_it(text: str, host: str, prefix: int | None, port: int | None) -> None:
    assert read_target(text) == Target(host, prefix, port)
    for spoilt in (f"{host}/255.0.255.0", f"{host}:0", f"{host}:65536", f"{host}:x", "10.4.0", "/24", ""):
        with pytest.raises(AddressError):
            read_target(spoilt)


def test_masks_are_read_in_both_forms_and_holes_in_them_are_refused() -> None:
    assert [read_mask(text) for text in ("255.255.255.0", "/24", "24", "255.255.252.0", "0.0.0.0")] == [
        24,
        24,
        24,
        22,
        0,
    ]
    for text in ("255.0.255.0", "255.255.255", "/33", "0.0.0.255"):
        with pytest.raises(AddressError):
            read_mask(text)


def test_a_network_that_is_too_wide_is_asked_for_again() -> None:
    assert str(read_network("192.168.1.77/24")) == "192.168.1.0/24"
    assert str(read_network("10.0.0.5")) == "10.0.0.5/32"
    with pytest.raises(AddressError, match="65536 addresses"):
        read_network("10.1.0.0/16")
    assert read_network("10.1.0.0/16", wide=True).prefixlen == 16


@pytest.mark.parametrize(
    ("mine", "device", "prefix", "good", "word"),
    [
        (("192.168.1.5/24",), "192.168.1.20", 24, True, "in the network"),
        (("192.168.1.5/24",), "192.168.2.20", 24, False, "in no network"),
        (("192.168.1.20/24",), "192.168.1.20", 24, False, "of this computer itself"),
        ((), "10.0.0.1", None, False, "in no network"),
        (("127.0.0.1/8",), "127.20.0.44", 24, True, "loopback"),
    ],
)
def test_whether_pc_and_device_are_in_one_network(
    mine: tuple[str, ...], device: str, prefix: int | None, good: bool, word: str
) -> None:
    first = fits(own(*mine), IPv4Address(device), prefix)[0]
    assert first.good is good and word in first.words and (good or first.do)


def test_two_interfaces_in_one_network_unlike_masks_and_automatic_addresses_are_said() -> None:
    both = own("192.168.1.5/24", "192.168.1.6/16")
    words = " ".join(found.words for found in fits(both, IPv4Address("192.168.1.20"), 25, automatic=True))
    for said in ("both in its network", "masks differ", "overlap", "asks for its address"):
        assert said in words
    assert "RFC 3927" in " ".join(f.words for f in fits(both, IPv4Address("169.254.3.4"), None))


def test_a_free_neighbour_is_none_that_is_known_to_be_taken() -> None:
    taken = {IPv4Address("192.168.1.253"), IPv4Address("192.168.1.252")}
    found = free_neighbours(IPv4Address("192.168.1.251"), 24, taken)
    assert [str(one) for one in found][:2] == ["192.168.1.250", "192.168.1.249"] and len(found) == 5
    assert [str(one) for one in free_neighbours(IPv4Address("10.0.0.1"), 30, set())] == ["10.0.0.2"]


@pytest.mark.parametrize(
    ("system", "do", "undo"),
    [
        ("linux", "ip address add 10.0.0.9/24 dev eth0", "ip address del 10.0.0.9/24 dev eth0"),
        ("darwin", "ifconfig eth0 alias 10.0.0.9 255.255.255.0", "ifconfig eth0 -alias 10.0.0.9"),
        (
            "windows",
            "netsh interface ipv4 add address name=eth0 address=10.0.0.9 mask=255.255.255.0",
            "netsh interface ipv4 delete address name=eth0 address=10.0.0.9",
        ),
    ],
)
def test_each_system_has_its_commands_there_and_back(system: str, do: str, undo: str) -> None:
    change = beside(system, "eth0", IPv4Interface("10.0.0.9/24"))
    assert (change.do_text, change.undo_text) == (do, undo)


BOOTS = [
    ("address 192.0.2.44 mask 255.255.255.0\ngateway 192.0.2.1", [("192.0.2.44", "", "255.255.255.0", "192.0.2.1")]),
    ("eth0: 10.1.2.3/16 up\neth1: 172.16.0.9/24 up",
     [("10.1.2.3", "eth0", "/16", ""), ("172.16.0.9", "eth1", "/24", "")]),
    ("LAN1 IP Address . : 192.168.5.7\n     Subnet Mask : 255.255.0.0\n     Default Gateway: 192.168.5.1",
     [("192.168.5.7", "LAN1", "255.255.0.0", "192.168.5.1")]),
    ("inet 10.0.0.2  netmask 255.0.0.0  broadcast 10.255.255.255", [("10.0.0.2", "", "255.0.0.0", "")]),
    ("dns server 9.9.9.9, ntp 1.2.3.4", []),
    ("firmware 1.2.3.4567 ready, version 10.20.30", []),
]  # fmt: skip


@pytest.mark.parametrize(("text", "wanted"), BOOTS)
def test_addresses_in_a_boot_text_are_told_from_masks_gateways_and_servers(
    text: str, wanted: list[tuple[str, str, str, str]]
) -> None:
    assert [(one.address, one.jack, one.mask, one.gateway) for one in addresses_named(text)] == wanted


@pytest.mark.parametrize("name", ["h" * 64, "a..b", "0x" + "f" * 400])
def test_what_can_be_no_host_is_refused_before_it_is_looked_up(name: str) -> None:
    with pytest.raises(AddressError, match="can be no host's name"):
        read_target(name)
    with pytest.raises(EndpointError):
        read_endpoint(f"tcp://{name}:4001")
    assert read_target("pump-house_2.alder-brook.example").host and read_endpoint("tcp://[fe80::1%eth0]:4001")
