"""Addresses of this computer and of a device: whether the two can speak, and a free one beside the device's.

IPv4 as RFC 4632 has its networks; automatic addresses without a server as RFC 3927.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from ordolex.core.port.hosts import is_host

WIDEST = 22
"""Prefix of the widest network that is swept without asking again: 1,022 hosts."""
_LINK_LOCAL = IPv4Network("169.254.0.0/16")


class AddressError(ValueError):
    """An address, mask or network that is none; the message says what is wrong and what one looks like."""


@dataclass(frozen=True, slots=True)
class OwnAddress:
    """An address of this computer. `hardware` is the interface's, empty where the system does not tell."""

    interface: str
    address: IPv4Interface
    hardware: str = ""

    @property
    def text(self) -> str:
        return f"{self.address} on {self.interface}"


def read_address(text: str) -> IPv4Address:
    """Raises AddressError."""
    text = text.strip()
    parts = text.split(".")
    if re.fullmatch(r"[0-9.]+", text) and len(parts) != 4:
        raise AddressError(f"{text} has {len(parts)} numbers; an IPv4 address has four, like 192.168.1.20")
    try:
        return IPv4Address(text)
    except ValueError as error:
        raise AddressError(f"{text!r} is no IPv4 address ({error}); one looks like 192.168.1.20") from None


def read_mask(text: str) -> int:
    """The prefix length of a mask, `255.255.255.0` or `/24`. Raises AddressError."""
    text = text.strip().removeprefix("/")
    if text.isdecimal():
        if int(text) <= 32:
            return int(text)
        raise AddressError(f"/{text} is no prefix; it is a number from 0 to 32")
    number = int(read_address(text))
    inverted = number ^ 0xFFFFFFFF
    if inverted & (inverted + 1):
        raise AddressError(f"{text} is no mask: its ones are not all on the left, as in 255.255.255.0")
    return 32 - inverted.bit_length()


def read_network(text: str, *, wide: bool = False) -> IPv4Network:
    """`192.168.1.0/24`, or an address in it with its mask. Raises AddressError; for one wider than WIDEST unless
    `wide`."""
    address, _, mask = text.strip().partition("/")
    prefix = read_mask(mask) if mask else 32
    network = IPv4Network((read_address(address), prefix), strict=False)
    if prefix < WIDEST and not wide:
        raise AddressError(
            f"{network} has {network.num_addresses} addresses; without asking again at most a /{WIDEST} is swept"
        )
    return network


@dataclass(frozen=True, slots=True)
class Target:
    """A device as somebody types it: `host` an address or a name, `mask` its prefix, `port` a TCP port; None where not
    given."""

    host: str
    prefix: int | None = None
    port: int | None = None

    @property
    def text(self) -> str:
        mask = f" in a /{self.prefix}" if self.prefix is not None else ""
        return f"{self.host}{mask}" + (f", TCP port {self.port}" if self.port else "")


def read_target(text: str) -> Target:
    """`192.168.1.20`, with `/24` or `/255.255.255.0` and `:4001` behind it where known. Raises AddressError."""
    before, colon, port = text.strip().partition(":")
    host, slash, mask = before.partition("/")
    host = host.strip()
    if not host:
        raise AddressError("give an address such as 192.168.1.20, 192.168.1.20/24 or 192.168.1.20:4001")
    if host.replace(".", "").isdecimal():
        read_address(host)
    if not is_host(host):
        raise AddressError(f"{host[:40]} can be no host's name: its parts have 1 to 63 characters")
    if colon and not (port.strip().isdecimal() and 0 < int(port) < 65_536):
        raise AddressError("the port is a number from 1 to 65535")
    return Target(host, read_mask(mask) if slash else None, int(port) if colon else None)


@dataclass(frozen=True, slots=True)
class Fits:
    """Whether device and computer can speak. `good` is None where it cannot be said; `do` is what would help."""

    good: bool | None
    words: str
    do: str = ""


def fits(own: Sequence[OwnAddress], device: IPv4Address, prefix: int | None, *, automatic: bool = False) -> list[Fits]:
    """Every finding, the weightiest first. `automatic` says that the device asks for its address."""
    found: list[Fits] = []
    same = [one for one in own if device in one.address.network and not one.address.is_loopback]
    loopback = [one for one in own if one.address.is_loopback and device in one.address.network]
    if any(one.address.ip == device and not one.address.is_loopback for one in own):
        found.append(Fits(False, f"{device} is an address of this computer itself", "give one of them another address"))
    elif same:
        found.append(Fits(True, f"{device} is in the network of {same[0].text}"))
    elif loopback:
        found.append(Fits(True, f"{device} is this computer's loopback network"))
    else:
        found.append(
            Fits(
                False, f"{device} is in no network of this computer", "add an address of its network beside the present"
            )
        )
    if len({one.interface for one in same}) > 1:
        names = ", ".join(sorted({one.interface for one in same}))
        found.append(
            Fits(False, f"{names} are both in its network: which one is used is the system's choice", "pull one cable")
        )
    for one in same:
        if prefix is not None and prefix != one.address.network.prefixlen:
            words = f"masks differ: the device has /{prefix}, {one.interface} has /{one.address.network.prefixlen}"
            found.append(Fits(None, words, "one side may take the other for a stranger; make the masks alike"))
    found += _overlaps(own)
    if automatic:
        found.append(Fits(None, "the device asks for its address", "without a server it has none that is known"))
    if device in _LINK_LOCAL:
        found.append(Fits(None, f"{device} is one that a device gives itself when no server answers (RFC 3927)", ""))
    return found


def _overlaps(own: Sequence[OwnAddress]) -> list[Fits]:
    found = []
    for number, one in enumerate(own):
        for other in own[number + 1 :]:
            if one.interface != other.interface and one.address.network.overlaps(other.address.network):
                words = f"{one.text} and {other.text} overlap"
                found.append(Fits(None, words, "the system may answer by the wrong cable"))
    return found


def usable_hosts(network: IPv4Network) -> list[IPv4Address]:
    """The addresses that a host may have."""
    return list(network.hosts())


def free_neighbours(
    device: IPv4Address, prefix: int, taken: Collection[IPv4Address], count: int = 5
) -> list[IPv4Address]:
    """Addresses of the device's network that are not known to be taken, from the upper end, where servers seldom give
    any away; each is to be asked for before it is used."""
    hosts = usable_hosts(IPv4Network((device, prefix), strict=False))
    first_and_last = {hosts[0], hosts[-1]} if len(hosts) > 4 else set()  # where gateways usually are
    free = [one for one in reversed(hosts) if one != device and one not in taken and one not in first_and_last]
    return free[:count]


def direct_words() -> tuple[str, str]:
    """Why gateway and name server stay empty where PC and device are joined by one cable."""
    return (
        "leave the gateway empty: with one cable between the two there is no other network to go to",
        "leave DNS empty: the device is called by its address, and nobody there knows names",
    )
