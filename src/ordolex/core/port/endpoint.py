"""Endpoints as text: where a link's bytes go. An OS serial port is its path or name, a virtual port `virtual:NAME`; the
rest are URLs."""

from __future__ import annotations

import re
from dataclasses import dataclass
from urllib.parse import urlsplit

from ordolex.core.port.hosts import is_host

_LONGEST = 300  # a host's name has at most 253 characters (RFC 1035, 2.3.4)
_WITHOUT_LINE = {
    "tcp": "raw TCP", "udp": "UDP", "telnet": "telnet", "listen+tcp": "TCP, listening", "listen+udp": "UDP, listening",
}  # fmt: skip
_WORDS = {
    "serial": "a serial port of this computer",
    "virtual": "a virtual port, made for a program",
    "rfc2217": "network serial, its settings pass",
    "tcp": "raw TCP, no line settings",
    "udp": "UDP, no line settings, and datagrams may be lost",
    "telnet": "a text console by telnet",
    "listen+tcp": "whoever comes, raw TCP",
    "listen+rfc2217": "whoever comes, and sets the line",
    "listen+udp": "whoever sends datagrams",
}
_LENT = ("rfc2217", "tcp", "udp")
_CALLED = (*_LENT, "telnet")
_LISTENING = tuple(f"listen+{kind}" for kind in _LENT)
LOOPBACK = "127.0.0.1"
_VIRTUAL_NAME = re.compile(r"(/dev/)?[A-Za-z0-9][A-Za-z0-9._-]{0,30}")


_CALLED = ("tcp", "rfc2217", "telnet", "udp")


class EndpointError(ValueError):
    """A text that names no endpoint. The message says what one looks like."""


@dataclass(frozen=True, slots=True)
class Endpoint:
    """kind is serial, virtual, telnet, rfc2217, tcp or udp, or one of the last three with `listen+` before it. `port`
    is the TCP or UDP port, 0 for a serial port, whose path is in `host`, and for a virtual one, whose name is there; at
    a listener 0 is any free one."""

    kind: str
    host: str
    port: int = 0

    @property
    def text(self) -> str:
        if self.kind == "serial":
            return self.host
        if self.kind == "virtual":
            return f"virtual:{self.host}"
        return f"{self.kind}://{self.address}"

    @property
    def address(self) -> str:
        """host:port as a URL has it."""
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{host}:{self.port}"

    @property
    def has_line(self) -> bool:
        """Whether line settings mean anything there; plain TCP and UDP have none."""
        return not self.without

    @property
    def is_called(self) -> bool:
        """Whether it is reached by a call over a network."""
        return self.kind in _CALLED

    @property
    def without(self) -> str:
        """What carries it where line settings mean nothing there; empty where they do."""
        return _WITHOUT_LINE.get(self.kind, "")

    @property
    def words(self) -> str:
        """What it is, for a technician."""
        return _WORDS[self.kind]

    @property
    def listens(self) -> bool:
        """Whether others come to it, over a network."""
        return self.kind in _LISTENING

    @property
    def is_used(self) -> bool:
        """Whether somebody else uses it, and what he sets there is his."""
        return self.listens or self.kind == "virtual"

    @property
    def beyond_loopback(self) -> bool:
        """Whether others than this computer can reach it."""
        return self.listens and not self._is_here

    @property
    def elsewhere(self) -> str:
        """The host that is called over a network; empty for a port, a listener, and for this computer."""
        return self.host if self.kind in _CALLED and not self._is_here else ""

    @property
    def _is_here(self) -> bool:
        return self.host.startswith("127.") or self.host in ("::1", "localhost")


def endpoint_or_none(text: str) -> Endpoint | None:
    """None for what is no port, as a book may hold that was written by hand."""
    try:
        return read_endpoint(text)
    except EndpointError:
        return None


def read_endpoint(text: str) -> Endpoint:
    """Raises EndpointError."""
    text = text.strip()
    if text.startswith("virtual:"):
        return Endpoint("virtual", virtual_name(text.removeprefix("virtual:")))
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
    if parts.scheme not in (*_CALLED, *_LISTENING):
        raise EndpointError(
            f"{parts.scheme}:// is not known; write it like rfc2217://host:port, or with tcp://, udp:// or telnet://;"
            " the first three with listen+ before them for one that others come to"
        )
    try:
        host, port = parts.hostname, parts.port
    except ValueError as error:
        raise EndpointError(f"{text}: {error}; write it like {parts.scheme}://host:port") from None
    if not is_host(host or LOOPBACK):
        raise EndpointError(
            f"{text}: {(host or '')[:40]} can be no host's name; write it like {parts.scheme}://host:port"
        )
    if parts.scheme in _LISTENING:
        if port is None:
            raise EndpointError(
                f"{text}: the port to listen at is needed, like {parts.scheme}://:4001; 0 is any free one"
            )
        return Endpoint(parts.scheme, host or LOOPBACK, port)
    if not host or not port:
        raise EndpointError(f"{text}: host and port are both needed, like {parts.scheme}://192.168.1.20:4001")
    return Endpoint(parts.scheme, host, port)


def is_virtual_name(text: str) -> bool:
    return _VIRTUAL_NAME.fullmatch(text) is not None


def virtual_name(text: str) -> str:
    """The name of a virtual port; one that begins with /dev/ is wanted there. Raises EndpointError."""
    if not is_virtual_name(text):
        raise EndpointError(
            f"{text!r} is no name for a virtual port; up to 31 letters, digits, dots, dashes or underlines, like"
            " virtual:oxygen-3, or virtual:/dev/ttyOxygen3 where there are rights to /dev"
        )
    return text
