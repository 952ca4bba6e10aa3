"""Relay: starting, stopping, proving, handing over."""

from __future__ import annotations

import asyncio

from ordolex.core.link.question import Question
from ordolex.core.relay.plan import offered_words
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.own import sheets
from ordolex.io.relay.running import KEPT_AS_IT_PASSES
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.relay import boxes, measuring
from ordolex.tui.desks.relay.at import RelayAt, Shown, a_relay
from ordolex.tui.readings import bytes_reading
from ordolex.tui.widgets.prompts import Pick


async def go(at: RelayAt) -> None:
    """What Enter does, by what is in front."""
    if at.looked.shown is Shown.BOXES and at.box is not None:
        await boxes.map_one(at)
    elif at.looked.shown is Shown.RUNS and at.run_chosen is not None:
        await measuring.show(at)
    elif why := a_relay(at):
        at.say(why, "unsure")
    elif at.plan.name in at.session.relays.running:
        await stop(at, at.plan.name)
    else:
        await start(at, at.plan.name)


async def start(at: RelayAt, name: str) -> bool:
    """Whether it runs then; what it offers beyond this computer is confirmed first."""
    plan = at.session.relays[name]
    for end in plan.ends:
        words = offered_words(end, plan.allow)
        if words:
            choices = [("yes", "Offer it"), ("no", "Go back")]
            if await at.ask(Pick("Others than this computer can come here", choices, words)) != "yes":
                return False
    try:
        await asyncio.wrap_future(at.session.relays.start(name))
    except Fault as fault:
        at.say(str(fault), "bad")
        return False
    at.session.links.choose(at.session.links.named(plan.ends[1].text, f"{name}, device's side", plan.line))
    at.say(f"{visible_text(name)} runs, and {KEPT_AS_IT_PASSES}. p proves it end to end", "good")
    return True


async def stop(at: RelayAt, name: str) -> None:
    view = at.session.relays.view(name)
    if view is not None and view.a.users:
        users = ", ".join(view.a.users)
        choices = [("yes", "Stop it"), ("no", "Go on")]
        if await at.ask(Pick(f"{visible_text(users)} uses it", choices, "It will see its port go away.")) != "yes":
            return
    await asyncio.wrap_future(at.session.relays.stop(name))
    at.say(f"{visible_text(name)} is stopped; its port is gone", "good")


async def prove(at: RelayAt) -> None:
    """The question of the device's sheet, or one that is typed."""
    name = at.plan.name
    question = await question_for(at)
    if question is None:
        return
    try:
        proof, words = await asyncio.wrap_future(at.session.relays.prove(name, question))
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.say(visible_text(words), "good" if proof is not None else "unsure")


async def question_for(at: RelayAt) -> Question | None:
    known = _of_sheet(at)
    choices = [(str(number), f"{question.text}   {question.expected or ''}") for number, question in enumerate(known)]
    if choices:
        chosen = await at.ask(Pick("Which question?", [*choices, ("type", "another one, typed")]))
        if chosen is None:
            return None
        if chosen != "type":
            return known[int(chosen)]
    link = at.session.links.at(at.plan.b)
    first = link.first_question if link is not None else ""
    typed = await at.line("What to ask through the port", first or "*IDN?\\n", bytes_reading, "with its line end")
    return Question(to_bytes(typed)) if typed is not None else None


def _of_sheet(at: RelayAt) -> list[Question]:
    """Questions whose right answer is known, of the sheet of the relay or of its device's link."""
    link = at.session.links.at(at.plan.b)
    name = at.plan.sheet or (link.sheet if link is not None else "")
    sheet = sheets.all_sheets()[0].get(name)
    return [entry.question() for entry in sheet.question if entry.harmless] if sheet is not None else []


async def hand_over(at: RelayAt) -> None:
    view = at.session.relays.view(at.plan.name)
    users = [user for users in view.users for user in users] if view is not None else []
    if len(users) < 2:
        at.say("There are no two peers: nothing to hand over", "unsure")
        return
    choices = [
        (user.name, f"{user.name}   {counted(user.sent, 'byte')} from it{'   writes now' if user.writes else ''}")
        for user in users
    ]
    chosen = await at.ask(Pick("Who is to write?", choices, "The others hear; their bytes are not passed on."))
    if chosen is not None:
        done = await asyncio.wrap_future(at.session.relays.hand_over(at.plan.name, chosen))
        at.say(f"{chosen} writes now" if done else f"{chosen} is gone", "good" if done else "unsure")


async def offer_again(at: RelayAt) -> None:
    view = at.session.relays.view(at.plan.name)
    if view is None or not view.stopped:
        at.say("The offer was not stopped; no shell without login was seen", "unsure")
        return
    choices = [("no", "Leave it closed"), ("yes", "Whoever reaches it may command that machine: offer it")]
    if await at.ask(Pick("A shell without login", choices, visible_text(view.stopped))) == "yes":
        await asyncio.wrap_future(at.session.relays.offer_again(at.plan.name))
        at.say("it is offered again", "unsure")
