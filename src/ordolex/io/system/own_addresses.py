"""The addresses of this computer, such as `192.0.2.7/24`, so that a device is not given one of them."""

from __future__ import annotations

import ifaddr


def own_addresses() -> list[str]:
    """IPv4 addresses with their masks; without loopback."""
    found = (one for adapter in ifaddr.get_adapters() for one in adapter.ips if isinstance(one.ip, str))
    return sorted({f"{one.ip}/{one.network_prefix}" for one in found if not str(one.ip).startswith("127.")})
