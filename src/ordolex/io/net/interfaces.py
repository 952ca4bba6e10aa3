"""This computer's own network interfaces, and whom it knows beside it."""

from __future__ import annotations

import re
from ipaddress import IPv4Interface
from pathlib import Path

import ifaddr

from ordolex.core.net.addresses import OwnAddress


def own_addresses(*, loopback: bool = False, sys_net: Path = Path("/sys/class/net")) -> list[OwnAddress]:
    """IPv4 addresses of all interfaces, by interface."""
    found = []
    for adapter in ifaddr.get_adapters():
        for one in adapter.ips:
            if not isinstance(one.ip, str):
                continue
            address = IPv4Interface(f"{one.ip}/{one.network_prefix}")
            if loopback or not address.is_loopback:
                found.append(OwnAddress(one.nice_name, address, _hardware(sys_net / one.nice_name)))
    return sorted(found, key=lambda own: (own.interface, own.address))


def _hardware(folder: Path) -> str:
    try:
        return (folder / "address").read_text().strip()
    except OSError:
        return ""


def neighbours(table: Path = Path("/proc/net/arp")) -> dict[str, str]:
    """Address → hardware address, of those that the system has spoken with lately (Linux; elsewhere by the system's
    `arp -a`)."""
    try:
        return read_arp(table.read_text())
    except OSError:
        return _by_command()


def read_arp(text: str) -> dict[str, str]:
    """Linux' own table: address, type, flags (0 where nobody answered), hardware address."""
    found = {}
    for line in text.splitlines()[1:]:
        parts = line.split()
        if len(parts) >= 4 and parts[2] != "0x0" and parts[3] != "00:00:00:00:00:00":
            found[parts[0]] = parts[3].lower()
    return found


_ROW = re.compile(r"((?:\d{1,3}\.){3}\d{1,3})\)?\s+(?:at\s+)?((?:[0-9a-fA-F]{1,2}[:-]){5}[0-9a-fA-F]{1,2})")


def read_arp_command(text: str) -> dict[str, str]:
    """What `arp -a` prints on Windows and macOS."""
    return {
        address: ":".join(f"{int(part, 16):02x}" for part in re.split("[:-]", hardware))
        for address, hardware in _ROW.findall(text)
    }


def _by_command() -> dict[str, str]:
    import subprocess

    try:
        done = subprocess.run(["arp", "-a"], capture_output=True, text=True, timeout=5, check=False)
    except (OSError, subprocess.SubprocessError):
        return {}
    return read_arp_command(done.stdout)
