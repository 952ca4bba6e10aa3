"""`survey` and `net`: who listens on a network, and how far a device is reached."""

from __future__ import annotations

import asyncio
import sys
from dataclasses import asdict
from ipaddress import IPv4Network
from typing import Annotated, Any

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, print_document, refuse
from ordolex.core.net.addresses import AddressError, read_address, read_mask, read_network, usable_hosts
from ordolex.core.text.visible import visible_text
from ordolex.io.net import undo
from ordolex.io.net.announced import Announcements
from ordolex.io.net.check import Step, check, propose, until_first_reply
from ordolex.io.net.interfaces import own_addresses
from ordolex.io.net.survey import Host, Progress, survey, what_it_sends

_GLYPH = {True: "✓", False: "✗", None: "·"}


def add_to(app: typer.Typer) -> None:
    app.command(name="survey")(survey_network)
    net = typer.Typer(help="How far a device is reached over the network.", no_args_is_help=True)
    net.command(name="check")(check_device)
    net.command(name="wait")(wait_for)
    net.command(name="propose")(propose_address)
    net.command(name="undo")(undo_addresses)
    net.command(name="own")(own)
    app.add_typer(net, name="net")


def survey_network(
    network: Annotated[str, typer.Argument(help="A network such as 192.168.1.0/24, or the name of an interface.")],
    offer: Annotated[bool, typer.Option(help="Offer RFC 2217 to open ports; else only listen.")] = True,
    wide: Annotated[bool, typer.Option("--wide", help="Also a network wider than a /22.")] = False,
    announced: Annotated[bool, typer.Option(help="Listen to multicast DNS as well.")] = True,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """List device servers on a network: what listens, and what is proven about it."""
    where, interface = _network(network, wide, json)
    if not json:
        typer.echo(f"{where}: {what_it_sends(offer=offer)}", err=True)
    with faults_said(json):
        hosts = asyncio.run(_survey(where, interface, offer, announced, json))
    if json:
        print_document("survey", [_host(host) for host in hosts])
    elif not hosts:
        typer.echo(f"nobody listens in {where} at a port of the list")
    if not hosts:
        raise typer.Exit(FAILED)


def _network(text: str, wide: bool, json: bool) -> tuple[IPv4Network, list[str]]:
    """The network to sweep, and our own addresses in it."""
    own = own_addresses(loopback=True)
    of_interface = [one for one in own if one.interface == text]
    try:
        network = of_interface[0].address.network if of_interface else read_network(text, wide=True)
        if of_interface or not wide:
            read_network(str(network), wide=wide)
    except AddressError as error:
        names = ", ".join(sorted({one.interface for one in own}))
        more = "--wide sweeps it all the same" if "/" in text or of_interface else f"or an interface: {names}"
        refuse(f"{error}; {more}", USAGE, json=json)
    near = [str(one.address.ip) for one in own if one.address.network.overlaps(network)]
    return network, near


async def _survey(network: IPv4Network, near: list[str], offer: bool, announced: bool, json: bool) -> list[Host]:
    progress = Progress(len(usable_hosts(network)))
    said: dict[str, Host] = {}

    def found(host: Host) -> None:
        if not json and said.get(host.address) != host:
            for row in _host_rows(host):
                typer.echo(visible_text(row))
        said[host.address] = host

    if not (announced and near):
        return await survey(network, found, progress, offer=offer)
    with Announcements(near) as told:
        return await survey(network, found, progress, offer=offer, announced=lambda: told.heard)


def _host(host: Host) -> dict[str, Any]:
    raw = asdict(host)
    raw["announced"] = [{"type": kind, "name": name, "port": port} for kind, name, port in host.announced]
    return {**raw, "services": [asdict(service) for service in host.services], "proven": host.proven}


def _host_rows(host: Host) -> list[str]:
    rows = [f"{host.address:16} {host.name or '-':24} {host.hardware or '-':18} {host.proven}"]
    rows += [f"    {service.words}" for service in host.services]
    rows += [f"    announces {kind} {name!r} at port {port}" for kind, name, port in host.announced]
    return rows


def check_device(
    target: Annotated[str, typer.Argument(help="host, or host:port.")],
    mask: Annotated[str, typer.Option(help="The device's mask, if it is known.")] = "",
    gateway: Annotated[str, typer.Option(help="The device's gateway, if it has one.")] = "",
    automatic: Annotated[bool, typer.Option("--automatic", help="It asks for its address.")] = False,
    direct: Annotated[bool, typer.Option("--direct", help="One cable joins PC and device.")] = False,
    page: Annotated[bool, typer.Option("--page", help="Look at its page too.")] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """How far a device is reached: own address, network, ping, TCP port, page."""
    host, port = _target(target, json)

    async def run() -> list[Step]:
        steps = []
        async for step in check(host, port, mask=mask, gateway=gateway, automatic=automatic, direct=direct, page=page):
            if not json:
                typer.echo(visible_text(_step_text(step)))
            steps.append(step)
        return steps

    with faults_said(json):
        try:
            steps = asyncio.run(run())
        except AddressError as error:
            refuse(str(error), USAGE, json=json)
    if json:
        print_document("net check", [asdict(step) for step in steps])
    last = next((step for step in reversed(steps) if step.step in ("TCP port", "ping") and step.ok is not None), None)
    if last is None or not last.ok:
        raise typer.Exit(FAILED)


def _step_text(step: Step) -> str:
    return f"{_GLYPH[step.ok]} {step.step:12} {step.words}" + (f"; {step.do}" if step.do else "")


def _target(text: str, json: bool) -> tuple[str, int | None]:
    host, colon, port = text.rpartition(":")
    if not colon:
        host, port = text, ""
    try:
        if host and host.replace(".", "").isdecimal():
            read_address(host)
    except AddressError as error:
        refuse(str(error), USAGE, json=json)
    if not host or (colon and not (port.isdecimal() and 0 < int(port) < 65_536)):
        refuse(f"{text!r} is no host or host:port, such as 192.168.1.20:4001", USAGE, json=json)
    return host, int(port) if port else None


def wait_for(
    target: Annotated[str, typer.Argument(help="host, or host:port.")],
    give_up: Annotated[float, typer.Option(help="Seconds to wait at most.")] = 60.0,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """How long until a device answers for the first time, after a change of the path."""
    host, port = _target(target, json)
    step = asyncio.run(until_first_reply(host, port, give_up))
    if json:
        print_document("net wait", asdict(step))
    if not step.ok:
        refuse(step.words)
    if not json:
        typer.echo(visible_text(step.words))


def propose_address(
    device: Annotated[str, typer.Argument(help="The device's address.")],
    interface: Annotated[str, typer.Argument(help="The interface that its cable is in.")],
    mask: Annotated[str, typer.Option(help="The device's mask.")] = "255.255.255.0",
    make: Annotated[bool, typer.Option("--make", help="Add it now; takes the administrator's rights.")] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """A free address in the device's network, to be added beside the present one; and how to take it away again."""
    try:
        address, prefix = read_address(device), read_mask(mask)
    except AddressError as error:
        refuse(str(error), USAGE, json=json)
    if prefix > 30:
        refuse(f"a /{prefix} has no room for a second host; give the device's mask", USAGE, json=json)
    with faults_said(json):
        proposal = asyncio.run(propose(address, prefix, interface))
        if proposal is None:
            refuse(f"every address asked for in the network of {device} answers; ask for a free one", json=json)
        change = proposal.change
        if make:
            asyncio.run(undo.make(change))
    if json:
        asked = [host for host, _ in proposal.asked]
        print_document(
            "net propose",
            {"interface": change.interface, "address": change.address, "do": change.do_text, "undo": change.undo_text,
             "asked": asked, "made": make},
        )  # fmt: skip
        return
    for host, answered in proposal.asked:
        typer.echo(f"{host}: {'somebody answers, so it is taken' if answered else 'nobody answers'}")
    typer.echo(f"add it:       {change.do_text}{'   (done)' if make else ''}")
    typer.echo(f"take it back: {change.undo_text}")


def undo_addresses(
    take_back: Annotated[bool, typer.Option("--take-back", help="Take them away now.")] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Addresses that were added for the work and are still there."""
    changes = undo.pending()
    with faults_said(json):
        for change in changes if take_back else ():
            asyncio.run(undo.take_back(change))
    rows = [
        {"interface": c.interface, "address": c.address, "undo": c.undo_text, "taken_back": take_back} for c in changes
    ]
    if json:
        print_document("net undo", rows)
        return
    for change in changes:
        typer.echo(f"{change.address} on {change.interface}: {'taken back' if take_back else change.undo_text}")
    if not changes:
        typer.echo("no address was added that is still to be taken back")


def own(json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """This computer's own addresses."""
    rows = [one.text for one in own_addresses(loopback=True)]
    if json:
        print_document("net own", rows)
    else:
        sys.stdout.write("".join(f"{row}\n" for row in rows))
