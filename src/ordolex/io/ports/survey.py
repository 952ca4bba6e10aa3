"""The survey of ports: the machine's own serial ports and the endpoints of running benches, each with its state."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from ordolex.core.bench_notice import BenchNotice
from ordolex.io.ports import benches
from ordolex.io.ports.holders import Holder, group_that_may, holders


@dataclass(frozen=True, slots=True)
class PortFacts:
    """One row of the survey.

    state     free, held, no-rights or gone
    holder    who holds it, or which group may use it; empty where neither is known
    identity  what the port is called across replugging and renumbering
    sticker   line settings as printed on the device, where something tells them
    """

    endpoint: str
    name: str
    what: str
    serial: str
    state: str
    holder: str = ""
    identity: str = ""
    sticker: str = ""
    first_question: str = ""
    bench: bool = False

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True, slots=True)
class ListedPort:
    """A serial port as the operating system lists it."""

    path: str
    name: str
    maker: str
    serial: str
    usb_id: str
    place: str


def survey(
    listed: Callable[[], Iterable[ListedPort]] | None = None,
    notices: Callable[[], Iterable[BenchNotice]] = benches.running,
    held: Callable[[], dict[str, Holder]] = holders,
) -> list[PortFacts]:
    """All ports, the benches' first. It may take tens of milliseconds: call it away from an event loop."""
    rows = [row for notice in notices() for row in _bench_rows(notice)]
    by_whom = held() if os.name == "posix" else {}
    rows += [_own_row(port, by_whom) for port in (listed or os_ports)()]
    return rows


def os_ports() -> list[ListedPort]:
    from serial.tools import list_ports  # pyserial's listing, the one part of its tools that is used

    return [
        ListedPort(
            path=port.device,
            name=Path(port.device).name,
            maker=" ".join(text for text in (port.manufacturer, port.product) if text) or port.description or "",
            serial=port.serial_number or "",
            usb_id=f"{port.vid:04x}:{port.pid:04x}" if port.vid is not None and port.pid is not None else "",
            place=port.location or "",
        )
        for port in sorted(list_ports.comports(), key=lambda p: p.device)
    ]


def _own_row(port: ListedPort, by_whom: dict[str, Holder]) -> PortFacts:
    holder = by_whom.get(os.path.realpath(port.path))
    state, who = "free", ""
    if holder is not None:
        state, who = "held", holder.text
    elif os.name == "posix" and not os.access(port.path, os.R_OK | os.W_OK):
        group = group_that_may(port.path)
        state, who = "no-rights", f"group {group}" if group else ""
    what = " ".join(text for text in (port.maker if port.maker != "n/a" else "", port.usb_id) if text)
    identity = f"usb {port.usb_id} {port.serial or port.place}" if port.usb_id else f"port {port.path}"
    return PortFacts(port.path, port.name, what or "serial port", port.serial, state, who, identity)


def _bench_rows(notice: BenchNotice) -> list[PortFacts]:
    rows = []
    for device in notice.devices:
        network = PortFacts(
            endpoint=device.endpoint,
            name=device.name,
            what=f"bench, {_KINDS.get(device.kind, device.kind)}",
            serial="",
            state=device.state,
            holder="another client" if device.state == "held" else "",
            identity=f"bench {notice.site}: {device.name}",
            sticker=device.line,
            first_question=device.first_question,
            bench=True,
        )
        rows.append(network)
        if device.pty:
            as_port = f"{device.name}, as a serial port"
            rows.append(replace(network, endpoint=device.pty, name=as_port, identity=f"{network.identity}, pty"))
    return rows


_KINDS = {"oxygen": "oxygen transmitter", "temperature": "talks by itself", "echo": "echo plug"}
