"""The survey of ports: the machine's own serial ports and the endpoints of running benches, each with its state."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from ordolex.core.port.bench_notice import BenchNotice
from ordolex.io.ports import benches
from ordolex.io.ports.holders import Holder, group_that_may, holders, sees_all
from ordolex.io.ports.sysfs import NATIVE_DRIVERS, ROOT, driver_of, driverless, is_without_hardware, uart_of

BY_ADDRESS, MADE_HERE = "by-address", "made-here"
"""States of what no survey finds: nothing is known of it before it is called, and a virtual port of our own."""


@dataclass(frozen=True, slots=True)
class PortFacts:
    """One row of the survey.

    state     free, held, no-rights, no-driver, gone, or unknown: nobody is seen on it, but we do not see every program
    holder    who holds it, or which group may use it; empty where neither is known
    identity  what the port is called across replugging and renumbering
    place     where it is plugged; driver: what the system drives it with
    uart      what the system knows of its UART: type, buffer, top rate
    pair      the other port of the same adapter, where one device makes two
    kind      what stand-in it is, on a bench
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
    usb_id: str = ""
    place: str = ""
    driver: str = ""
    uart: str = ""
    pair: str = ""
    kind: str = ""

    @property
    def may_be_opened(self) -> bool:
        """Nothing is known that stands against it."""
        return self.state in ("free", "unknown", BY_ADDRESS)

    @property
    def rate_matters(self) -> bool:
        """Whether a UART stands between: a device that is USB to the core takes any rate."""
        return self.driver not in NATIVE_DRIVERS

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
    sysfs: Path = ROOT,
    all_seen: Callable[[], bool] = sees_all,
) -> list[PortFacts]:
    """All ports, the benches' first. It may take tens of milliseconds: call it away from an event loop."""
    rows = [row for notice in notices() for row in _bench_rows(notice)]
    by_whom = held() if os.name == "posix" else {}
    unheld = "free" if all_seen() else "unknown"
    own = [
        _own_row(port, by_whom, unheld, driver_of(port.path, sysfs), uart_of(port.path, sysfs))
        for port in (listed or os_ports)()
        if not is_without_hardware(port.path, sysfs)
    ]
    rows += _paired(own)
    rows += [
        PortFacts(f"usb {bare.place}", bare.name, "USB serial adapter", bare.serial, "no-driver", usb_id=bare.usb_id,
                  place=bare.place, identity=f"usb {bare.usb_id} {bare.serial or bare.place}")
        for bare in driverless(sysfs)
    ]  # fmt: skip
    return rows


def _paired(rows: list[PortFacts]) -> list[PortFacts]:
    """Two ports of one adapter get an identity each, and name the other: often only one of them leads anywhere."""
    out = []
    for row in rows:
        same = [other for other in rows if other.identity == row.identity]
        if len(same) > 1 and row.usb_id:
            at = same.index(row)
            other = same[(at + 1) % len(same)]
            row = replace(row, identity=f"{row.identity} port {at + 1}", pair=other.endpoint)
        out.append(row)
    return out


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


def _own_row(port: ListedPort, by_whom: dict[str, Holder], unheld: str, driver: str, uart: str) -> PortFacts:
    holder = by_whom.get(os.path.realpath(port.path))
    state, who = unheld, ""
    if holder is not None:
        state, who = "held", holder.text
    elif os.name == "posix" and not os.access(port.path, os.R_OK | os.W_OK):
        group = group_that_may(port.path)
        state, who = "no-rights", f"group {group}" if group else ""
    what = " ".join(text for text in (port.maker if port.maker != "n/a" else "", port.usb_id) if text)
    identity = _usb_identity(port) if port.usb_id else f"port {port.path}"
    return PortFacts(
        port.path, port.name, what or "serial port", port.serial, state, who, identity,
        usb_id=port.usb_id, place=port.place, driver=driver, uart=uart,
    )  # fmt: skip


def _bench_rows(notice: BenchNotice) -> list[PortFacts]:
    rows = []
    for device in notice.devices:
        network = PortFacts(
            endpoint=device.endpoint,
            name=device.name,
            what=f"bench, {_KINDS.get(device.kind, device.kind)}",
            serial="",
            state=device.state,
            holder=device.holder,
            pair=device.pair,
            identity=f"bench {notice.site}: {device.name}",
            sticker=device.line,
            first_question=device.first_question,
            bench=True,
            kind=device.kind,
        )
        rows.append(network)
        if device.pty:
            as_port = f"{device.name}, as a serial port"
            rows.append(replace(network, endpoint=device.pty, name=as_port, identity=f"{network.identity}, pty"))
    return rows


_KINDS = {
    "oxygen": "oxygen transmitter", "temperature": "talks by itself", "echo": "echo plug",
    "logger": "level logger, talks by itself", "feeder": "feeder controller, a console", "alarms": "alarm annunciator",
    "counter": "fish counter", "display": "display, talks by itself", "bus": "drives and a PLC, Modbus RTU",
    "bus-ascii": "PLC, Modbus ASCII", "bus-tcp": "PLC, Modbus TCP", "meter": "electricity meter",
    "modem": "radio modem", "teletype": "teletype, talks by itself", "box-console": "console of a serial server",
    "probes": "water probes, each asked by its letter",
}  # fmt: skip
"""What a stand-in is, in the survey."""


def identity_at(path: str, listed: Callable[[], Iterable[ListedPort]] | None = None) -> str:
    """Which adapter is behind a port now: its identity as in the survey, without the number of a second port. Empty for
    what is no USB adapter, or is not there. It takes some milliseconds: call it away from an event loop."""
    real = os.path.realpath(path)
    for port in (listed or os_ports)():
        if os.path.realpath(port.path) == real and port.usb_id:
            return _usb_identity(port)
    return ""


def path_of(identity: str, listed: Callable[[], Iterable[ListedPort]] | None = None) -> str:
    """Where the adapter of this identity is now; empty where it is nowhere."""
    return next((port.path for port in (listed or os_ports)() if port.usb_id and _usb_identity(port) == identity), "")


def _usb_identity(port: ListedPort) -> str:
    return f"usb {port.usb_id} {port.serial or port.place.split(':')[0]}"
