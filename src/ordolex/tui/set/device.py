"""Set: which device it is. Its sheet, its unit ID, the units that answer, and what it says that it is."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from textual import work

from ordolex.core.link.judge import LineErrors
from ordolex.core.match.wishes import read_units
from ordolex.core.protocols.modbus.crc import frames_in
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.text.visible import visible_text
from ordolex.io.device.identity import identify
from ordolex.io.device.modbus import Scanned, scan
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from ordolex.tui.readings import units_reading
from ordolex.tui.set.base import SetWork
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.works import NO_LINK, Sending

_LISTEN_S = 0.8


class WhichDevice(SetWork):
    """The part of the desk that says which device is set."""

    @work
    async def action_device(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(NO_LINK, "unsure")
            return
        sheets = all_sheets()[0]
        usable = [s for s in sheets.values() if s.parameter or s.procedure]
        usable.sort(key=lambda s: s.name != link.sheet)
        choices = [(s.name, f"{s.name:24} {visible_text(s.device)}") for s in usable]
        chosen = await self.app.push_screen_wait(Pick("Which device is it?", choices))
        if chosen is None:
            return
        sheet = sheets[chosen]
        unit = link.unit
        if not await self._other_framing(link, sheet):
            return
        if sheet.family.addressed:
            start = str(unit if unit >= 0 else sheet.bus.unit)
            hint = "0 would be all at once and is not read back; n asks which answer"
            typed = await self.app.push_screen_wait(LinePrompt("Unit ID", start, _unit_reading, hint))
            if typed is None:
                return
            unit = int(typed)
        identity = link.identity if chosen == link.sheet and unit == link.unit else ""
        self.session.change_link(replace(link, sheet=chosen, unit=unit, identity=identity))
        self.link_changed()
        if sheet.bus.common:
            self.say(
                f"All of these ship as unit {sheet.bus.unit}: power one at a time, or two answer at once", "unsure"
            )
        else:
            self.say("r reads its settings")

    async def _other_framing(self, link: LinkRecord, sheet: Sheet) -> bool:
        """One line carries one framing: where another was in use on this link, it is asked first."""
        before = self.session.sheet_of(link)
        if before is None or before.speaks == sheet.speaks or not before.family.addressed:
            return True
        choices = [
            ("no", f"Keep {before.name}: this link has spoken {before.family.words} so far"),
            ("yes", f"{sheet.name}: from now on {sheet.family.words} is spoken on this link"),
        ]
        title = f"{sheet.name} speaks another way than the others on this line"
        return await self.app.push_screen_wait(Pick(title, choices)) == "yes"

    @work
    async def action_units(self) -> None:
        opened = self._open_link()
        if opened is None:
            return
        link, runner = opened
        sheet = self.session.sheet_of(link)
        framing = (sheet.family.framing if sheet is not None else "") or "rtu"
        typed = await self.app.push_screen_wait(
            LinePrompt(
                "Which unit IDs?", "1-32", units_reading, "one register of each is asked for; nothing is changed"
            )
        )
        if typed is None:
            return
        numbers = [int(number) for number in read_units(typed)]
        sending = Sending("asking units")
        found: list[Scanned] = []

        def changed(one: Scanned) -> None:
            if one.answer:
                found[:] = [*(other for other in found if other.unit != one.unit), one]
            sending.now = f"unit {one.unit}, {len(found)} answered"

        async def listen_and_scan() -> str:
            sending.now = "listening first"
            others = await _listen(runner)
            if others:
                return others
            await scan(runner, framing, numbers, changed=changed)
            return ""

        others: str | None = await self._do(link, sending, listen_and_scan())
        if others:
            self._tell(link, others, good=False)
        if others or others is None:
            return
        right = [one for one in found if one.right]
        runner.note("scan", f"units that answered: {', '.join(str(one.unit) for one in right) or 'none'}", {
            "asked": typed, "found": [[one.unit, one.answer] for one in found],
        })  # fmt: skip
        if not found:
            causes = "rate, parity, A and B changed over, or power"
            words = f"none of {len(numbers)} units answered at {runner.line.text}: {causes}"
            self._tell(link, words, good=False)
            return
        await self._choose_unit(link, runner, found)

    async def _choose_unit(self, link: LinkRecord, runner: LinkRunner, found: list[Scanned]) -> None:
        choices = [
            (
                str(one.unit),
                f"unit {one.unit:3}  {visible_text(one.answer)}" + (f"   {one.ms:.0f} ms" if one.ms else ""),
            )
            for one in found
        ]
        chosen = await self.app.push_screen_wait(Pick("Units that answered; which one?", choices))
        if chosen is None:
            return
        link = self.session.change_link(replace(link, unit=int(chosen), identity=""))
        self.link_changed()
        if link.sheet:
            await self._identify(link, runner)
        else:
            self.say("d chooses its sheet", "plain")

    async def _identify(self, link: LinkRecord, runner: LinkRunner) -> None:
        """What the device says that it is, beside what its sheet expects."""
        sheet = self.session.sheet_of(link)
        if sheet is None:
            return
        said: str | None = await self._do(
            link, Sending("asking who it is"), identify(runner, sheet, self.session.unit_of(link))
        )
        if not said:
            self.say(f"unit {self.session.unit_of(link)} is chosen; it does not say who it is. r reads", "plain")
            return
        self.session.change_link(replace(link, identity=said))
        self.link_changed()
        if sheet.model and sheet.model.lower() not in said.lower():
            self._tell(link, f"it says {visible_text(said)}; the sheet is for {sheet.model}", good=False)
        else:
            self._tell(link, f"it is {visible_text(said)}; r reads its settings", good=True)


async def _listen(runner: LinkRunner) -> str:
    """What speaks on the line unasked; empty for silence."""
    heard = bytearray()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(data)

    with runner.heard_by(hear):
        await asyncio.sleep(_LISTEN_S)
    if not heard:
        return ""
    units = sorted({heard[begin] for begin, _ in frames_in(bytes(heard))})
    of = f", frames of units {', '.join(str(unit) for unit in units)}" if units else ""
    return f"another master speaks on this line: {len(heard)} bytes in {_LISTEN_S:g} s{of}; nothing was sent into that"


def _unit_reading(text: str) -> str:
    if not text.strip().isdecimal() or not 1 <= int(text) <= 255:
        raise ValueError("a unit ID is a number from 1 to 247; some devices go to 255")
    return f"unit {int(text)}" + ("; above 247 is not in the specification" if int(text) > 247 else "")
