"""Find: which port it is, and why it is not as wanted. The readiness list, identifying by unplugging, asking all."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.bus.units import has_place, read_callees
from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.link.wait import proposed_wait_ms
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.port.remedies import SIGHTS, likely_sight, remedies
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.find.at import FindAt
from ordolex.tui.desks.find.port_words import remedy_lines
from ordolex.tui.readings import bytes_reading, callees_reading, line_reading, wait_reading
from ordolex.tui.widgets.prompts import Pick, Picture


async def ready(at: FindAt) -> None:
    """The readiness list of the sheet that fits the port, or of one that is picked."""
    from ordolex.core.sheet import to_restore
    from ordolex.core.visit.moved import ticked_words
    from ordolex.tui.desks.find.ready import ReadyList

    sheets, faults = all_sheets()
    if faults:
        at.say(faults[0], "bad")
    port = at.port
    kind = port.kind if port is not None else ""
    sheet = next((s for s in sheets.values() if s.bench_kind and s.bench_kind == kind), None)
    if sheet is None:
        choices = [(s.name, f"{s.name:22} {s.device}") for s in sheets.values()]
        name = await at.ask(Pick("Which device is it?", choices))
        if name is None:
            return
        sheet = sheets[name]
    link = at.session.links.at(port.endpoint) if port is not None else None
    if link is not None and not at.change_link(replace(link, sheet=sheet.name)):
        return
    ticked = await at.ask(ReadyList(sheet))
    if ticked:
        at.session.note(ticked_words(sheet.name, ticked))
        new = [what for what in to_restore(sheet, ticked) if what not in at.session.to_restore]
        at.session.to_restore += new
        at.say(f"{counted(len(ticked), 'step')} ticked, kept in the book", "good")


async def trouble(at: FindAt) -> None:
    """What the technician sees, then the causes for it, those that the survey speaks for first."""
    seen = at.session.ports.seen()
    likely = likely_sight(seen)
    choices = sorted(SIGHTS.items(), key=lambda sight: sight[0] != likely)
    sight = await at.ask(Pick("What do you see?", choices))
    if sight is not None:
        lines = remedy_lines(remedies(sight, seen), min(104, at.width - 12))
        await at.ask(Picture(SIGHTS[sight], lines, "the likeliest first · arrows scroll, Esc goes back"))


async def bring_up(at: FindAt) -> None:
    from ordolex.tui.desks.find.bring_up import bring_up

    await bring_up(at)


async def identify(at: FindAt) -> None:
    from ordolex.tui.desks.find.identify import Identify

    answer = await at.ask(Identify(at.session))
    if answer is None:
        return
    try:
        at.session.name_adapter(*answer)
    except Fault as fault:
        at.say(str(fault), "bad")
    else:
        at.say(f"it is called {answer[1]} from now on, whatever its number", "good")
        at.show()


async def ask_everywhere(at: FindAt) -> None:
    """Three lines to type, each with what was typed last: the question, the settings, the wait."""
    from ordolex.tui.desks.find.ask_everywhere import AskEverywhere

    if not any(port.may_be_opened for port in at.session.ports.places):
        at.say("No port is free to ask on", "unsure")
        return
    _propose(at)
    measured = at.session.book.reader.known.answer_ms()
    if not at.asked.lines[2]:
        at.asked.lines = (*at.asked.lines[:2], str(proposed_wait_ms(measured)))
    slowest = f"; the slowest of {counted(len(measured), 'answer')} took {max(measured):.0f}" if measured else ""
    prompts = (
        (
            "One harmless question on all free ports",
            bytes_reading,
            "its line end is part of it: *IDN?\\n; {unit} stands for a unit's letter or number",
        ),
        ("Line settings for all of them", line_reading, "as on the sticker: 9600 8N1"),
        ("How long to wait on each, in ms", wait_reading, f"from 100; all ports are asked at once{slowest}"),
    )
    lines: list[str] = []
    for number, (title, reading, hint) in enumerate(prompts):
        typed = await at.line(title, at.asked.lines[number], reading, hint)
        if typed is None:
            return
        lines.append(typed)
    at.asked.lines = tuple(lines)
    units: list[str] = []
    if has_place(to_bytes(lines[0])):
        typed = await at.line("Which units?", "A-F", callees_reading, "each is asked on each port, such as A-F or 1-32")
        if typed is None:
            return
        units = read_callees(typed)
    question = Question(to_bytes(lines[0]), timeout_s=int(lines[2]) / 1000)
    settings = read_line(lines[1]).settings
    endpoint = await at.ask(AskEverywhere(at.session, at.session.ports.places, settings, question, units))
    if endpoint:
        line = settings.text if read_endpoint(endpoint).has_line else ""
        at.want_open(at.session.links.keep(endpoint, line, "answered when all were asked"))


def _propose(at: FindAt) -> None:
    """The first harmless question of the sheet that fits the port, with its settings."""
    kind = at.port.kind if at.port is not None else ""
    fits = (sheet for sheet in all_sheets()[0].values() if sheet.harmless and sheet.bench_kind == kind != "")
    sheet = next(fits, None)
    if sheet is not None:
        at.asked.lines = (sheet.harmless[0].send, sheet.line.settings, at.asked.lines[2])
