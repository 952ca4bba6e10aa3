"""Which transport carries which endpoint. A transport is imported when the first of its kind is opened."""

from __future__ import annotations

from ordolex.core.port.endpoint import Endpoint
from ordolex.io.transport.base import Transport


def transport_for(endpoint: Endpoint) -> Transport:
    match endpoint.kind:
        case "serial":
            from ordolex.io.transport.serial_port import SerialTransport

            return SerialTransport(endpoint.host)
        case "tcp":
            from ordolex.io.transport.tcp import TcpTransport

            return TcpTransport(endpoint)
        case _:
            from ordolex.io.transport.rfc2217 import Rfc2217Transport

            return Rfc2217Transport(endpoint)
