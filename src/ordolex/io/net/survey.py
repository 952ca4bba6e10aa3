"""A survey of a network: who listens there at the ports of serial devices, and what is proven about each.

Each host is visited once: its ports are called together, and what answered is listened to and asked in the same
connections. A box that has several channels is visited once more, at least a second later, for the rest of them. What
is sent: the three bytes of an offer of RFC 2217 (FF FB 2C) to each open port that is not known to be something else.
Nothing else goes out."""

from __future__ import annotations

import asyncio
import re
import socket
import tomllib
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cache
from importlib.resources import files
from ipaddress import IPv4Address, IPv4Network

from ordolex.core.net.addresses import usable_hosts
from ordolex.core.netserial.ends import Agreed, ComPortClient, Data, NotSpoken
from ordolex.core.netserial.telnet import IAC
from ordolex.core.text.visible import visible
from ordolex.io.net.interfaces import neighbours
from ordolex.io.system.clock import mono_s

AT_A_TIME = 256
"""Connections under way at once."""
CALL_S = 1.0
_LISTEN_S = 0.4
AGREE_S = 0.8
"""How long one of many is given to agree to RFC 2217."""
_AGAIN_S = 1.0
_CHANNELS = 32
_MOST = 400


@dataclass(frozen=True, slots=True)
class KnownPort:
    number: int
    kind: str
    means: str


@cache
def known_ports() -> tuple[KnownPort, ...]:
    text = files("ordolex.io.net").joinpath("serial_services.toml").read_text()
    return tuple(KnownPort(**entry) for entry in tomllib.loads(text)["port"])


@dataclass(frozen=True, slots=True)
class Service:
    """One open port. `proven` is what it showed by itself, `means` what its number mostly means."""

    port: int
    means: str
    proven: str = ""
    banner: str = ""
    ms: float | None = None

    @property
    def words(self) -> str:
        said = f", says {self.banner[:40]!r}" if self.banner else ""
        return f"{self.port} {self.proven or f'open, mostly {self.means}'}{said}"


@dataclass(frozen=True, slots=True)
class Host:
    """`announced` is what it said of itself by multicast DNS: (service type, name, port)."""

    address: str
    name: str = ""
    hardware: str = ""
    services: tuple[Service, ...] = ()
    announced: tuple[tuple[str, str, int], ...] = ()
    ms: float | None = None

    def holds(self, sought: str) -> bool:
        """Whether a text, in any case, stands in what is known of it: address, name, hardware, services."""
        known = [self.address, self.name, self.hardware, *(service.words for service in self.services)]
        known += [f"{kind} {name} {port}" for kind, name, port in self.announced]
        return any(sought.casefold() in text.casefold() for text in known)

    @property
    def proven(self) -> str:
        """What is certain about it, in words."""
        served = [service for service in self.services if service.proven]
        if served:
            return ", ".join(f"{service.port} {service.proven}" for service in served)
        if self.services:
            return "something listens; what it is, is not proven"
        return "announced itself; not reached" if self.announced else ""


@dataclass(slots=True)
class Progress:
    """Of a survey: hosts done of all, tries made, and how many connections may be under way at a time."""

    hosts: int
    done: int = 0
    tries: int = 0
    began_s: float = field(default_factory=mono_s)

    @property
    def left_s(self) -> float:
        return (mono_s() - self.began_s) / self.done * (self.hosts - self.done) if self.done else 0.0


def what_it_sends(*, offer: bool) -> str:
    ports = ", ".join(str(port.number) for port in known_ports())
    sent = (
        "to each that is open and is not known to be something else the 3 bytes of an RFC 2217 offer (FF FB 2C), and to"
        " one that negotiates telnet its answers"
        if offer
        else "nothing to those that are open: it listens to what they say"
    )
    return f"calls TCP {ports} of every address, at most {AT_A_TIME} calls at a time; sends {sent}"


async def survey(
    network: IPv4Network, found: Callable[[Host], None], progress: Progress | None = None, *, offer: bool = True,
    ports: Sequence[KnownPort] | None = None, announced: Callable[[], list[tuple[str, str, str, int]]] = lambda: [],
) -> list[Host]:  # fmt: skip
    """Sweeps it; `found` gets each host as soon as it is known, and again when more is. `announced` gives what was
    heard by multicast DNS so far: (address, service type, name, port)."""
    hosts = usable_hosts(network)
    progress = progress or Progress(len(hosts))
    slots = asyncio.Semaphore(AT_A_TIME)
    ports = tuple(ports or known_ports())
    told = _Told(found, announced)
    several: list[tuple[Host, float]] = []

    async def visit(address: IPv4Address) -> None:
        services = await _visit(str(address), ports, slots, progress, offer)
        progress.done += 1
        if services:
            name, hardware = await _names(str(address))
            times = [service.ms for service in services if service.ms is not None]
            host = Host(str(address), name, hardware, services, (), min(times) if times else None)
            told.tell(host)
            if sum(_is_channel(service, ports) for service in services) > 1:
                several.append((host, mono_s()))
        told.tell_again()

    await _all(visit, hosts)
    for host, visited_s in several:
        await asyncio.sleep(max(0.0, visited_s + _AGAIN_S - mono_s()))
        further = await _visit(host.address, _further(host, ports), slots, progress, offer)
        if further:
            services = tuple(sorted((*host.services, *further), key=lambda service: service.port))
            told.tell(replace(host, services=services))
    told.tell_again()
    told.tell_unreached(network)
    return sorted(told.rows.values(), key=lambda host: IPv4Address(host.address))


class _Told:
    """Hosts as they were told, the newest of each."""

    def __init__(self, found: Callable[[Host], None], announced: Callable[[], list[tuple[str, str, str, int]]]) -> None:
        self._found, self._announced = found, announced
        self._known = 0
        self.rows: dict[str, Host] = {}

    def tell(self, host: Host) -> None:
        host = _with_announced(host, self._announced())
        self.rows[host.address] = host
        self._found(host)

    def tell_again(self) -> None:
        """Those who were found before they spoke of themselves."""
        heard = self._announced()
        if len(heard) != self._known:
            self._known = len(heard)
            for host in list(self.rows.values()):
                if _with_announced(host, heard) != host:
                    self.tell(host)

    def tell_unreached(self, network: IPv4Network) -> None:
        """Those who spoke of themselves and have no port of the list open."""
        for where, _, called, _ in self._announced():
            if IPv4Address(where) in network and where not in self.rows:
                self.tell(Host(where, called))


async def _all(visit: Callable[[IPv4Address], object], hosts: list[IPv4Address]) -> None:
    """A few workers: a task for each of a thousand hosts would only wait."""
    waiting = iter(hosts)

    async def work() -> None:
        for address in waiting:
            await visit(address)  # type: ignore[misc]

    async with asyncio.TaskGroup() as group:
        for _ in range(min(64, len(hosts))):
            group.create_task(work())


def _is_channel(service: Service, ports: Sequence[KnownPort]) -> bool:
    return any(port.number == service.port and port.kind == "channel" for port in ports)


def _further(host: Host, ports: Sequence[KnownPort]) -> list[KnownPort]:
    """The channels behind the last known one, as boxes number them."""
    channels = [service.port for service in host.services if _is_channel(service, ports)]
    base = max(set(channels), key=lambda port: (port // 100 == channels[0] // 100, port)) // 100 * 100
    known = {port.number for port in ports}
    return [
        KnownPort(base + number, "channel", f"serial channel {number}")
        for number in range(1, _CHANNELS + 1)
        if base + number not in known
    ]


async def _visit(
    host: str, ports: Sequence[KnownPort], slots: asyncio.Semaphore, progress: Progress, offer: bool
) -> tuple[Service, ...]:
    async def one(port: KnownPort) -> Service | None:
        async with slots:
            progress.tries += 1
            return await look_at(host, port, offer=offer)

    services = await asyncio.gather(*(one(port) for port in ports))
    return tuple(service for service in services if service is not None)


async def look_at(
    host: str, port: KnownPort, *, offer: bool, called_from: set[str] | None = None, agree_s: float = AGREE_S
) -> Service | None:
    """One port of a host; None where nothing listens. `called_from` gets the name of this end of the call, which is
    what the host calls us; `agree_s` is how long it may take to agree to RFC 2217."""
    began_s = mono_s()
    loop = asyncio.get_running_loop()
    sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    sock.setblocking(False)
    try:
        async with asyncio.timeout(CALL_S):
            await loop.sock_connect(sock, (host, port.number))
        if called_from is not None:
            called_from.add(":".join(str(part) for part in sock.getsockname()))
        ms = (mono_s() - began_s) * 1000
        service = Service(port.number, port.means, ms=ms)
        if port.kind == "other":
            return service
        return await _look(sock, service, offer, agree_s)
    except (OSError, TimeoutError):
        return None
    finally:
        sock.close()


async def _look(sock: socket.socket, service: Service, offer: bool, agree_s: float) -> Service:
    """What it says first, and whether it takes an offer of RFC 2217."""
    end, heard = ComPortClient(), bytearray()
    said = await _heard(sock, _LISTEN_S)
    if said is None:
        return replace(service, proven="takes calls and hangs up at once: held, or closed to us")
    speaks_telnet = IAC in said
    agreed = _take(end, said, heard)
    if offer and not agreed:
        end.offer()
        agreed = await _offer(sock, end, heard, agree_s)
    banner = visible(bytes(heard[:_MOST])).strip()
    if agreed:
        return replace(service, proven="RFC 2217", banner=banner)
    if speaks_telnet or re.search(rb"(?i)(login|user ?name|password|locked)\W*$", bytes(heard)):
        return replace(service, proven="text console", banner=banner)
    return replace(service, banner=banner)


def _take(end: ComPortClient, data: bytes, heard: bytearray) -> bool:
    agreed = False
    for event in end.receive(data):
        match event:
            case Data(payload):
                heard += payload
            case Agreed():
                agreed = True
            case _:
                pass
    return agreed


async def _offer(sock: socket.socket, end: ComPortClient, heard: bytearray, agree_s: float) -> bool:
    loop = asyncio.get_running_loop()
    until_s = mono_s() + agree_s
    with suppress(OSError):
        await loop.sock_sendall(sock, end.take_output())
        while (left := until_s - mono_s()) > 0:
            said = await _heard(sock, left)
            if not said:
                return False
            refused = False
            for event in end.receive(said):
                match event:
                    case Agreed():
                        return True
                    case Data(payload):
                        heard += payload
                    case NotSpoken():
                        refused = True
                    case _:
                        pass
            if refused:
                return False
            out = end.take_output()
            if out:
                await loop.sock_sendall(sock, out)
    return False


async def _heard(sock: socket.socket, seconds: float) -> bytes | None:
    """What comes within the time; None where it hung up."""
    try:
        async with asyncio.timeout(seconds):
            data = await asyncio.get_running_loop().sock_recv(sock, 4096)
    except TimeoutError:
        return b""
    except OSError:
        return None
    return data or None


async def _names(address: str) -> tuple[str, str]:
    """Its name as the system knows it, and its hardware address."""
    hardware = (await asyncio.to_thread(neighbours)).get(address, "")
    name = ""
    with suppress(OSError, TimeoutError):
        async with asyncio.timeout(1.0):
            name, _ = await asyncio.get_running_loop().getnameinfo((address, 0), socket.NI_NAMEREQD)
    return name, hardware


def _with_announced(host: Host, told: list[tuple[str, str, str, int]]) -> Host:
    own = tuple((kind, name, port) for address, kind, name, port in told if address == host.address)
    return replace(host, announced=own, name=host.name or (own[0][1] if own else "")) if own else host
