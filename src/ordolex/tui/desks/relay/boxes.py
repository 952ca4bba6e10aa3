"""Relay: serial servers on a network. Found, looked at, set up by their console, mapped channel by channel."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace

from ordolex.core.net.addresses import read_address, read_network
from ordolex.core.port.endpoint import EndpointError
from ordolex.core.relay.fit import Channel, endpoint_for, fit
from ordolex.core.relay.plan import PlanError, RelayPlan, check
from ordolex.core.text.visible import visible_text
from ordolex.io.net.survey import Host, known_ports, what_it_sends
from ordolex.io.own import sheets
from ordolex.io.system.faults import Fault
from ordolex.session.network import console_of
from ordolex.tui.desks.relay import doing
from ordolex.tui.desks.relay.at import RelayAt, Shown
from ordolex.tui.desks.relay.making import asked_line, name_reading, title_of
from ordolex.tui.widgets.prompts import Pick, Picture

_GIVES = {"rfc2217": "RFC 2217", "tcp": "no RFC 2217", "nothing": "closed"}
"""What a channel shows from outside, where its mode is not known."""


async def search(at: RelayAt) -> None:
    """Empty shows all of them again."""
    at.show(Shown.BOXES)
    hint = "in address, name, hardware address, services; nothing shows all of them"
    typed = await at.line("Only boxes with", at.looked.sought, _search_reading(at), hint)
    if typed is not None:
        at.looked.sought = typed.strip()
        at.show(Shown.BOXES)


def _search_reading(at: RelayAt) -> Callable[[str], str]:
    def reading(text: str) -> str:
        hosts = at.session.network.listed
        return f"{sum(host.holds(text.strip()) for host in hosts)} of {len(hosts)} boxes"

    return reading


async def survey(at: RelayAt) -> None:
    network = await _network(at)
    if network is None:
        return
    choices = [
        ("offer", "Survey it"),
        ("listen", "Survey it, and only listen to what is open"),
        ("no", "Go back"),
    ]
    how = await at.ask(Pick(f"Survey {network}", choices, f"It {what_it_sends(offer=True)}."))
    if how in (None, "no"):
        return
    at.looked.network = network
    at.show(Shown.BOXES)
    going = at.session.network.survey(read_network(network, wide=True), offer=how == "offer")
    try:
        hosts = await asyncio.wrap_future(going)
    except asyncio.CancelledError:
        at.say(f"the survey was stopped; {len(at.session.network.hosts)} hosts so far", "unsure")
        return
    except OSError as error:
        at.say(f"the survey failed: {error.strerror}; check the network cable", "bad")
        return
    at.show(Shown.BOXES)
    if hosts:
        count = "1 host listens" if len(hosts) == 1 else f"{len(hosts)} hosts listen"
        at.say(f"{count} at ports of the list. Enter maps a channel, o opens a box's console", "good")
    else:
        at.say(f"nobody listens in {network} at a port of the list", "unsure")


async def _network(at: RelayAt) -> str | None:
    own = await asyncio.wrap_future(at.session.network.look_at_own())
    choices = [
        (str(one.address.network), f"{one.address.network!s:20} {one.interface}")
        for one in own
        if not one.address.is_loopback
    ]
    chosen: str | None = "type"
    if choices:
        picked = Pick("Which network?", [*choices, ("type", "another one, typed")], "This computer's own networks:")
        chosen = await at.ask(picked)
    if chosen == "type":
        default = at.looked.network or (choices[0][0] if choices else "127.20.0.0/24")
        return await at.line("Network", default, network_reading, "address/mask; a wide one is asked for again")
    if chosen is not None and read_network(chosen, wide=True).prefixlen < 22:
        size = read_network(chosen, wide=True).num_addresses
        sure = Pick(f"{chosen} has {size} addresses", [("no", "Go back"), ("yes", "Sweep all of them")])
        return chosen if await at.ask(sure) == "yes" else None
    return chosen


def network_reading(text: str) -> str:
    """Raises AddressError."""
    network = read_network(text)
    return f"{network}: {max(1, network.num_addresses - 2)} addresses"


def stop(at: RelayAt) -> None:
    if at.session.network.stop_survey():
        at.say("it is stopped")


# ---- a box's channels


def channel_ports(host: Host) -> list[int]:
    kinds = {port.number: port.kind for port in known_ports()}
    return [service.port for service in host.services if kinds.get(service.port, "channel") == "channel"]


async def _channels(at: RelayAt, host: Host) -> list[Channel]:
    """The channels of a box; where there are none, why is said. It takes a while, and a key that is pressed again
    meanwhile begins nothing: what was found would be asked about twice."""
    looking = f"looking at the channels of {host.address}"
    if at.looked.doing == looking:
        at.say(f"{looking} already", "unsure")
        return []
    at.looked.doing = looking
    try:
        channels = await _read_channels(at, host)
    except Fault as fault:
        at.say(str(fault), "bad")
        return []
    finally:
        at.looked.doing = ""
    if not channels:
        at.say(f"{host.address} shows no serial channels; o opens its console", "unsure")
    return channels


async def _read_channels(at: RelayAt, host: Host) -> list[Channel]:
    """By its console, where that is open and its sheet says how; else looked at from outside."""
    told = _asked_console(at, host)
    if told is not None:
        return await asyncio.wrap_future(told)
    at.say(f"looking at the channels of {host.address} from outside; its console would tell more (o) …")
    ports = channel_ports(host)
    seen = await asyncio.wrap_future(at.session.network.look_at_channels(host.address, ports, offer=True))
    told = _asked_console(at, host)  # it may have come back meanwhile, as after a restart of the box
    return await asyncio.wrap_future(told) if told is not None else seen


def _asked_console(at: RelayAt, host: Host) -> Future[list[Channel]] | None:
    """None where its console is not open, or no sheet says how it is asked."""
    link = console_of(list(at.session.links), host.address)
    runner = at.session.runner(link) if link is not None else None
    sheet = at.session.devices.sheet_of(link) if link is not None else None
    if runner is not None and runner.is_open and sheet is not None and sheet.channels is not None:
        return at.session.network.read_channels(host.address, runner, sheet)
    return None


async def map_one(at: RelayAt) -> None:
    """A channel, its mode checked before it is mapped."""
    assert at.box is not None
    channels = await _channels(at, at.box)
    if not channels:
        return
    rows = []
    for number, channel in enumerate(channels):
        verdict = fit(channel, "rfc2217")
        glyph = "✓" if verdict.good else "✗"
        mode = channel.mode or _GIVES.get(channel.gives, "not known")
        words = f"{glyph} channel {channel.number:>2}  port {channel.port}  {mode:14} {channel.line:12}"
        rows.append((str(number), words))
    chosen = await at.ask(Pick(f"Channels of {at.box.address}: which one for a virtual port?", rows))
    if chosen is None:
        return
    channel = channels[int(chosen)]
    plan = await _mapped(at, at.box, channel)
    plan = await _with_line(at, plan) if plan is not None else None
    if plan is None:
        return
    name = await at.line("Name of the virtual port", plan.name, name_reading, "a program opens it under this name")
    if name is None:
        return
    try:
        plan = at.session.relays.keep(check(replace(plan, name=name.rpartition("/")[2], a=f"virtual:{name}")))
    except (PlanError, EndpointError, Fault) as error:
        at.say(str(error), "bad")
        return
    at.show(Shown.RELAYS, plan.name)
    await doing.start(at, plan.name)


async def _mapped(at: RelayAt, host: Host, channel: Channel) -> RelayPlan | None:
    """The plan for a channel, or None where it is not to be mapped: what would fail is said first."""
    verdict = fit(channel, "rfc2217")
    endpoint = f"rfc2217://{host.address}:{channel.port}"
    if not verdict.good:
        reached = endpoint_for(host.address, channel)
        choices = [("no", "Go back, and put the channel right first")]
        if reached.startswith("tcp://") and not channel.holder:
            choices.append(("plain", f"Map it as plain bytes, {reached}: the box keeps its own settings"))
        words = f"{visible_text(verdict.words)}\n\n{verdict.do}"
        if await at.ask(Pick(title_of(verdict), choices, words)) != "plain":
            at.say(f"nothing was mapped: {verdict.words}; {verdict.do}", "unsure")
            return None
        endpoint = reached
    return _plan(host, channel, endpoint)


def _plan(host: Host, channel: Channel, endpoint: str) -> RelayPlan:
    stem = "-".join("".join(c if c.isalnum() else " " for c in (host.name or "box").lower()).split())[:20] or "box"
    name = f"{stem}-{channel.number}"
    return RelayPlan(name, f"virtual:{name}", endpoint, line=channel.line or "")


async def _with_line(at: RelayAt, plan: RelayPlan) -> RelayPlan | None:
    """With the line settings that were said, where the box did not tell its own."""
    line = plan.line or await asked_line(at, plan.ends[1].text, f"Line settings of {plan.ends[1].text}, not known here")
    return None if line is None else replace(plan, line=line)


async def map_all(at: RelayAt) -> None:
    """A table of virtual ports in one step: every channel that fits; what does not is said, and left out."""
    assert at.box is not None
    channels = await _channels(at, at.box)
    if not channels:
        return
    plans, rows = [], []
    for channel in channels:
        verdict = fit(channel, "rfc2217")
        endpoint = f"rfc2217://{at.box.address}:{channel.port}"
        plain = "" if verdict.good else endpoint_for(at.box.address, channel)
        if not verdict.good and plain.startswith("tcp://") and not channel.holder:
            how = "plain bytes" if channel.mode else "no RFC 2217 was agreed to, so as plain bytes"
            rows.append(f"◦ channel {channel.number}: {how}, the box keeps {channel.line or 'its own settings'}")
            plans.append(_plan(at.box, channel, plain))
        elif verdict.good:
            rows.append(f"✓ channel {channel.number}: virtual:{_plan(at.box, channel, endpoint).name}")
            plans.append(_plan(at.box, channel, endpoint))
        else:
            rows.append(f"✗ channel {channel.number}: {visible_text(verdict.words)}")
    choices = [("all", f"Make these {len(plans)} virtual ports, and start them"), ("no", "Go back")]
    if not plans:
        choices = choices[1:]
    if await at.ask(Pick(f"Virtual ports of {at.box.address}", choices, "\n".join(rows))) != "all":
        return
    made, first = 0, ""
    for plan in plans:
        whole = await _with_line(at, plan)
        if whole is None:
            break
        try:
            kept = at.session.relays.keep(check(whole))
        except (PlanError, EndpointError, Fault) as error:
            at.say(str(error), "bad")
            continue
        if kept.name not in at.session.relays.running:
            made, first = made + await doing.start(at, kept.name), first or kept.name
    at.show(Shown.RELAYS, first)
    at.say(
        f"{made} of {len(plans)} virtual ports run; the chain below is of the one under the cursor",
        "good" if made else "unsure",
    )


# ---- its console, and after a change


async def console(at: RelayAt) -> None:
    """Opens it by telnet with the sheet of such boxes; its procedures are in Set."""
    assert at.box is not None
    port = next((s.port for s in at.box.services if s.proven == "text console"), None)
    if port is None:
        at.say(f"{at.box.address} shows no text console; use its serial one, from Find", "unsure")
        return
    endpoint = f"telnet://{at.box.address}:{port}"
    usable = [sheet for sheet in sheets.all_sheets()[0].values() if sheet.channels is not None]
    known = console_of(list(at.session.links), at.box.address)
    name = known.sheet if known is not None and known.sheet else usable[0].name if len(usable) == 1 else ""
    if not name:
        choices = [(sheet.name, f"{sheet.name:20} {sheet.device}") for sheet in usable]
        picked = await at.ask(Pick("Which sheet is this box's?", [*choices, ("none", "none of them")]))
        name = picked if picked is not None and picked != "none" else ""
    link = at.session.links.named(endpoint, f"{at.box.name or at.box.address} console", "")
    sheet = sheets.all_sheets()[0].get(name)
    if sheet is not None:
        link = at.session.links.change(replace(link, sheet=sheet.name, line_end=sheet.line_end))
    at.want_open(link)
    at.say("its console opens. F6 Set: p leads through unlocking, address, mode and line settings", "good")


async def found_again(at: RelayAt) -> None:
    assert at.box is not None
    port = next((s.port for s in at.box.services if s.proven), at.box.services[0].port if at.box.services else 0)
    if not port:
        at.say(f"nothing is known to listen at {at.box.address}; survey it first", "unsure")
        return
    new = await at.line(
        "Its new address", at.box.address, address_reading, "the old one must be silent, this one answer"
    )
    if new is None:
        return
    at.looked.doing = f"calling {at.box.address} and {new}"
    found = await asyncio.wrap_future(at.session.network.look_again(at.box.address, new.strip(), port))
    at.looked.doing = ""
    if found.good:
        host = replace(at.box, address=new.strip())
        hosts = {k: v for k, v in at.session.network.hosts.items() if k != at.box.address}
        at.session.network.hosts = hosts | {host.address: host}
        at.show(Shown.BOXES)
    at.session.note(f"found again: {found.words}")
    if found.good:
        at.say(found.words, "good")
        return
    await at.ask(Picture("Not found again", [found.words, "", found.do], "Esc goes back"))


def address_reading(text: str) -> str:
    """Raises AddressError."""
    return f"asks at {read_address(text)}"
