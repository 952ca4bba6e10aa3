"""Names of hosts."""

from __future__ import annotations


def is_host(text: str) -> bool:
    """Whether it can be an address or the name of a host: parts of 1 to 63 characters (RFC 1035, 2.3.4; RFC 3490)."""
    try:
        return bool(text.encode("idna"))
    except UnicodeError:
        return False
