"""Which transport carries which endpoint."""

from __future__ import annotations

from ordolex.core.endpoint import Endpoint
from ordolex.io.transport.base import Transport
from ordolex.io.transport.rfc2217 import Rfc2217Transport
from ordolex.io.transport.serial_port import SerialTransport
from ordolex.io.transport.tcp import TcpTransport


def transport_for(endpoint: Endpoint) -> Transport:
    match endpoint.kind:
        case "serial":
            return SerialTransport(endpoint.host)
        case "tcp":
            return TcpTransport(endpoint)
        case _:
            return Rfc2217Transport(endpoint)
