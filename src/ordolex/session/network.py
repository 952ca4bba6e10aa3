"""Boxes that a survey found, their channels, and the checks of the path to a device."""

from __future__ import annotations

import asyncio
from concurrent.futures import Future
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network

from ordolex.core.net.addresses import OwnAddress, Target
from ordolex.core.net.boot_text import Named, addresses_named
from ordolex.core.net.own_change import AddressChange
from ordolex.core.record.items import Chunk, LinkRecord
from ordolex.core.relay.fit import Channel, Fit
from ordolex.core.sheet import Sheet
from ordolex.io.book.reader import BookReader
from ordolex.io.link.hub import Hub
from ordolex.io.link.runner import LinkRunner
from ordolex.io.net import undo
from ordolex.io.net.announced import Announcements
from ordolex.io.net.check import Proposal, Step, check, propose, until_first_reply
from ordolex.io.net.interfaces import own_addresses
from ordolex.io.net.survey import Host, Progress, survey
from ordolex.io.relay.box import look_again, look_at_channel, read_channels

_CHUNKS = 2000
"""Of each link so much is looked through for addresses."""


class Network:
    """`hosts` by address, as the surveys of this visit found them; `channels` what is known of a box's channels;
    `steps` the latest check, of `checked`."""

    def __init__(self, hub: Hub) -> None:
        self._hub = hub
        self.hosts: dict[str, Host] = {}
        self.channels: dict[str, list[Channel]] = {}
        self.progress: Progress | None = None
        self.surveyed = ""
        self.steps: list[Step] = []
        self.checked = ""
        self.own: list[OwnAddress] = []
        self.proposal: Proposal | None = None
        self._surveying: Future[list[Host]] | None = None
        self._waiting: Future[Step] | None = None
        self._locks: dict[str, asyncio.Lock] = {}
        self._calls: dict[str, set[str]] = {}
        """Address → names of our own calls there, as it would name them."""

    @property
    def listed(self) -> list[Host]:
        return sorted(self.hosts.values(), key=lambda host: IPv4Address(host.address))

    def look_at_own(self) -> Future[list[OwnAddress]]:
        async def look() -> list[OwnAddress]:
            self.own = await asyncio.to_thread(own_addresses, loopback=True)
            return self.own

        return self._hub.call(look())

    # ---- the survey

    def survey(self, network: IPv4Network, *, offer: bool) -> Future[list[Host]]:
        """`hosts` grows while it runs; `stop_survey` ends it."""
        self.progress, self.surveyed = Progress(network.num_addresses - 2 or 1), str(network)
        self._surveying = self._hub.call(self._survey(network, self.progress, offer))
        return self._surveying

    async def _survey(self, network: IPv4Network, progress: Progress, offer: bool) -> list[Host]:
        def found(host: Host) -> None:
            self.hosts = self.hosts | {host.address: host}

        try:
            own = await asyncio.to_thread(own_addresses, loopback=True)
            near = [str(one.address.ip) for one in own if one.address.network.overlaps(network)]
            if not near:
                return await survey(network, found, progress, offer=offer)
            told = await asyncio.to_thread(Announcements(near).__enter__)
            try:
                return await survey(network, found, progress, offer=offer, announced=lambda: told.heard)
            finally:
                await asyncio.to_thread(told.__exit__, None, None, None)
        finally:
            self.progress = None

    def stop_survey(self) -> bool:
        """Whether one was under way, or a wait for a first reply."""
        going = [one for one in (self._surveying, self._waiting) if one is not None and not one.done()]
        for one in going:
            one.cancel()
        return bool(going)

    # ---- boxes

    def _looking(self, address: str) -> asyncio.Lock:
        """Two looks at one box would take each other for somebody who holds a channel."""
        return self._locks.setdefault(address, asyncio.Lock())

    def look_at_channels(self, address: str, ports: list[int], *, offer: bool) -> Future[list[Channel]]:
        """From outside, one after the other."""

        async def look() -> list[Channel]:
            async with self._looking(address):
                found = []
                for number, port in enumerate(ports, 1):
                    calls = self._calls.setdefault(address, set())
                    channel = await look_at_channel(address, port, port % 100 or number, offer=offer, called_from=calls)
                    found.append(channel)
                self.channels = self.channels | {address: found}
                return found

        return self._hub.call(look())

    def read_channels(self, address: str, runner: LinkRunner, sheet: Sheet) -> Future[list[Channel]]:
        """By its console, which tells more."""

        async def read() -> list[Channel]:
            async with self._looking(address):
                found = await read_channels(runner, sheet, self._calls.get(address, set()))
                self.channels = self.channels | {address: found}
                return found

        return self._hub.call(read())

    def look_again(self, old: str, new: str, port: int) -> Future[Fit]:
        return self._hub.call(look_again(old, new, port))

    # ---- the path to a device

    def check(self, target: Target, told: Told | None = None, *, direct: bool = False) -> Future[None]:
        """`steps` grows while it runs. `told` is what the device said of its own address; what was typed goes before
        it."""
        host, port = target.host, target.port
        self.steps, self.checked = [], f"{host}:{port}" if port else host
        mask = f"/{target.prefix}" if target.prefix is not None else told.named.mask if told else ""
        gateway, automatic = (told.named.gateway, told.named.automatic) if told else ("", False)
        if told is not None:
            self.steps = [Step("as it said", None, None, told.words)]

        async def run() -> None:
            going = check(host, port, mask=mask, gateway=gateway, automatic=automatic, direct=direct, page=port is None)
            async for step in going:
                self.steps = [*self.steps, step]

        return self._hub.call(run())

    def first_reply(self, host: str, port: int | None, give_up_s: float) -> Future[Step]:
        self._waiting = self._hub.call(until_first_reply(host, port, give_up_s))
        return self._waiting

    def propose(self, device: IPv4Address, prefix: int, interface: str) -> Future[Proposal | None]:
        async def run() -> Proposal | None:
            self.proposal = await propose(device, prefix, interface)
            return self.proposal

        return self._hub.call(run())

    @property
    def added(self) -> list[AddressChange]:
        """Addresses that were added for the work and not taken back."""
        return undo.pending()

    def add(self, change: AddressChange) -> Future[None]:
        return self._hub.call(undo.make(change))

    def added_by_hand(self, change: AddressChange) -> None:
        """The technician runs the command himself: it is to be taken back all the same."""
        undo.remember(change)

    def taken_back_by_hand(self, change: AddressChange) -> None:
        undo.forget(change)

    def take_back(self, change: AddressChange) -> Future[None]:
        return self._hub.call(undo.take_back(change))


@dataclass(frozen=True, slots=True)
class Told:
    """An address that a device named, and by which link it was heard."""

    named: Named
    link: str

    @property
    def words(self) -> str:
        jack = f", jack {self.named.jack}" if self.named.jack else ""
        mask = f", mask {self.named.mask}" if self.named.mask else ", mask not named"
        gateway = f", gateway {self.named.gateway}" if self.named.gateway else ""
        asks = ", asks for its address" if self.named.automatic else ""
        return f"{self.link} named {self.named.address}{mask}{gateway}{asks}{jack}"


def told_by(reader: BookReader, link: LinkRecord) -> list[Told]:
    """What the latest of a link's record names, the newest of each jack and address last. Reads the book."""
    items = reader.latest(_CHUNKS, link.id)
    heard = b"".join(item.data for item in items if isinstance(item, Chunk) and item.direction == "rx")
    named = addresses_named(heard.decode("utf-8", "replace"))
    return [Told(one, link.name) for one in {(one.jack, one.address): one for one in named}.values()]


def console_of(links: list[LinkRecord], address: str) -> LinkRecord | None:
    """The link to a box's telnet console, if the book has one."""
    return next((link for link in links if link.endpoint.startswith(f"telnet://{address}:")), None)
