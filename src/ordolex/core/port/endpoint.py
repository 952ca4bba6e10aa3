"""Endpoints as text: where a link's bytes go. An OS serial port is its path or name; the rest are URLs."""

from __future__ import annotations

import re
from dataclasses import dataclass
from urllib.parse import urlsplit

_LONGEST = 300  # a host's name has at most 253 characters (RFC 1035, 2.3.4)


class EndpointError(ValueError):
    """A text that names no endpoint. The message says what one looks like."""


@dataclass(frozen=True, slots=True)
class Endpoint:
    """kind is serial, rfc2217 or tcp; `port` is the TCP port, 0 for a serial port whose path is in `host`."""

    kind: str
    host: str
    port: int = 0

    @property
    def text(self) -> str:
        if self.kind == "serial":
            return self.host
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{self.kind}://{host}:{self.port}"

    @property
    def has_line(self) -> bool:
        """Whether line settings mean anything there; raw TCP has none."""
        return self.kind != "tcp"


def read_endpoint(text: str) -> Endpoint:
    """Raises EndpointError."""
    text = text.strip()
    if "://" not in text:
        if not text or re.search(r"[\s\x00-\x1f]", text):
            raise EndpointError(f"{text!r} is no port; give a serial port such as /dev/ttyUSB0, or rfc2217://host:port")
        return Endpoint("serial", text)
    if len(text) > _LONGEST:
        raise EndpointError(f"{text[:40]}… has {len(text)} characters; write it like rfc2217://host:port")
    try:
        parts = urlsplit(text)
    except ValueError as error:
        raise EndpointError(f"{text}: {error}; write it like rfc2217://host:port or tcp://[::1]:port") from None
    if parts.scheme not in ("rfc2217", "tcp"):
        raise EndpointError(f"{parts.scheme}:// is not known; use rfc2217://host:port or tcp://host:port")
    try:
        host, port = parts.hostname, parts.port
    except ValueError as error:
        raise EndpointError(f"{text}: {error}; write it like {parts.scheme}://host:port") from None
    if not host or not port:
        raise EndpointError(f"{text}: host and TCP port are both needed, like {parts.scheme}://192.168.1.20:4001")
    return Endpoint(parts.scheme, host, port)
