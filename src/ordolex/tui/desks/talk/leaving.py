"""Talk: opening, changing and leaving the line."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question, Verdict
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.session.stands_at import call_is_up, still_open
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.desks.talk.calls import end_call
from ordolex.tui.readings import line_reading
from ordolex.tui.widgets.prompts import Pick


async def open_or_release(at: TalkAt) -> None:
    if at.session.is_open(at.link):
        await _leave(at)
    else:
        at.want_open(at.link)


async def _leave(at: TalkAt) -> None:
    """Releases the port; where the device's sheet says that something is still open there, asks first."""
    link = at.link
    sheet = at.session.devices.sheet_of(link)
    leave = sheet.leave if sheet is not None else None
    prompt = still_open(at.session, link)
    points = [point for of, point in at.session.open_points() if of.id == link.id]
    if points:
        choices = [("stay", "Stay: Set (F6) applies and stores"), ("release", "Release the port all the same")]
        title = "Not settled on the device"
        if await at.ask(Pick(title, choices, "\n".join(points))) != "release":
            return
    if call_is_up(at.session, link):
        await _leave_call(at)
        return
    if leave is not None and prompt:
        closing = named(to_bytes(leave.send))
        choices = [
            (
                "properly",
                f"Leave without saving: send {closing}, changes that are not stored are lost; release",
            ),
            ("release", "Just release the port, DTR goes off; the device stays where it is"),
            ("hand over", "Release the port and keep DTR on, for another program to go on"),
        ]
        choices.insert(0, ("stay", "Stay"))
        if leave.save:
            saving = named(to_bytes(leave.save))
            choices.insert(0, ("save", f"Store the changes first: send {saving}, and stay to see what it says"))
        if read_endpoint(link.endpoint).kind != "serial":
            del choices[-1]  # a port on the network drops its control lines by itself
        how = await at.ask(Pick(f"The device stands at {prompt}", choices))
        if how == "hand over":
            await hand_over(at)
            return
        if how == "save":
            await at.on_links(at.runner.out.send(to_bytes(leave.save)))
            at.say("sent what stores the changes; answer what it asks, then Ctrl+O again", "plain")
            return
        if how not in ("properly", "release"):
            return
        runner = at.session.runner(link)
        if how == "properly" and runner is not None:
            question = Question(to_bytes(leave.send), timeout_s=2.0, like=f"(?s).*{leave.done}.*")
            answer = await at.on_links(runner.ask(question))
            if answer.verdict is not Verdict.RIGHT:
                at.say("it did not say that it is closed; the port stays open. Ctrl+O asks again", "bad")
                return
    at.want_release(link)


async def _leave_call(at: TalkAt) -> None:
    """Hang up first, or leave the call running, as the technician says."""
    link = at.link
    choices = [
        ("properly", "Hang up, then release the port"),
        ("release", "Just release the port; DTR drops, and most modems hang up by that"),
        ("hand over", "Release the port and keep DTR on: the call stays up"),
        ("stay", "Stay"),
    ]
    if read_endpoint(link.endpoint).kind != "serial":
        del choices[2]
    how = await at.ask(Pick("A call is up", choices))
    runner = at.session.runner(link)
    if how == "properly" and runner is not None and not await end_call(at):
        return
    if how == "hand over":
        await hand_over(at)
    elif how in ("properly", "release"):
        at.session.talks.of(link).call.dropped()
        at.want_release(link)


async def hand_over(at: TalkAt) -> None:
    """The port is free for another program, and the device does not notice: DTR stays on."""
    link = at.link
    if read_endpoint(link.endpoint).kind != "serial":
        at.say("Only a port of this computer can keep DTR on; on the network the far end drops it", "unsure")
        return
    try:
        future = at.session.release(link, keep_dtr=True)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    if future is not None:
        await asyncio.wrap_future(future)
        at.say("the port is free, and DTR stays on: another program can go on with this line", "good")


async def settings(at: TalkAt) -> None:
    link = at.link
    if not read_endpoint(link.endpoint).has_line:
        at.say("Raw TCP has no line settings", "unsure")
        return
    title, hint = f"Line settings of {visible_text(link.name)}", "Enter sets the port at once, Esc leaves it as it is"
    typed = await at.line(title, link.line, line_reading, hint)
    if typed is None:
        return
    settings = read_line(typed).settings
    if not at.change_link(replace(link, line=settings.text, source="typed")):
        return
    runner = at.session.runner(link)
    if runner is None:
        at.say(f"{settings.text} is kept for when the port is opened")
        return
    try:
        await at.on_links(runner.retune(settings))
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.say(f"The port is now at {settings.text}; what was proven at the old settings is no proof any more")
