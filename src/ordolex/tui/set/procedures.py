"""Set: procedures. Planned as a form, rehearsed where there is a stand-in, typed, read back, made to last."""

from __future__ import annotations

import asyncio

from textual import work

from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.procedures import Procedure
from ordolex.core.text.visible import visible_text
from ordolex.io.device.procedure import AskSecret, Outcome, Typist
from ordolex.io.device.rehearsal import rehearse
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.own_addresses import own_addresses
from ordolex.tui.set.base import SetWork
from ordolex.tui.set.plan_form import PlanForm
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture
from ordolex.tui.works import Sending


class Procedures(SetWork):
    """The part of the desk that leads through jobs."""

    @work
    async def action_procedures(self) -> None:
        link = self.session.chosen
        sheet = self.session.sheet_of(link) if link is not None else None
        if sheet is None or not sheet.procedure:
            self.say("Its sheet has no procedures; docs/sheets.md says how one is written", "unsure")
            return
        opened = self._open_link()
        if opened is None:
            return
        link, runner = opened
        procedure = sheet.procedure[0]
        if len(sheet.procedure) > 1:
            choices = [(str(n), f"{p.name:20} {p.means}") for n, p in enumerate(sheet.procedure)]
            chosen = await self.app.push_screen_wait(Pick("Which procedure?", choices))
            if chosen is None:
                return
            procedure = sheet.procedure[int(chosen)]
        await self._plan(link, runner, sheet, procedure)

    async def _plan(self, link: LinkRecord, runner: LinkRunner, sheet: Sheet, procedure: Procedure) -> None:
        own = await asyncio.to_thread(own_addresses)
        values = dict(self.session.plans.get((link.id, procedure.name), {}))
        while True:
            form = PlanForm(procedure, values, own, can_rehearse=bool(sheet.bench_kind))
            given = await self.app.push_screen_wait(form)
            if given is None:
                return
            how, values = given
            self.session.plans[link.id, procedure.name] = values
            if how == "type":
                break
            outcome = await self._rehearse(link, sheet, procedure, values)
            if outcome is None:
                return
            await self._show_outcome(f"Rehearsal: {outcome.words}", outcome)
        await self._type(link, runner, procedure, values)

    async def _rehearse(
        self, link: LinkRecord, sheet: Sheet, procedure: Procedure, values: dict[str, str]
    ) -> Outcome | None:
        sending = Sending("rehearsing on a stand-in")

        def said(words: str) -> None:
            sending.now = words

        job = rehearse(sheet, procedure, values, self._secret_asker(), said)
        outcome: Outcome | None = await self._do(link, sending, job)
        return outcome

    async def _type(self, link: LinkRecord, runner: LinkRunner, procedure: Procedure, values: dict[str, str]) -> None:
        sending = Sending(f"typing {procedure.name}")

        def said(words: str) -> None:
            sending.now = words

        typist = Typist(runner, values, self._secret_asker(), said)
        outcome: Outcome | None = await self._do(link, sending, typist.run(procedure))
        if outcome is None:
            return
        good = not outcome.trouble and not outcome.differs
        self._tell(link, visible_text(outcome.words), good=good)
        await self._show_outcome(outcome.words, outcome)
        if not good or not procedure.finish:
            return
        steps = "; ".join(step.means or step.send for step in procedure.finish)
        choices = [("last", f"Make it last: {steps}"), ("stay", "Leave it as it is; it is not stored")]
        if await self.app.push_screen_wait(Pick("All values were kept as planned", choices)) != "last":
            self.say("not stored in the device: a restart loses it", "unsure")
            return
        sending = Sending(f"making {procedure.name} last")
        last = Typist(runner, values, self._secret_asker(), said)
        ended: Outcome | None = await self._do(link, sending, last.finish(procedure))
        if ended is not None:
            self._tell(link, visible_text(f"{procedure.name}: {ended.words}"), good=not ended.trouble)

    async def _show_outcome(self, title: str, outcome: Outcome) -> None:
        rows = [visible_text(words) for words in outcome.done]
        rows += ["", *(f"came by itself: {visible_text(line)}" for line in outcome.asides)] if outcome.asides else []
        if outcome.kept:
            differs = {name: planned for name, planned, _ in outcome.differs}
            rows += ["", "kept by the device, read in a second pass"]
            rows += [f"{name:12} {visible_text(value)}" for name, value in outcome.kept.items()]
            rows += [f"✗ {name}: planned was {visible_text(planned)}" for name, planned in differs.items()]
        if outcome.trouble:
            rows += [
                "",
                f"✗ {visible_text(outcome.trouble)}",
                "The device stands where it stopped; Talk (F5) shows it.",
            ]
        await self.app.push_screen_wait(Picture(visible_text(title), rows, "Esc goes on"))

    # ---- secrets

    def _secret_asker(self) -> AskSecret:
        """Asks in the interface, for a job that runs among the links."""
        loop = asyncio.get_running_loop()

        async def ask(what: str) -> str | None:
            return await asyncio.wrap_future(asyncio.run_coroutine_threadsafe(self._secret(what), loop))

        return ask

    async def _secret(self, what: str) -> str | None:
        given: asyncio.Future[str | None] = asyncio.get_running_loop().create_future()

        def take(text: str | None) -> None:
            if not given.done():
                given.set_result(text)

        def reading(text: str) -> str:
            return f"{len(text)} characters, not shown and not kept"

        self.app.push_screen(LinePrompt(f"The device asks for: {what}", "", reading, "Esc stops", hidden=True), take)
        return await given
