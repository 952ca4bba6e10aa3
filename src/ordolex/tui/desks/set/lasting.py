"""Set: making it last. Stored in the device, started anew, and read again after a power cycle."""

from __future__ import annotations

import asyncio

from ordolex.core.sheet.parameters import Action
from ordolex.core.text.visible import visible_text
from ordolex.io.device.base import Trouble
from ordolex.io.system.clock import mono_s
from ordolex.session.device import act
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.widgets.prompts import Pick


async def last(at: SetAt) -> None:
    table = at.table
    ways = [("store", table.sheet.store, "Store in the device"), ("reboot", table.sheet.reboot, "Start it anew")]
    choices = [(key, f"{words}: {action.means or 'as its sheet says'}") for key, action, words in ways if action]
    if not choices:
        at.say("Its sheet has neither a way to store nor one to start it anew: what is set holds at once", "plain")
        return
    if table.pending:
        at.say(f"First apply or take back what is wanted: {table.open_points[0]}", "unsure")
        return
    answer = await at.ask(Pick("Make it last", choices))
    action = {"store": table.sheet.store, "reboot": table.sheet.reboot}.get(answer or "")
    if action is not None and await _act(at, action):
        if answer == "store":
            table.stored()
            at.tell("stored in the device; after a power cycle v says whether it lasted", good=True)
            at.show_anew()
        else:
            await _wait_and_verify(at, action)


async def _act(at: SetAt, action: Action) -> bool:
    """Whether the device took it."""
    job = act(at.runner, at.table, at.device(), action)
    try:
        return await at.do(Sending(action.means or "at work"), job) is not None
    except Trouble as trouble:
        at.tell(visible_text(f"✗ {trouble.outcome.value}: {trouble.words}"), good=False)
        return False


async def _wait_and_verify(at: SetAt, action: Action) -> None:
    sending = Sending("it starts anew")

    async def wait() -> bool:
        left = action.boot_s
        while left > 0:
            sending.now = f"{left:.0f} s left by its sheet"
            await asyncio.sleep(min(0.5, left))
            left -= 0.5
        return True

    if await at.do(sending, wait()):
        await _verify(at)


async def verify(at: SetAt) -> None:
    choices = [("no", "No, or I do not know"), ("yes", "Yes, it was off and on again")]
    answer = await at.ask(Pick("Was the device without power since it was set?", choices))
    if answer == "yes":
        await _verify(at)
    elif answer == "no":
        at.say("Then a reading proves nothing: switch it off and on, then v. r only reads", "unsure")


async def _verify(at: SetAt) -> None:
    table = at.table
    if all(row.left is None for row in table.rows):
        at.say("Nothing was changed here yet, so there is nothing that could have been lost", "unsure")
        return
    readings = await at.read_all("reading what lasted")
    if readings is None:
        return
    lost = table.lasted(readings, mono_s())
    kept = sum(row.left is not None for row in table.rows) - len(lost)
    at.show_anew()
    words = f"did not last: {'; '.join(lost)}" if lost else f"as it was left, after the restart: {kept} of {kept}"
    at.tell(visible_text(words), good=not lost)
