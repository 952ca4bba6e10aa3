"""Set: procedures. Planned as a form, rehearsed where there is a stand-in, typed, read back, made to last."""

from __future__ import annotations

import asyncio

from ordolex.core.sheet import Sheet
from ordolex.core.sheet.procedures import Procedure
from ordolex.core.text.visible import visible_text
from ordolex.io.device.procedure import AskSecret, Outcome, Typist
from ordolex.io.device.rehearsal import rehearse
from ordolex.io.system.own_addresses import own_addresses
from ordolex.session.works import Sending
from ordolex.tui.desks.set.at import SetAt
from ordolex.tui.desks.set.plan_form import PlanForm
from ordolex.tui.job import an_open_link
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture


def an_open_procedure(at: SetAt) -> str:
    """An open port, and a sheet with procedures."""
    sheet = at.session.devices.sheet_of(at.chosen) if at.chosen is not None else None
    if sheet is None or not sheet.procedure:
        return "Its sheet has no procedures; docs/sheets.md says how one is written"
    return an_open_link(at)


async def procedures(at: SetAt) -> None:
    sheet = at.session.devices.sheet_of(at.link)
    assert sheet is not None, "it needs one"
    procedure = sheet.procedure[0]
    if len(sheet.procedure) > 1:
        choices = [(str(n), f"{p.name:20} {p.means}") for n, p in enumerate(sheet.procedure)]
        chosen = await at.ask(Pick("Which procedure?", choices))
        if chosen is None:
            return
        procedure = sheet.procedure[int(chosen)]
    await _plan(at, sheet, procedure)


async def _plan(at: SetAt, sheet: Sheet, procedure: Procedure) -> None:
    link = at.link
    own = await asyncio.to_thread(own_addresses)
    values = dict(at.session.devices.plans.get((link.id, procedure.name), {}))
    while True:
        form = PlanForm(procedure, values, own, can_rehearse=bool(sheet.bench_kind))
        given = await at.ask(form)
        if given is None:
            return
        how, values = given
        at.session.devices.plans[link.id, procedure.name] = values
        if how == "type":
            break
        outcome = await _rehearse(at, sheet, procedure, values)
        if outcome is None:
            return
        await _show_outcome(at, f"Rehearsal: {outcome.words}", outcome)
    await _type(at, procedure, values)


async def _rehearse(at: SetAt, sheet: Sheet, procedure: Procedure, values: dict[str, str]) -> Outcome | None:
    sending = Sending("rehearsing on a stand-in")

    def said(words: str) -> None:
        sending.now = words

    job = rehearse(sheet, procedure, values, _secret_asker(at), said)
    outcome: Outcome | None = await at.do(sending, job)
    return outcome


async def _type(at: SetAt, procedure: Procedure, values: dict[str, str]) -> None:
    runner = at.runner
    sending = Sending(f"typing {procedure.name}")

    def said(words: str) -> None:
        sending.now = words

    typist = Typist(runner, values, _secret_asker(at), said)
    outcome: Outcome | None = await at.do(sending, typist.run(procedure))
    if outcome is None:
        return
    good = not outcome.trouble and not outcome.differs
    at.tell(visible_text(outcome.words), good=good)
    await _show_outcome(at, outcome.words, outcome)
    if not good or not procedure.finish:
        return
    steps = "; ".join(step.means or step.send for step in procedure.finish)
    choices = [("last", f"Make it last: {steps}"), ("stay", "Leave it as it is; it is not stored")]
    read_back = "All values were kept as planned" if outcome.kept else "Taken as typed; nothing was read back"
    if await at.ask(Pick(read_back, choices)) != "last":
        at.say("not stored in the device: a restart loses it", "unsure")
        return
    sending = Sending(f"making {procedure.name} last")
    last = Typist(runner, values, _secret_asker(at), said)
    ended: Outcome | None = await at.do(sending, last.finish(procedure))
    if ended is not None:
        at.tell(visible_text(f"{procedure.name}: {ended.words}"), good=not ended.trouble)


async def _show_outcome(at: SetAt, title: str, outcome: Outcome) -> None:
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
    await at.ask(Picture(visible_text(title), rows, "Esc goes on"))


def _secret_asker(at: SetAt) -> AskSecret:
    """Asks in the interface, for a job that runs among the links."""
    loop = asyncio.get_running_loop()

    async def ask(what: str) -> str | None:
        return await asyncio.wrap_future(asyncio.run_coroutine_threadsafe(_secret(at, what), loop))

    return ask


async def _secret(at: SetAt, what: str) -> str | None:
    def reading(text: str) -> str:
        return f"{len(text)} characters, not shown and not kept"

    return await at.ask_beside(LinePrompt(f"The device asks for: {what}", "", reading, "Esc stops", hidden=True))
