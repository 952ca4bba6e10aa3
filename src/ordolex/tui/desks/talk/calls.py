"""Talk: calls of a modem. Its address book, dialling, back to commands, hanging up."""

from __future__ import annotations

from ordolex.core.protocols.at.call import State
from ordolex.core.protocols.at.calls import HungUp
from ordolex.core.protocols.at.results import AtReply
from ordolex.core.text.visible import visible_text
from ordolex.io.device.modem import dial as dial_number
from ordolex.io.device.modem import escape as escape_to_commands
from ordolex.io.device.modem import hang_up
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.view import LinkView
from ordolex.session.works import Sending
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.readings import place_reading
from ordolex.tui.widgets.prompts import Pick


async def dial(at: TalkAt) -> None:
    link = at.link
    if at.session.talks.of(link).call.up:
        at.say("A call is up already; hang it up first (Ctrl+B)", "unsure")
        return
    places = _places(at)
    last = _last_results(at)
    choices = [
        (
            name,
            f"{visible_text(name):24} {visible_text(number):18} {visible_text(last.get(number, 'never dialled'))}",
        )
        for name, number in places.items()
    ]
    chosen = await at.ask(Pick("Dial", [*choices, ("", "a new place …")]))
    if chosen is None:
        return
    if not chosen:
        typed = await at.line("Name and number", "", place_reading, "such as: Intake weir = 555 0141; it is kept")
        if typed is None:
            return
        chosen, _, number = (part.strip() for part in typed.partition("="))
        places[chosen] = number
        at.session.keep_event(link, "place", f"address book: {chosen}, {number}", {"name": chosen, "number": number})
    await _call(at, chosen, places[chosen])


async def _call(at: TalkAt, name: str, number: str) -> None:
    link, runner = at.link, at.runner
    sending = Sending(f"dialling {visible_text(name)}, {visible_text(number)}")
    try:
        reply: AtReply | None = await at.do(sending, dial_number(runner, number))
    except ValueError as error:
        at.say(str(error), "bad")
        return
    if reply is None:
        return
    words = reply.words or "no answer of the modem"
    at.session.keep_event(link, "dialled", f"dialled {name}, {number}: {words}", {"number": number, "result": words})
    at.tell(visible_text(f"{name}: {words}"), good=reply.good)


async def escape(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    if at.session.talks.of(link).call.state is not State.DATA:
        at.say("No call is in its data state; commands are taken already", "unsure")
        return
    reply: AtReply | None = await at.do(Sending("a second of silence, +++, silence"), escape_to_commands(runner))
    if reply is not None:
        words = (
            "commands again; the call is still up, ATO goes back to it" if reply.good else "it did not take the escape"
        )
        at.tell(words, good=reply.good)


async def end_call(at: TalkAt) -> bool:
    """Whether the call is known to be ended now."""
    link, runner = at.link, at.runner
    at.session.talks.drain(link)
    call = at.session.talks.of(link).call
    was_up, had_carrier = call.up, await _carrier(at)
    ended: HungUp | None = await at.do(Sending("hanging up"), hang_up(runner, in_data=call.state is State.DATA))
    if ended is None:
        return False
    at.session.talks.drain(link)
    if ended.reply is not None:
        words = f"hung up by ATH: {ended.reply.words}"
    elif was_up and not call.up:
        words = "DTR was dropped, and NO CARRIER came: the call ended"
    elif had_carrier and await _carrier(at) is False:
        words = "DTR was dropped, and DCD went off: the call ended"
    else:
        words = "DTR was dropped, and nothing shows that a call ended by it: by &D0 it stays up. Its lamps, or the far"
        at.tell(f"{words} end, tell", good=False)
        return False
    call.dropped()
    at.tell(words, good=True)
    return True


async def _seen(runner: LinkRunner) -> LinkView:
    return runner.view()


async def _carrier(at: TalkAt) -> bool | None:
    """DCD at this moment; None where the port does not tell it."""
    inputs = (await at.on_links(_seen(at.runner))).signals.inputs
    return None if inputs is None else "DCD" in inputs


def _places(at: TalkAt) -> dict[str, str]:
    """What comes with the sheet, and what was added in this book."""
    link = at.link
    sheet = at.session.devices.sheet_of(link)
    places = dict(sheet.dial) if sheet is not None else {}
    for event in at.session.book.reader.known.events_of("place"):
        places[str(event.detail["name"])] = str(event.detail["number"])
    return places


def _last_results(at: TalkAt) -> dict[str, str]:
    events = at.session.book.reader.known.events_of("dialled")
    return {str(event.detail["number"]): f"last {event.detail['result']}" for event in events}
