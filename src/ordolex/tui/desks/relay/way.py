"""Relay: the path to a device, step by step; an address beside the present one, and back."""

from __future__ import annotations

import asyncio

from ordolex.core.net.addresses import AddressError, read_address, read_mask, read_target
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault, NoRights
from ordolex.session.network import Told, told_by
from ordolex.tui.desks.relay.at import RelayAt, Shown
from ordolex.tui.widgets.prompts import Pick, Picture

_WAIT_S = 120.0


async def check(at: RelayAt) -> None:
    named = await _named_by_chosen(at)
    default = _default(at) or (named[-1].named.address if named else "")
    typed = await at.line(
        "Which device?", default, _target_reading, "its mask and a port where known: 192.168.1.20/24:4001"
    )
    if typed is None:
        return
    target = read_target(typed)
    choices = [("net", "By a network"), ("direct", "By one cable, nothing between")]
    direct = await at.ask(Pick("How is it joined to this computer?", choices))
    if direct is None:
        return
    at.looked.target = typed.strip()
    at.show(Shown.WAY)
    at.looked.doing = f"checking the path to {typed.strip()}"
    try:
        told = await asyncio.to_thread(_said_of, at, target.host)
        await asyncio.wrap_future(at.session.network.check(target, told, direct=direct == "direct"))
    finally:
        at.looked.doing = ""
    at.show(Shown.WAY)
    bad = [step for step in at.session.network.steps if step.ok is False]
    if bad:
        at.say(visible_text(f"{bad[0].step}: {bad[0].words}; {bad[0].do}"), "bad")
    else:
        at.say(f"nothing speaks against the path to {typed.strip()}", "good")


async def _named_by_chosen(at: RelayAt) -> list[Told]:
    if at.chosen is None:
        return []
    return await asyncio.to_thread(told_by, at.session.book.reader, at.chosen)


def _said_of(at: RelayAt, host: str) -> Told | None:
    """What a device named of this address, by whichever link: often that of its serial console."""
    told = [one for link in at.session.links for one in told_by(at.session.book.reader, link)]
    return next((one for one in reversed(told) if one.named.address == host), None)


def _default(at: RelayAt) -> str:
    if at.looked.shown is Shown.BOXES and at.box is not None:
        return at.box.address
    if at.relay is not None and at.relay.ends[1].kind in ("tcp", "rfc2217", "udp"):
        return at.relay.ends[1].address
    if at.chosen is not None and read_endpoint(at.chosen.endpoint).kind in ("tcp", "rfc2217", "telnet"):
        return read_endpoint(at.chosen.endpoint).address
    return at.looked.target


def _target_reading(text: str) -> str:
    """Raises AddressError."""
    target = read_target(text)
    return target.text if target.port else f"{target.text}; its page is looked at too"


async def wait(at: RelayAt) -> None:
    target = await at.line("Which device is waited for?", _default(at), _target_reading, "address, or address:port")
    if target is None:
        return
    device = read_target(target)
    at.show(Shown.WAY)
    began_s = mono_s()
    going = asyncio.wrap_future(at.session.network.first_reply(device.host, device.port, _WAIT_S))
    while not going.done():
        at.looked.doing = f"waiting for {target}: {mono_s() - began_s:.0f} s, at most {_WAIT_S:.0f} s; Esc stops"
        await asyncio.wait((going,), timeout=0.25)
    at.looked.doing = ""
    if going.cancelled():
        at.say("the wait was stopped", "unsure")
        return
    step = going.result()
    at.say(step.words, "good" if step.ok else "bad")


async def named(at: RelayAt) -> None:
    """What the chosen link's device said of addresses, in what was kept of it."""
    if at.chosen is None:
        at.say("No link is chosen: the serial console of the device, for one", "unsure")
        return
    link = at.chosen
    latest = [one.named for one in await _named_by_chosen(at)]
    if not latest:
        at.say(f"{visible_text(link.name)} named no address in what was kept of it; its boot text may", "unsure")
        return
    rows = [
        f"{one.jack or '-':10} {one.address:16} {one.mask or 'mask not named':18}"
        f" {'gateway ' + one.gateway if one.gateway else ''}{' asks for its address' if one.automatic else ''}"
        for one in latest
    ]
    rows += ["", "named in", *(f"  {visible_text(one.line)}" for one in latest)]
    await at.ask(
        Picture(f"Addresses that {visible_text(link.name)} named", rows, "the jack is as it calls it; Esc goes back")
    )


async def propose(at: RelayAt) -> None:
    device = await at.line(
        "Address of the device", _default(at).partition(":")[0].partition("/")[0], _address_reading, "as its label says"
    )
    mask = await at.line("Its mask", "255.255.255.0", _mask_reading, "or /24") if device is not None else None
    if device is None or mask is None:
        return
    own = await asyncio.wrap_future(at.session.network.look_at_own())
    names = sorted({one.interface for one in own if not one.address.is_loopback} or {one.interface for one in own})
    interface = (
        names[0] if len(names) == 1 else await at.ask(Pick("In which interface is the cable?", [(n, n) for n in names]))
    )
    if interface is None:
        return
    at.looked.doing = "asking for free addresses"
    try:
        going = at.session.network.propose(read_address(device), read_mask(mask), interface)
        proposal = await asyncio.wrap_future(going)
    finally:
        at.looked.doing = ""
    at.show(Shown.WAY)
    if proposal is None:
        at.say("every address that was asked for answers; ask who looks after this network for a free one", "bad")
        return
    change = proposal.change
    asked = "\n".join(
        f"{host}: {'somebody answers' if answered else 'nobody answers'}" for host, answered in proposal.asked
    )
    words = f"{asked}\n\nadd:        {change.do_text}\ntake back:  {change.undo_text}"
    choices = [
        ("make", "Add it now (takes the administrator's rights)"),
        ("hand", "I add it by hand: remind me to take it back"),
        ("no", "Go back"),
    ]
    answer = await at.ask(Pick(f"{change.address} beside the present address of {interface}", choices, words))
    if answer == "make":
        await _make(at)
    elif answer == "hand":
        at.session.network.added_by_hand(change)
        _to_restore(at, change.undo_text)
        at.say(f"run: {change.do_text}   u reminds of the way back", "good")


async def _make(at: RelayAt) -> None:
    proposal = at.session.network.proposal
    assert proposal is not None
    try:
        await asyncio.wrap_future(at.session.network.add(proposal.change))
    except (NoRights, Fault) as fault:
        at.say(str(fault), "bad")
        return
    _to_restore(at, proposal.change.undo_text)
    at.session.note(f"address added for the work: {proposal.change.do_text}")
    at.say(f"{proposal.change.address} is added; u takes it back", "good")


def _to_restore(at: RelayAt, undo: str) -> None:
    words = f"network address: {undo}"
    if words not in at.session.to_restore:
        at.session.to_restore.append(words)


async def undo(at: RelayAt) -> None:
    added = at.session.network.added
    if not added:
        at.say("no address was added that is still to be taken back", "unsure")
        return
    choices = [(str(number), f"{change.address} on {change.interface}") for number, change in enumerate(added)]
    chosen = await at.ask(Pick("Which address is taken back?", choices))
    if chosen is None:
        return
    change = added[int(chosen)]
    how = await at.ask(
        Pick(
            f"Take {change.address} back",
            [
                ("make", "Now (takes the administrator's rights)"),
                ("hand", "I did it by hand: it is done"),
                ("no", "Go back"),
            ],
            change.undo_text,
        )
    )
    if how == "make":
        try:
            await asyncio.wrap_future(at.session.network.take_back(change))
        except Fault as fault:
            at.say(str(fault), "bad")
            return
    elif how == "hand":
        at.session.network.taken_back_by_hand(change)
    else:
        return
    words = f"network address: {change.undo_text}"
    if words in at.session.to_restore:
        at.session.to_restore.remove(words)
    at.session.note(f"address taken back: {change.undo_text}")
    at.say(f"{change.address} is taken back" + (", by hand" if how == "hand" else ""), "good")


def _address_reading(text: str) -> str:
    return f"{read_address(text)}"


def _mask_reading(text: str) -> str:
    prefix = read_mask(text)
    if prefix > 30:
        raise AddressError(f"a /{prefix} has no room for a second host")
    return f"/{prefix}"
