"""Addresses that a device names while it starts, or when it is asked: of which jack, with mask and gateway where they
stand near."""

from __future__ import annotations

import re
from dataclasses import dataclass
from ipaddress import IPv4Address

_IP = r"(?P<{0}>(?:\d{{1,3}}\.){{3}}\d{{1,3}})"
_ADDRESS = re.compile(r"(?<![\d.])" + _IP.format("address") + r"(?:\s*/\s*(?P<prefix>\d{1,2}))?(?![\d.])")
_JACK = re.compile(r"(?i)\b((?:eth|en|em|lan|wan|port|jack|net|wlan|usb)[ -]?\d*[a-z]?\d*)\b")
_MASK = re.compile(r"(?i)(?:sub)?(?:net)?mask\W{0,6}" + _IP.format("mask"))
_GATEWAY = re.compile(r"(?i)(?:gateway|default route|router|gw)\W{0,6}" + _IP.format("gateway"))
_AUTOMATIC = re.compile(r"(?i)\b(dhcp|bootp|automatic|auto-?ip)\b\W{0,6}(on|enabled|yes|active|client|requesting)?")
_NOT_ITS_OWN = re.compile(r"(?i)(mask|gateway|gw|router|route|dns|server|ntp|broadcast|peer|host)\W{0,8}$")


@dataclass(frozen=True, slots=True)
class Named:
    """An address as it was named, with the line it stands in."""

    address: str
    jack: str
    mask: str
    gateway: str
    automatic: bool
    line: str


def addresses_named(text: str) -> list[Named]:
    """In the order in which they stand; the last for an address is what holds. Masks, gateways and servers are none of
    the device's own."""
    lines = text.replace("\r", "\n").split("\n")
    found: list[Named] = []
    jack = ""
    for number, line in enumerate(lines):
        near = " ".join(lines[number : number + 4])
        at_jack = _JACK.search(line)
        jack = at_jack.group(1) if at_jack else jack if line.startswith((" ", "\t")) else ""
        for hit in _ADDRESS.finditer(line):
            if _NOT_ITS_OWN.search(line[: hit.start()]) or not _is_address(hit["address"]):
                continue
            mask, gateway = _MASK.search(near), _GATEWAY.search(near)
            found.append(
                Named(
                    hit["address"],
                    jack,
                    mask["mask"] if mask else f"/{hit['prefix']}" if hit["prefix"] else "",
                    gateway["gateway"] if gateway else "",
                    bool(_AUTOMATIC.search(line)),
                    line.strip(),
                )
            )
    return found


def _is_address(text: str) -> bool:
    try:
        address = IPv4Address(text)
    except ValueError:
        return False
    return not (address.is_unspecified or int(address) >> 24 == 255)
