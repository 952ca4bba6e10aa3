"""The addresses of this computer, such as `192.0.2.7/24`, so that a device is not given one of them."""

from __future__ import annotations

import contextlib
import socket
import struct
from ipaddress import IPv4Interface

_GET_ADDRESS, _GET_MASK = 0x8915, 0x891B  # Linux: SIOCGIFADDR, SIOCGIFNETMASK


def own_addresses() -> list[str]:
    """IPv4 addresses with their masks; without loopback. Where the system does not tell masks, /32."""
    out = []
    try:
        import fcntl
    except ImportError:  # Windows
        with contextlib.suppress(OSError):
            found = socket.getaddrinfo(socket.gethostname(), None, socket.AF_INET)
            out = [f"{address[4][0]}/32" for address in found]
    else:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asker:
            for _, name in socket.if_nameindex():
                request = struct.pack("256s", name.encode()[:15])
                with contextlib.suppress(OSError):
                    address = fcntl.ioctl(asker.fileno(), _GET_ADDRESS, request)[20:24]
                    mask = fcntl.ioctl(asker.fileno(), _GET_MASK, request)[20:24]
                    out.append(IPv4Interface((address, socket.inet_ntoa(mask))).with_prefixlen)
    return sorted({one for one in out if not one.startswith("127.")})
