"""How far a device is reached over the network, step by step from this computer outwards; each step stands for
itself."""

from __future__ import annotations

import asyncio
import platform
from collections.abc import AsyncIterator
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Interface

from ordolex.core.net.addresses import OwnAddress, direct_words, fits, free_neighbours, read_address, read_mask
from ordolex.core.net.own_change import AddressChange, beside
from ordolex.io.net.interfaces import neighbours, own_addresses
from ordolex.io.net.page import look_at_page
from ordolex.io.net.ping import ping, reach
from ordolex.io.system.clock import mono_s

_LOOKS = 4
_LISTENED_AT = (23, 80, 2323)


@dataclass(frozen=True, slots=True)
class Step:
    """`ok` is None where it says nothing for or against."""

    step: str
    ok: bool | None
    ms: float | None
    words: str
    do: str = ""


async def check(
    host: str, port: int | None = None, *, mask: str = "", gateway: str = "", automatic: bool = False,
    direct: bool = False, page: bool = False, own: list[OwnAddress] | None = None,
) -> AsyncIterator[Step]:  # fmt: skip
    """`host` is an address, or a name that the system knows. Raises AddressError for a mask or gateway that is none."""
    own = await asyncio.to_thread(own_addresses, loopback=True) if own is None else own
    prefix = read_mask(mask) if mask else None
    for step in _own_steps(own):
        yield step
    address = _address_of(host)
    if address is not None:
        for found in fits(own, address, prefix, automatic=automatic):
            yield Step("addresses", found.good, None, found.words, found.do)
        if gateway:
            yield _gateway_step(gateway, address, prefix, direct)
    if direct:
        for words in direct_words():
            yield Step("one cable", None, None, words)
    pinged = await ping(host)
    best = min((trip for trip in pinged.trips_ms if trip is not None), default=None)
    good = bool(pinged.answered) if pinged.trips_ms else None
    do = "" if good is not False else "a host may be set to answer no ping; the TCP port below tells more"
    yield Step("ping", good, best, f"{host}: {pinged.words}", do)
    if port is not None:
        reached = await reach(host, port)
        yield Step("TCP port", reached.state == "answered", reached.ms, reached.words)
    if address is not None and not address.is_loopback:
        yield await twice_there(host)
    if page:
        for url in (f"http://{host}/", f"https://{host}/"):
            began_s = mono_s()
            seen = await look_at_page(url)
            yield Step("page", bool(seen.status) or None, (mono_s() - began_s) * 1000, seen.words)


def _own_steps(own: list[OwnAddress]) -> list[Step]:
    there = [one for one in own if not one.address.is_loopback]
    if not there:
        return [
            Step("own address", False, None, "this computer has no address but loopback", "plug the network cable in")
        ]
    return [Step("own address", True, None, one.text) for one in there]


def _gateway_step(gateway: str, device: IPv4Address, prefix: int | None, direct: bool) -> Step:
    at = read_address(gateway)
    network = IPv4Interface(f"{device}/{prefix if prefix is not None else 24}").network
    if at == device:
        return Step(
            "gateway", False, None, f"the gateway {at} is the device itself", "leave it empty, or name the router"
        )
    if at not in network:
        return Step(
            "gateway", False, None, f"the gateway {at} is not in {network}", "it must be in the device's network"
        )
    if direct:
        return Step("gateway", None, None, f"the gateway {at} is of no use on one cable", direct_words()[0])
    return Step("gateway", True, None, f"the gateway {at} is in {network}")


async def twice_there(host: str) -> Step:
    """Whether two hosts answer to one address: the system's table is looked at again and again while it is asked."""
    seen = set()
    for _ in range(_LOOKS):
        await ping(host, count=1, timeout_s=0.5)
        hardware = (await asyncio.to_thread(neighbours)).get(host)
        if hardware:
            seen.add(hardware)
    if len(seen) > 1:
        words = f"{host} is two hosts: {', '.join(sorted(seen))} answer to it in turn"
        return Step("only one", False, None, words, "give one of them another address")
    if seen:
        return Step(
            "only one", None, None, f"{seen.pop()} answered to {host} in {_LOOKS} looks; another one was not seen"
        )
    return Step(
        "only one", None, None, f"no hardware address of {host} is known: it is not in this network, or is silent"
    )


def _address_of(host: str) -> IPv4Address | None:
    try:
        return IPv4Address(host)
    except ValueError:
        return None


async def until_first_reply(host: str, port: int | None, give_up_s: float) -> Step:
    """After a change of the path: how long until the host answers for the first time, by TCP where a port is given."""
    began_s = mono_s()
    tries = 0
    while mono_s() - began_s < give_up_s:
        tries += 1
        if port is not None:
            answered = (await reach(host, port, 1.0)).state in ("answered", "refused")
        else:
            answered = bool((await ping(host, count=1)).answered)
        if answered:
            took = mono_s() - began_s
            return Step("first reply", True, took * 1000, f"{host} answered after {took:.1f} s, at try {tries}")
        await asyncio.sleep(0.2)
    return Step("first reply", False, None, f"{host} did not answer in {give_up_s:g} s, {tries} tries")


@dataclass(frozen=True, slots=True)
class Proposal:
    """A free address beside the present one. `asked` are addresses that were asked for, with whether somebody
    answered."""

    change: AddressChange
    asked: tuple[tuple[str, bool], ...]


async def propose(
    device: IPv4Address, prefix: int, interface: str, own: list[OwnAddress] | None = None, system: str = ""
) -> Proposal | None:
    """An address of the device's network that nobody answers at, for an interface; None where all asked for answer."""
    own = await asyncio.to_thread(own_addresses, loopback=True) if own is None else own
    known = await asyncio.to_thread(neighbours)
    taken = {one.address.ip for one in own} | {IPv4Address(address) for address in known}
    asked = []
    for candidate in free_neighbours(device, prefix, taken):
        answered = await _answers(str(candidate))
        asked.append((str(candidate), answered))
        if not answered:
            change = beside(system or platform.system().lower(), interface, IPv4Interface(f"{candidate}/{prefix}"))
            return Proposal(change, tuple(asked))
    return None


async def _answers(host: str) -> bool:
    """Whether anybody is there: by ping, by TCP, and by what the system heard of it on the wire meanwhile. Of loopback
    addresses the system itself answers for all; one is taken where something listens."""
    if IPv4Address(host).is_loopback:
        return any([(await reach(host, port, 0.5)).state == "answered" for port in _LISTENED_AT])
    pinged, reached = await asyncio.gather(ping(host, count=2, timeout_s=0.5), reach(host, 80, 0.7))
    heard = host in await asyncio.to_thread(neighbours)
    return bool(pinged.answered) or reached.state in ("answered", "refused") or heard
