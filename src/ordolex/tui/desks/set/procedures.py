"""Set: procedures. What is there is read first; planned as a form, rehearsed where there is a stand-in, typed, read
back, made to last, and undone the same way."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping

from ordolex.core.device.led import changed, found_first, which_of
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.procedures import Procedure
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible_text
from ordolex.io.device.procedure import AskSecret, Outcome, Typist
from ordolex.io.device.rehearsal import rehearse
from ordolex.io.system.own_addresses import own_addresses
from ordolex.session.stands_at import prompt_left
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
    """The form, again and again until it is typed or left. What was read stands beside what is planned."""
    link = at.link
    own = await asyncio.to_thread(own_addresses)
    values = dict(at.session.devices.plans.get((link.id, procedure.name), {}))
    there: dict[str, str] = {}

    def first(typed: Mapping[str, str]) -> Mapping[str, str]:
        events = at.session.book.reader.known.events_of("procedure", link=link.id)
        found = found_first((event.detail for event in events), procedure, which_of(procedure, typed))
        return found or there

    while True:
        form = PlanForm(procedure, values, own, there, first, can_rehearse=bool(sheet.bench_kind))
        given = await at.ask(form)
        if given is None:
            return
        how, values = given
        at.session.devices.plans[link.id, procedure.name] = values
        if how == "leave":
            return
        if how == "rehearse":
            outcome = await _rehearse(at, sheet, procedure, values)
            if outcome is None:
                return
            await _show_outcome(at, f"Rehearsal on a stand-in: {outcome.words}", procedure, outcome, _REHEARSED)
            continue
        if how == "type" and not procedure.before:
            break
        looked = await _look(at, sheet, procedure, values)
        if looked is None:
            return
        there = looked.found
        if how == "type" and await _meant(at, procedure, there, values):
            break
        defaults = {field.name: field.default for field in procedure.field}
        values |= {name: old for name, old in there.items() if values.get(name, "") in ("", defaults.get(name))}
    await _type(at, sheet, procedure, values, there)


_REHEARSED = "The stand-in is gone again; nothing of this went to the device."
_STOPPED = "Talk (F5) shows where the device stands; p looks first when it is begun again."


async def _look(at: SetAt, sheet: Sheet, procedure: Procedure, values: Mapping[str, str]) -> Outcome | None:
    """What is there before anything is changed; None where that cannot be read, which is said."""
    if not await _may_begin(at, procedure):
        return None
    outcome = await _typed_by(at, f"reading {procedure.name}", sheet, procedure, values, "look")
    if outcome is not None and outcome.trouble:
        await _show_outcome(at, f"What is there could not be read: {outcome.words}", procedure, outcome, _STOPPED)
        return None
    return outcome


async def _may_begin(at: SetAt, procedure: Procedure) -> bool:
    """Where the device stands at another prompt than the one where this begins, the technician says what is to be."""
    at.session.talks.drain(at.link)
    prompt = text_of(prompt_left(at.session.talks.of(at.link)), at.link.charset)
    first = [*procedure.before, *procedure.step][0]
    ends = [part[-1].expect for part in (procedure.before, procedure.step, procedure.check, procedure.finish) if part]
    here = (first.expect, first.unless, *ends)  # it begins there, or ended there the last time
    if not prompt.strip() or not to_bytes(first.send).strip(b"\r\n") or any(search(one, prompt) for one in here if one):
        return True
    sends = named(to_bytes(first.send))
    choices = [
        ("stay", "Send nothing; Talk (F5) shows it"),
        ("go", f"Send {sends} there, and go on from what it says then"),
    ]
    title = f"The device stands at {prompt.strip()!r}; this procedure begins elsewhere"
    return await at.ask(Pick(visible_text(title), choices, f"at that prompt {sends} may be taken as an answer")) == "go"


async def _meant(at: SetAt, procedure: Procedure, there: Mapping[str, str], values: Mapping[str, str]) -> bool:
    rows = [f"{label:20} {old} → {new}" for label, old, new in changed(procedure, there, values)]
    unread = [
        f"{field.label:20} {values[field.name]}, what is there was not shown" for field in procedure.field
        if field.name not in there and not field.which and values.get(field.name, "").strip()
    ]  # fmt: skip
    title = "PC → device, these change" if rows else "All that was read is so already"
    choices = [("type", "Type it into the device, and read it back"), ("stay", "Not yet")]
    return await at.ask(Pick(title, choices, "\n".join(map(visible_text, rows + unread)))) == "type"


async def _rehearse(at: SetAt, sheet: Sheet, procedure: Procedure, values: dict[str, str]) -> Outcome | None:
    sending = Sending("rehearsing on a stand-in")

    def said(words: str) -> None:
        sending.now = words

    job = rehearse(sheet, procedure, values, _secret_asker(at), said)
    outcome: Outcome | None = await at.do(sending, job)
    return outcome


async def _typed_by(
    at: SetAt, what: str, sheet: Sheet, procedure: Procedure, values: Mapping[str, str], job: str,
    found: Mapping[str, str] | None = None,
) -> Outcome | None:  # fmt: skip
    """What became of it; None where it was stopped or failed, and then it is said how far it came."""
    sending = Sending(what)

    def said(words: str) -> None:
        sending.now = words

    typist = Typist(at.runner, values, _secret_asker(at), said)
    if job == "look":
        going = typist.look(procedure)
    elif job == "run":
        going = typist.run(procedure, found)
    elif job == "leave" and sheet.leave is not None:
        going = typist.leave(procedure, sheet.leave)
    else:
        going = typist.finish(procedure)
    outcome: Outcome | None = await at.do(sending, going)
    at.show()
    if outcome is None and not typist.failed:
        typist.outcome.trouble = typist.how_far
        at.tell(visible_text(typist.how_far), good=False)
        title = f"{what}: stopped by hand; {await _where(at)}"
        await _show_outcome(at, title, procedure, typist.outcome, _STOPPED)
    return outcome


async def _where(at: SetAt) -> str:
    """Where the device stands, once it said what it had to say to what was typed last."""
    talk, before = at.session.talks.of(at.link), ""
    for _ in range(8):
        await asyncio.sleep(0.3)
        at.session.talks.drain(at.link)
        prompt = text_of(prompt_left(talk), at.link.charset).strip()
        if prompt and prompt == before:
            return f"the device stands at {prompt!r}"
        before = prompt
    return "it stands at no prompt that was heard"


async def _type(
    at: SetAt, sheet: Sheet, procedure: Procedure, values: dict[str, str], there: Mapping[str, str]
) -> None:
    if not procedure.before and not await _may_begin(at, procedure):
        return
    outcome = await _typed_by(at, f"typing {procedure.name}", sheet, procedure, values, "run", there)
    if outcome is None:
        return
    good = not outcome.trouble and not outcome.differs
    at.tell(visible_text(outcome.words), good=good)
    await _show_outcome(at, outcome.words, procedure, outcome, _STOPPED)
    if good and procedure.finish:
        await _make_it_last(at, sheet, procedure, values, outcome)


async def _make_it_last(
    at: SetAt, sheet: Sheet, procedure: Procedure, values: dict[str, str], outcome: Outcome
) -> None:
    steps = "; ".join(step.means or step.send for step in procedure.finish)
    choices = [("last", f"Make it last: {steps}"), ("stay", "Leave it as it is; it is not stored")]
    discards = sheet.leave is not None and bool(sheet.leave.save)
    if discards:
        choices.append(("discard", "Leave its menu without saving: what was typed is thrown away"))
    read_back = "All values were kept as planned" if outcome.kept else "Taken as typed; nothing was read back"
    answer = await at.ask(Pick(read_back, choices))
    if answer == "discard" and sheet.leave is not None:
        left = await _typed_by(at, "leaving its menu", sheet, procedure, values, "leave")
        if left is not None:
            words = left.trouble or "its menu was left without saving; p and r read what is there now"
            at.tell(visible_text(words), good=not left.trouble)
        return
    if answer != "last":
        at.say("not stored in the device: a restart loses it", "unsure")
        return
    ended = await _typed_by(at, f"making {procedure.name} last", sheet, procedure, values, "finish")
    if ended is not None:
        at.tell(visible_text(f"{procedure.name}: {ended.words}"), good=not ended.trouble)


async def _show_outcome(at: SetAt, title: str, procedure: Procedure, outcome: Outcome, stopped: str) -> None:
    """`stopped` says what follows for the device where it ended early."""
    rows = [visible_text(words) for words in outcome.done]
    rows += ["", *(f"came by itself: {visible_text(line)}" for line in outcome.asides)] if outcome.asides else []
    if outcome.kept:
        differs = {name: planned for name, planned, _ in outcome.differs}
        rows += ["", "kept by the device, read in a second pass"]
        labels = {field.name: field.label for field in procedure.field}
        rows += [
            f"{labels.get(name, name):20} {visible_text(value)}{_was(procedure, outcome, name)}"
            for name, value in outcome.kept.items()
        ]
        rows += [f"✗ {name}: planned was {visible_text(planned)}" for name, planned in differs.items()]
    if outcome.trouble:
        rows += ["", f"✗ {visible_text(outcome.trouble)}"]
    if outcome.trouble or stopped is _REHEARSED:
        rows += [stopped]
    await at.ask(Picture(visible_text(title), rows, "Esc goes on"))


def _was(procedure: Procedure, outcome: Outcome, name: str) -> str:
    one = {name: outcome.kept[name]}
    return "".join(f"   was {visible_text(old)}" for _, old, _ in changed(procedure, outcome.found, one))


def _secret_asker(at: SetAt) -> AskSecret:
    """Asks in the interface, for a job that runs among the links."""
    loop = asyncio.get_running_loop()

    async def ask(what: str) -> str | None:
        return await asyncio.wrap_future(asyncio.run_coroutine_threadsafe(_secret(at, what), loop))

    return ask


async def _secret(at: SetAt, what: str) -> str | None:
    def reading(text: str) -> str:
        return f"{counted(len(text), 'character')}, not shown and not kept"

    return await at.ask_beside(LinePrompt(f"The device asks for: {what}", "", reading, "Esc stops", hidden=True))
