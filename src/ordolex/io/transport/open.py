"""Which transport carries which endpoint. A transport is imported when the first of its kind is opened."""

from __future__ import annotations

from ordolex.core.port.endpoint import Endpoint
from ordolex.io.transport.base import Transport


def transport_for(endpoint: Endpoint) -> Transport:
    match endpoint.kind:
        case "serial":
            from ordolex.io.transport.serial_port import SerialTransport

            return SerialTransport(endpoint.host)
        case "virtual":
            from ordolex.io.transport.virtual import VirtualTransport

            return VirtualTransport(endpoint)
        case "tcp":
            from ordolex.io.transport.tcp import TcpTransport

            return TcpTransport(endpoint)
        case "telnet":
            from ordolex.io.transport.telnet import TelnetTransport

            return TelnetTransport(endpoint)
        case "udp" | "listen+udp":
            from ordolex.io.transport.udp import UdpTransport

            return UdpTransport(endpoint)
        case "listen+tcp":
            from ordolex.io.transport.listen import ListenTransport

            return ListenTransport(endpoint)
        case "listen+rfc2217":
            from ordolex.io.transport.listen_rfc2217 import ListenRfc2217Transport

            return ListenRfc2217Transport(endpoint)
        case _:
            from ordolex.io.transport.rfc2217 import Rfc2217Transport

            return Rfc2217Transport(endpoint)
