"""Set: reading, wanting, applying, undoing, and making it last."""

from __future__ import annotations

import asyncio

from textual import work

from ordolex.core.device.setting import Outcome, Written, read_setting
from ordolex.core.device.settings_table import SettingRow, SettingsTable
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet.parameters import Action, Parameter, Setting
from ordolex.core.text.visible import hex_pairs, visible_text
from ordolex.io.device.base import Device, Trouble
from ordolex.io.device.settings import apply
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.work.rate import change_rate
from ordolex.tui.set.base import SetWork
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.widgets.wording import cut
from ordolex.tui.works import Sending


class Changing(SetWork):
    """The part of the desk that changes settings."""

    @work
    async def action_read(self) -> None:
        opened = self._open_table()
        if opened is None:
            return
        link, runner, table = opened
        readings = await self._read(link, runner, table, "reading")
        if readings is None:
            return
        before = {row.parameter.name for row in table.rows if row.found is not None}
        first = not before
        self._took(table, readings)
        bad = [reading for reading in readings if reading.outcome is not Outcome.READ]
        names = [row.parameter.name for row in table.rows if row.found is not None]
        found = {name: table.row(name).found for name in names if name not in before}
        if found:
            values = ", ".join(f"{name} {value}" for name, value in found.items())
            detail = {"values": found, "anew": first, **self._of(table)}
            runner.note("found", f"as found, {table.sheet.name}, unit {table.unit}: {values}", detail)
        words = f"{len(readings) - len(bad)} of {len(readings)} read"
        if runner.late is not None:
            words += f"; {runner.late.words}. o sets {runner.late.enough_s:g} s"
        if bad:
            self.say(f"{words}; {bad[0].name}: {bad[0].outcome.value}, {visible_text(bad[0].words)}", "unsure")
        else:
            self.say(f"{words}, as found" if first else words, "good")

    def preview_of(self, row: SettingRow) -> bytes | str:
        """Exactly what a change of this row would send, or how to want one."""
        link = self.session.chosen
        table = self.session.settings(link) if link is not None else None
        runner = self.session.runner(link) if link is not None else None
        if not row.parameter.can_be_written:
            return ""
        if row.wanted is None:
            return "Enter says what it is to be" if row.now is not None else ""
        if runner is None or table is None:
            return "would be sent once the port is open"
        try:
            return self._device(runner, table).preview(row.parameter, row.wanted)
        except ValueError as error:
            return f"✗ {error}"

    @work
    async def action_want(self) -> None:
        link, row = self.session.chosen, self.row_at_cursor()
        table = self.session.settings(link) if link is not None else None
        if row is None or table is None:
            self.say("Choose a device with d first", "unsure")
            return
        parameter = row.parameter
        if not parameter.can_be_written:
            self.say(f"{parameter.name} is only read; its sheet says no way to write it", "unsure")
            return
        if row.now is None:
            self.say("Read first (r): what is changed is kept as found before", "unsure")
            return
        typed = await self._wanted_text(row)
        if typed is None:
            return
        try:
            table.want(parameter.name, typed)
        except ValueError as error:
            self.say(str(error), "bad")
            return
        self.show_all()
        self.say("a applies it" if row.wanted is not None else "it is so already; nothing to apply", "plain")

    async def _wanted_text(self, row: SettingRow) -> str | None:
        parameter = row.parameter
        if parameter.kind in ("choice", "switch"):
            keys = parameter.choices or {"on": "on", "off": "off"}
            choices = [(key, f"{words} ({key})" if words != key else words) for key, words in keys.items()]
            title = f"{parameter.name}, now {row.text(row.now)}"
            return await self.app.push_screen_wait(Pick(visible_text(title), choices, visible_text(parameter.means)))

        def reading(text: str) -> str:
            if not text.strip():
                return "no change is wanted"
            return f"{read_setting(parameter, text)} {parameter.unit}".strip()

        now = row.wanted if row.wanted is not None else row.now
        hint = f"now {row.text(row.now)} {parameter.unit}   may be {parameter.limits or 'anything'}"
        title = f"{parameter.name}: {parameter.means}" if parameter.means else parameter.name
        return await self.app.push_screen_wait(
            LinePrompt(visible_text(title), row.text(now), reading, visible_text(hint))
        )

    def action_undo(self) -> None:
        link = self.session.chosen
        table = self.session.settings(link) if link is not None else None
        if table is None:
            return
        count = table.undo()
        self.show_all()
        self.say(f"{count} wanted back as found; a applies it" if count else "everything is as it was found", "plain")

    @work
    async def action_apply(self) -> None:
        opened = self._open_table()
        if opened is None:
            return
        link, runner, table = opened
        pending = table.pending
        if not pending:
            self.say("Nothing is wanted; Enter on a row says what it is to be", "unsure")
            return
        device = self._device(runner, table)
        try:
            rows = [self._plan_row(table, device, parameter, value) for parameter, value in pending]
        except ValueError as error:
            self.say(str(error), "bad")
            return
        what = "these, and read each back" if len(rows) > 1 else "this, and read it back"
        choices = [("apply", f"Send {what}"), ("stay", "Not yet")]
        answer = await self.app.push_screen_wait(Pick("PC → device, in this order", choices, "\n".join(rows)))
        if answer == "apply":
            await self._apply(link, runner, table, device)

    def _plan_row(self, table: SettingsTable, device: Device, parameter: Parameter, value: Setting) -> str:
        row = table.row(parameter.name)
        change = f"{row.text(row.now)} → {row.text(value)} {parameter.unit}".strip()
        sends = hex_pairs(device.preview(parameter, value))
        return visible_text(f"{parameter.name:16} {change:24}") + f" sends {cut(sends, 44)}"

    async def _apply(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable, device: Device) -> None:
        sending = Sending("applying")

        def changed(written: Written) -> None:
            sending.now = f"{written.name}: {written.verdict}"

        plain = [(p, v) for p, v in table.pending if not p.changes_line]
        done: list[Written] | None = await self._do(
            link, sending, apply(device, plain, runner, changed, self._of(table))
        )
        if done is None:
            return
        for written in done:
            table.written(written, mono_s())
        bad = [written for written in done if not written.good]
        self.link_changed()
        if bad:
            words = f"{bad[0].name}: {bad[0].verdict}, {bad[0].words}"
            left = len(plain) - len(done)
            after = f"; {left} more not sent" if left else ""
            self._tell(link, visible_text(words + after), good=False)
            return
        if done:
            stored = "; s makes it last" if any(row.unstored for row in table.rows) else ""
            self._tell(link, f"{len(done)} set and read back: {', '.join(w.name for w in done)}{stored}", good=True)
        for parameter, value in [(p, v) for p, v in table.pending if p.changes_line]:
            await self._change_line(link, runner, table, device, parameter, value)

    async def _change_line(
        self, link: LinkRecord, runner: LinkRunner, table: SettingsTable, device: Device, parameter: Parameter,
        value: Setting,
    ) -> None:  # fmt: skip
        """The device's own rate: both ends change in lock step, or return."""
        question = next((q.question() for q in table.sheet.harmless), None)
        if question is None:
            self.say(f"{parameter.name} changes the line; the sheet has no harmless question to prove it with", "bad")
            return
        to = runner.line.changed(baud=int(value))
        sending = Sending(f"both to {to.baud}")

        def changed(words: str) -> None:
            sending.now = words

        before = table.row(parameter.name).now
        done = await self._do(
            link, sending, change_rate(runner, device.preview(parameter, value), to, question, changed)
        )
        if done is None:
            return
        verdict = "held" if done.proven else "not held"
        after = value if done.proven else before
        table.written(Written(parameter.name, before, value, after, verdict, done.words), mono_s())
        self.session.follow_line(link, runner.line, "changed in lock step")
        self._tell(link, done.words, good=done.proven)
        self.link_changed()

    # ---- making it last

    @work
    async def action_last(self) -> None:
        opened = self._open_table()
        if opened is None:
            return
        link, runner, table = opened
        ways = [("store", table.sheet.store, "Store in the device"), ("reboot", table.sheet.reboot, "Start it anew")]
        choices = [(key, f"{words}: {action.means or 'as its sheet says'}") for key, action, words in ways if action]
        if not choices:
            self.say(
                "Its sheet has neither a way to store nor one to start it anew: what is set holds at once", "plain"
            )
            return
        if table.pending:
            self.say(f"First apply or take back what is wanted: {table.open_points[0]}", "unsure")
            return
        answer = await self.app.push_screen_wait(Pick("Make it last", choices))
        action = {"store": table.sheet.store, "reboot": table.sheet.reboot}.get(answer or "")
        if action is not None and await self._act(link, runner, table, action):
            if answer == "store":
                table.stored()
                self._tell(link, "stored in the device; after a power cycle v says whether it lasted", good=True)
                self.link_changed()
            else:
                await self._wait_and_verify(link, runner, table, action)

    async def _act(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable, action: Action) -> bool:
        async def act() -> str:
            try:
                said = await self._device(runner, table).act(action)
            except Trouble as trouble:
                return f"✗ {trouble.outcome.value}: {trouble.words}"
            stored = {"stored": action is table.sheet.store, **self._of(table)}
            runner.note("set", f"{action.means or 'action'}: {said}", stored)
            return said

        said: str | None = await self._do(link, Sending(action.means or "at work"), act())
        if said is None or said.startswith("✗"):
            if said is not None:
                self._tell(link, visible_text(said), good=False)
            return False
        return True

    async def _wait_and_verify(
        self, link: LinkRecord, runner: LinkRunner, table: SettingsTable, action: Action
    ) -> None:
        sending = Sending("it starts anew")

        async def wait() -> bool:
            left = action.boot_s
            while left > 0:
                sending.now = f"{left:.0f} s left by its sheet"
                await asyncio.sleep(min(0.5, left))
                left -= 0.5
            return True

        if await self._do(link, sending, wait()):
            await self._verify(link, runner, table)

    @work
    async def action_verify(self) -> None:
        opened = self._open_table()
        if opened is None:
            return
        choices = [("yes", "Yes, it was off and on again"), ("no", "No")]
        answer = await self.app.push_screen_wait(Pick("Was the device without power since it was set?", choices))
        if answer == "yes":
            await self._verify(*opened)
        elif answer == "no":
            self.say("Then a reading proves nothing: switch it off and on, then v. r only reads", "unsure")

    async def _verify(self, link: LinkRecord, runner: LinkRunner, table: SettingsTable) -> None:
        if all(row.left is None for row in table.rows):
            self.say("Nothing was changed here yet, so there is nothing that could have been lost", "unsure")
            return
        readings = await self._read(link, runner, table, "reading what lasted")
        if readings is None:
            return
        lost = table.lasted(readings, mono_s())
        kept = sum(row.left is not None for row in table.rows) - len(lost)
        self.link_changed()
        words = f"did not last: {'; '.join(lost)}" if lost else f"as it was left, after the restart: {kept} of {kept}"
        self._tell(link, visible_text(words), good=not lost)
