"""Set: which device it is. Its sheet, its unit ID, the units that answer, and what it says that it is."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.match.wishes import read_units
from ordolex.core.sheet import Sheet
from ordolex.core.text.visible import visible_text
from ordolex.io.device.identity import identify
from ordolex.io.device.modbus import Scanned
from ordolex.io.own.sheets import all_sheets
from ordolex.session.units import listen_and_scan
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.readings import units_reading
from ordolex.tui.widgets.prompts import Pick


async def device(at: SetAt) -> None:
    link = at.link
    sheets = all_sheets()[0]
    usable = [s for s in sheets.values() if s.parameter or s.procedure]
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
    if not at.change_link(replace(link, sheet=chosen, unit=unit, identity=identity)):
        return
    at.show_anew()
    if sheet.bus.common:
        at.say(f"All of these ship as unit {sheet.bus.unit}: power one at a time, or two answer at once", "unsure")
    else:
        at.say("r reads its settings")


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
    runner = at.runner
    sheet = at.session.devices.sheet_of(at.link)
    framing = (sheet.family.framing if sheet is not None else "") or "rtu"
    hint = "one register of each is asked for; nothing is changed"
    typed = await at.line("Which unit IDs?", "1-32", units_reading, hint)
    if typed is None:
        return
    numbers = [int(number) for number in read_units(typed)]
    sending = Sending("asking units", now="listening first")
    found: list[Scanned] = []

    def changed(one: Scanned) -> None:
        if one.answer:
            found[:] = [*(other for other in found if other.unit != one.unit), one]
        sending.now = f"unit {one.unit}, {len(found)} answered"

    others = await at.do(sending, listen_and_scan(runner, framing, numbers, changed))
    if others:
        at.tell(others, good=False)
    if others or others is None:
        return
    right = [one for one in found if one.right]
    runner.note("scan", f"units that answered: {', '.join(str(one.unit) for one in right) or 'none'}", {
        "asked": typed, "found": [[one.unit, one.answer] for one in found],
    })  # fmt: skip
    if not found:
        causes = "rate, parity, A and B changed over, or power"
        words = f"none of {len(numbers)} units answered at {runner.line.text}: {causes}"
        at.tell(words, good=False)
        return
    await _choose_unit(at, found)


async def _choose_unit(at: SetAt, found: list[Scanned]) -> None:
    choices = [
        (
            str(one.unit),
            f"unit {one.unit:3}  {visible_text(one.answer)}" + (f"   {one.ms:.0f} ms" if one.ms else ""),
        )
        for one in found
    ]
    chosen = await at.ask(Pick("Units that answered; which one?", choices))
    if chosen is None:
        return
    if not at.change_link(replace(at.link, unit=int(chosen), identity="")):
        return
    at.show_anew()
    if at.link.sheet:
        await _identify(at)
    else:
        at.say("d chooses its sheet", "plain")


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
    if sheet.model and sheet.model.lower() not in said.lower():
        at.tell(f"it says {visible_text(said)}; the sheet is for {sheet.model}", good=False)
    else:
        at.tell(f"it is {visible_text(said)}; r reads its settings", good=True)


def _unit_reading(text: str) -> str:
    if not text.strip().isdecimal() or not 1 <= int(text) <= 255:
        raise ValueError("a unit ID is a number from 1 to 247; some devices go to 255")
    return f"unit {int(text)}" + ("; above 247 is not in the specification" if int(text) > 247 else "")
