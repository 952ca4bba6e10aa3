"""Relay: a new one, asked for in the trade's words; and changing or deleting one."""

from __future__ import annotations

import asyncio
import os
from dataclasses import replace

from ordolex.core.line.notation import read_line
from ordolex.core.port.endpoint import EndpointError, read_endpoint, virtual_name
from ordolex.core.relay.fit import Channel, Fit, fit
from ordolex.core.relay.plan import PlanError, RelayPlan, Starts, check, networks, with_starter
from ordolex.core.text.visible import visible_text
from ordolex.io.relay.box import look_at_channel
from ordolex.io.system.faults import Fault
from ordolex.io.transport.virtual_name import names_in_use
from ordolex.tui.desks.relay import doing
from ordolex.tui.desks.relay.at import RelayAt, Shown
from ordolex.tui.readings import endpoint_reading, line_reading
from ordolex.tui.widgets.prompts import Pick

_WHAT = [
    ("virtual", "A program that knows serial ports only  ↔  a device on the network, or on a port: a virtual port"),
    ("lend", "A serial port here  ↔  whoever opens it over the network, with its settings (RFC 2217)"),
    ("tcp", "A serial port here  ↔  plain TCP: who starts is asked"),
    ("passive", "Two adapters that listen to the two directions of a line; nothing is sent"),
    ("typed", "Two endpoints, typed"),
]
_AGREE_S = 5.0  # a busy server takes its time, and one that is only slow is not to be called one with plain bytes


async def new(at: RelayAt) -> None:
    what = await at.ask(Pick("What is to be joined?", _WHAT))
    plan = await _asked(at, what) if what is not None else None
    if plan is None:
        return
    try:
        plan = check(plan)
        if not await fits(at, plan):
            return
        at.session.relays.keep(plan)
    except (PlanError, EndpointError, Fault) as error:
        at.say(str(error), "bad")
        return
    at.show(Shown.RELAYS, plan.name)
    await doing.start(at, plan.name)


async def _asked(at: RelayAt, what: str) -> RelayPlan | None:
    match what:
        case "virtual":
            return await _virtual(at)
        case "lend":
            return await _lend(at)
        case "tcp":
            return await _tcp(at)
        case "passive":
            return await _passive(at)
        case _:
            return await _typed(at)


async def _virtual(at: RelayAt) -> RelayPlan | None:
    if os.name != "posix":
        at.say(
            "This system has no virtual ports that need no driver: let the program use tcp:// or rfc2217:// itself",
            "bad",
        )
        return None
    b = await _end(
        at, "Where is the device?", _default_far(at), "rfc2217://host:port, tcp://host:port or a serial port"
    )
    if b is None:
        return None
    name = await at.line(
        "Name of the virtual port",
        _free_name(at),
        name_reading,
        "a program opens it under this name; /dev/… takes rights",
    )
    line = await asked_line(at, b) if name is not None else None
    if name is None or line is None:
        return None
    link = at.session.links.at(b)
    sheet = link.sheet if link is not None else ""
    return RelayPlan(name.rpartition("/")[2], f"virtual:{name}", b, line=line, sheet=sheet)


async def _lend(at: RelayAt) -> RelayPlan | None:
    b = await _end(at, "Which port is shared?", _default_port(at), "a serial port of this computer, or any endpoint")
    a = await _listener(at, "listen+rfc2217") if b is not None else None
    who = await _company(at, a) if a is not None else None
    if a is None or b is None or who is None:
        return None
    several, allow = who
    line = await asked_line(at, b)
    if line is None:
        return None
    return RelayPlan(_name(at, f"shared {b}"), a, b, line=line, several=several, allow=allow)


async def _tcp(at: RelayAt) -> RelayPlan | None:
    b = await _end(at, "Which serial port?", _default_port(at), "a serial port of this computer, or any endpoint")
    if b is None:
        return None
    choices = [(starts.name, f"{starts.value} starts: {starts.follows}") for starts in Starts]
    chosen = await at.ask(Pick("Who opens the connection?", choices))
    if chosen is None:
        return None
    starts = Starts[chosen]
    other = "127.0.0.1:4001"
    if starts is not Starts.DEVICE:
        typed = await at.line("The other side, host:port", other, _other_reading, "what we call")
        if typed is None:
            return None
        other = typed
    if starts is Starts.PC:
        host, _, port = other.rpartition(":")
        a, dials = with_starter(starts, host, int(port))
    else:
        listening = await _listener(at, "listen+tcp")
        if listening is None:
            return None
        a, dials = listening, other if starts is Starts.EITHER else ""
    who = await _company(at, a, one=bool(dials))
    line = await asked_line(at, b) if who is not None else None
    if who is None or line is None:
        return None
    several, allow = who
    return RelayPlan(_name(at, f"{b} by TCP"), a, b, line=line, dials=dials, several=several, allow=allow)


async def _passive(at: RelayAt) -> RelayPlan | None:
    a = await _end(at, "Adapter that hears the PC", _default_port(at), "its RXD at the TXD of the PC; it sends nothing")
    b = (
        await _end(at, "Adapter that hears the device", "", "its RXD at the TXD of the device")
        if a is not None
        else None
    )
    line = await asked_line(at, b) if b is not None else None
    if a is None or b is None or line is None:
        return None
    return RelayPlan(_name(at, "listening"), a, b, line=line, passive=True)


async def _typed(at: RelayAt) -> RelayPlan | None:
    hint = "virtual:NAME, listen+tcp://:4001, listen+rfc2217://:4001, udp://host:port, tcp://, rfc2217://, a port"
    a = await _end(at, "The program's end", "virtual:", hint)
    b = await _end(at, "The device's end", _default_far(at), hint) if a is not None else None
    line = await asked_line(at, b) if b is not None else None
    if a is None or b is None or line is None:
        return None
    who = await _company(at, a)
    if who is None:
        return None
    several, allow = who
    return RelayPlan(_name(at, "relay"), a, b, line=line, several=several, allow=allow)


# ---- the questions


async def _end(at: RelayAt, title: str, default: str, hint: str) -> str | None:
    return await at.line(title, default, endpoint_reading, hint)


async def _listener(at: RelayAt, kind: str) -> str | None:
    """At which own address it listens; loopback unless another one is chosen."""
    own = [one for one in at.session.network.own if not one.address.is_loopback]
    choices = [("127.0.0.1", "only programs on this computer reach it")]
    choices += [(str(one.address.ip), f"whoever reaches {one.text}") for one in own]
    choices += [("0.0.0.0", "whoever reaches any address of this computer")] if own else []
    host = choices[0][0]
    if len(choices) > 1:
        picked = await at.ask(Pick("Who may reach it?", [(host, f"{host:16} {words}") for host, words in choices]))
        if picked is None:
            return None
        host = picked
    port = await at.line("TCP port to listen at", "4001", port_reading, "0 for any free one")
    return f"{kind}://{host}:{port}" if port is not None else None


async def _company(at: RelayAt, a: str, *, one: bool = False) -> tuple[bool, tuple[str, ...]] | None:
    """How many may be there, and from which networks. Asked where others can come; `one` where one peer is meant."""
    end = read_endpoint(a)
    several = False
    if end.kind in ("listen+tcp", "listen+rfc2217") and not one:
        choices = [
            ("one", "One: whoever comes while he is there is turned away"),
            ("several", "Several: one writes, the others hear; w says which one writes"),
        ]
        chosen = await at.ask(Pick("How many may be there at once?", choices))
        if chosen is None:
            return None
        several = chosen == "several"
    allow = await _allowed(at) if end.beyond_loopback else ()
    return None if allow is None else (several, allow)


async def _allowed(at: RelayAt) -> tuple[str, ...] | None:
    """Networks that may come."""
    typed = await at.line(
        "Who may come?", "", allow_reading, "addresses or networks with commas between; empty: anybody"
    )
    return None if typed is None else tuple(part.strip() for part in typed.split(",") if part.strip())


async def asked_line(at: RelayAt, b: str, title: str = "Line settings at the device") -> str | None:
    """Empty for an end that has none; None where it was not said."""
    end = read_endpoint(b)
    if not end.has_line:
        return ""
    link = at.session.links.at(b)
    port = at.session.ports.of(b)
    known = link.line if link is not None and link.line else port.sticker if port is not None else ""
    typed = await at.line(
        title, known if known and known != "any" else "9600 8N1", line_reading,
        "until the program sets others; of a virtual port the system does not show data bits and even parity",
    )  # fmt: skip
    return None if typed is None else read_line(typed).settings.text


def _default_far(at: RelayAt) -> str:
    return (
        at.chosen.endpoint if at.chosen is not None and not read_endpoint(at.chosen.endpoint).is_used else "rfc2217://"
    )


def _default_port(at: RelayAt) -> str:
    return at.chosen.endpoint if at.chosen is not None else ""


def _free_name(at: RelayAt) -> str:
    taken = set(names_in_use()) | {plan.ends[0].host for plan in at.session.relays}
    return next(name for number in range(1, 1000) if (name := f"port-{number}") not in taken)


def _name(at: RelayAt, wanted: str) -> str:
    name = "".join(c if c.isalnum() or c in " .,+()/-_" else " " for c in wanted).strip()[:50] or "relay"
    number, found = 2, name
    while found in at.session.relays:
        found, number = f"{name} {number}", number + 1
    return found


# ---- how what is typed is understood


def name_reading(text: str) -> str:
    name = virtual_name(text.strip())
    if name in names_in_use():
        raise ValueError(f"{name} is in use already")
    return f"the program opens {name}" if name.startswith("/") else "in a folder of ours that takes no rights"


def port_reading(text: str) -> str:
    if not text.isdecimal() or int(text) > 65_535:
        raise ValueError("a number from 0 to 65535")
    number = int(text)
    if 0 < number < 1024:
        return f"{number}: ports below 1024 take the administrator's rights"
    return "any free one" if number == 0 else f"port {number}"


def allow_reading(text: str) -> str:
    parts = tuple(part for part in text.split(",") if part.strip())
    networks(parts)
    return f"only {', '.join(part.strip() for part in parts)}" if parts else "anybody who reaches it"


def _other_reading(text: str) -> str:
    return f"calls {read_endpoint(f'tcp://{text}').address}"


# ---- before it is mapped


async def fits(at: RelayAt, plan: RelayPlan) -> bool:
    """Looks at the far end before anything is mapped to it, and says what would fail; whether to go on."""
    end = plan.ends[1]
    if end.kind not in ("rfc2217", "tcp") or not plan.ends[0].is_used:
        return True
    at.say(f"looking at {end.address} before it is mapped …")
    found: Channel = await at.on_links(
        look_at_channel(end.host, end.port, end.port % 100, offer=end.kind == "rfc2217", agree_s=_AGREE_S)
    )
    if end.kind == "tcp" and found.gives == "rfc2217":
        verdict = fit(found, "tcp")
    elif end.kind == "rfc2217":
        verdict = fit(found, "rfc2217")
    else:
        return True
    if verdict.good:
        return True
    choices = [("no", "Go back"), ("yes", "Map it all the same")]
    words = f"{visible_text(verdict.words)}\n\n{verdict.do}"
    return await at.ask(Pick(title_of(verdict), choices, words)) == "yes"


def title_of(verdict: Fit) -> str:
    return "This would not work" if verdict.good is False else "This may not work"


# ---- changing one


async def push(at: RelayAt) -> None:
    plan = at.plan
    changed = replace(plan, push=not plan.push)
    if plan.name in at.session.relays.running:
        at.say(f"{visible_text(plan.name)} runs: Enter stops it first", "unsure")
        return
    at.session.relays.keep(changed)
    words = "the far end gets what the program sets" if changed.push else "the far end keeps its own settings"
    at.say(f"{visible_text(plan.name)}: {words}", "good")


async def switch(at: RelayAt) -> None:
    """A live line is handed from one device to another; the program does not see it."""
    plan = at.plan
    b = await _end(
        at, "Where is the other device?", plan.b, "the program keeps its port; what it sends meanwhile waits"
    )
    if b is None or b == plan.b:
        return
    try:
        if not await fits(at, check(replace(plan, b=b))):
            return
        await asyncio.wrap_future(at.session.relays.switch(plan.name, b))
    except (PlanError, EndpointError, Fault) as error:
        at.say(str(error), "bad")
        return
    at.say(f"{visible_text(plan.name)} leads to {b} now; p proves it anew", "good")


async def drop(at: RelayAt) -> None:
    plan = at.plan
    choices = [("no", "Keep it"), ("yes", "Delete it")]
    if await at.ask(Pick(f"Delete {visible_text(plan.name)}?", choices, "What passed stays in the book.")) != "yes":
        return
    if plan.name in at.session.relays.running:
        await asyncio.wrap_future(at.session.relays.stop(plan.name))
    try:
        at.session.relays.drop(plan.name)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.show(Shown.RELAYS)
    at.say(f"{visible_text(plan.name)} is deleted", "good")
