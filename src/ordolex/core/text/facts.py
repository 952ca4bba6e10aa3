"""Facts that stand in what a device says by itself, above all while it boots: addresses, versions, serial numbers."""

from __future__ import annotations

import ipaddress
import re
from typing import NamedTuple


class Fact(NamedTuple):
    """kind   address, mask, MAC address, version, serial number or model
    value  as the device wrote it
    line   the line in which it stands
    """

    kind: str
    value: str
    line: str


_IP = re.compile(r"(?<![\d.])(\d{1,3}(?:\.\d{1,3}){3})(?:/(\d{1,2}))?(?![\d.]*\.\d)")
_MAC = re.compile(r"(?<![0-9A-Fa-f:-])((?:[0-9A-Fa-f]{2}[:-]){5}[0-9A-Fa-f]{2})(?![0-9A-Fa-f:-])")
_VERSION = re.compile(r"(?i)\b(?:version|ver|firmware|fw|rev(?:ision)?|boot|v)[ .:]*(\d+(?:\.\d+)+[a-z]?)\b")
_SERIAL = re.compile(r"(?i)\b(?:serial(?: (?:no|number))?|s/n|sn)[ .:#]*([A-Z0-9][A-Z0-9-]{3,})\b")


def facts_in(lines: list[str]) -> list[Fact]:
    """Each fact once, in the order in which they were said."""
    found: dict[tuple[str, str], Fact] = {}

    def add(kind: str, value: str, line: str) -> None:
        found.setdefault((kind, value), Fact(kind, value, line.strip()))

    for line in lines:
        for match in _IP.finditer(line):
            try:
                address = ipaddress.IPv4Address(match[1])
            except ValueError:
                continue
            add("mask" if _is_mask(address) else "address", match[0], line)
        for kind, pattern in (("MAC address", _MAC), ("version", _VERSION), ("serial number", _SERIAL)):
            for match in pattern.finditer(line):
                add(kind, match[1], line)
    return list(found.values())


def _is_mask(address: ipaddress.IPv4Address) -> bool:
    bits = int(address)
    inverted = bits ^ 0xFFFFFFFF
    return bits >= 0xFF000000 and inverted & (inverted + 1) == 0
