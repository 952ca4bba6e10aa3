"""Set: which device it is. Its sheet, its unit ID, the units that answer, and what it says that it is."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.sheet import Sheet
from ordolex.core.sheet.ranking import fits, ranked
from ordolex.core.text.visible import visible_text
from ordolex.io.device.identity import identify
from ordolex.io.own.sheets import all_sheets
from ordolex.session.works import Sending
from ordolex.tui.desks.roll_call import Taken, by_protocol, by_question
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.widgets.prompts import Pick


async def device(at: SetAt) -> None:
    link = at.link
    sheets = all_sheets()[0]
    usable = list(sheets.values())  # one of questions or lists alone serves Talk and Watch
    usable.sort(key=lambda s: s.name != link.sheet)
    choices = [(s.name, f"{s.name:24} {visible_text(s.device)}") for s in usable]
    chosen = await at.ask(Pick("Which device is it?", choices))
    if chosen is None:
        return
    sheet = sheets[chosen]
    unit = link.unit
    if not await _other_framing(at, sheet):
        return
    if sheet.family.addressed:
        start = str(unit if unit >= 0 else sheet.bus.unit)
        hint = "0 would be all at once and is not read back; n asks which answer"
        typed = await at.line("Unit ID", start, _unit_reading, hint)
        if typed is None:
            return
        unit = int(typed)
    identity = link.identity if chosen == link.sheet and unit == link.unit else ""
    if not at.change_link(replace(link, sheet=chosen, unit=unit, identity=identity, line_end=sheet.line_end)):
        return
    at.show_anew()
    if sheet.bus.common:
        at.say(f"All of these ship as unit {sheet.bus.unit}: power one at a time, or two answer at once", "unsure")
    else:
        what = "r reads its settings" if sheet.parameter else "it has no settings; Talk (F5) has its questions"
        at.say(what)


async def _other_framing(at: SetAt, sheet: Sheet) -> bool:
    """One line carries one framing: where another was in use on this link, it is asked first."""
    link = at.link
    before = at.session.devices.sheet_of(link)
    if before is None or before.speaks == sheet.speaks or not before.family.addressed:
        return True
    choices = [
        ("no", f"Keep {before.name}: this link has spoken {before.family.words} so far"),
        ("yes", f"{sheet.name}: from now on {sheet.family.words} is spoken on this link"),
    ]
    title = f"{sheet.name} speaks another way than the others on this line"
    return await at.ask(Pick(title, choices)) == "yes"


async def units(at: SetAt) -> None:
    """Who answers on this line, against who should; takes one of them."""
    sheet = at.session.devices.sheet_of(at.link)
    addressed = sheet is None or bool(sheet.family.framing)
    framing = (sheet.family.framing if sheet is not None else "") or "rtu"
    if addressed:
        taken = await by_protocol(at, at.link, at.runner, framing)
    else:
        taken = await by_question(at, at.link, at.runner)
    if taken is not None:
        await take_unit(at, taken)


async def take_unit(at: SetAt, taken: Taken) -> None:
    """The unit that was chosen, with the sheet that it had before, or the one that its words fit best."""
    if not taken.unit.isdecimal():
        at.say(f"unit {visible_text(taken.unit)}: the sheets of these devices have no unit IDs", "plain")
        return
    called = next((one for one in taken.right if one.unit == taken.unit), None)
    identity = called.identity if called is not None else ""
    link = at.link
    sheet = _sheet_before(at, int(taken.unit)) or link.sheet
    if not at.change_link(replace(link, unit=int(taken.unit), sheet=sheet, identity=identity)):
        return
    at.show_anew()
    known = at.session.devices.sheet_of(at.link)
    if identity and (known is None or not fits(known, identity)):
        await _propose(at, identity)
        return
    if known is not None and identity:
        at.tell(f"unit {taken.unit} is {visible_text(identity)}; r reads its settings", good=True)
    elif known is not None:
        await _identify(at)
    else:
        at.say("d chooses its sheet", "plain")


def _sheet_before(at: SetAt, unit: int) -> str:
    """The sheet that this unit of the link was last worked on with."""
    events = at.session.book.reader.known.events_of("found", "set", link=at.link.id)
    of_it = (e.detail.get("sheet") for e in reversed(events) if e.detail.get("unit") == unit)
    return str(next((name for name in of_it if name), ""))


async def _propose(at: SetAt, identity: str) -> None:
    """Sheets by how well they fit what the device says that it is, each with what speaks for it."""
    link = at.link
    now = at.session.devices.sheet_of(link)
    rows = ranked(all_sheets()[0].values(), identity, now.speaks if now is not None else "")[:12]
    choices = [(one.sheet.name, f"{one.sheet.name:24} {visible_text(one.words)}") for one in rows]
    choices.append(("", f"Keep {link.sheet}" if link.sheet else "None of these"))
    title = f"Unit {link.unit} says that it is {visible_text(identity)}: which sheet?"
    chosen = await at.ask(Pick(title, choices))
    end = all_sheets()[0][chosen].line_end if chosen else ""
    if chosen and at.change_link(replace(at.link, sheet=chosen, line_end=end)):
        at.show_anew()
        at.tell(f"unit {link.unit} is worked on with {chosen}; r reads its settings", good=True)


async def _identify(at: SetAt) -> None:
    """What the device says that it is, beside what its sheet expects."""
    link, runner = at.link, at.runner
    sheet = at.session.devices.sheet_of(link)
    if sheet is None:
        return
    said: str | None = await at.do(
        Sending("asking who it is"), identify(runner, sheet, at.session.devices.unit_of(link))
    )
    if not said:
        at.say(f"unit {at.session.devices.unit_of(link)} is chosen; it does not say who it is. r reads", "plain")
        return
    if at.change_link(replace(link, identity=said)):
        at.show_anew()
    if not fits(sheet, said):
        at.tell(f"it says {visible_text(said)}; the sheet is for {sheet.model}", good=False)
    else:
        at.tell(f"it is {visible_text(said)}; r reads its settings", good=True)


def _unit_reading(text: str) -> str:
    if not text.strip().isdecimal() or not 1 <= int(text) <= 255:
        raise ValueError("a unit ID is a number from 1 to 247; some devices go to 255")
    return f"unit {int(text)}" + ("; above 247 is not in the specification" if int(text) > 247 else "")
