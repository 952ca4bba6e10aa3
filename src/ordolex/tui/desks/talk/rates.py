"""Talk: a rate changed in lock step, and the fastest clean one."""

from __future__ import annotations

import threading
from collections.abc import Callable

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.question import Question
from ordolex.core.link.rate import Changed, refuses
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.sheet.parameters import Action
from ordolex.core.talk.rate_rows import RateRow, fastest_clean, rates_table
from ordolex.core.text.charsets import text_of
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible_text
from ordolex.io.work.lists import Pulled, table_event
from ordolex.io.work.rate import MAY_BE_AT, NotAlike
from ordolex.io.work.rate import change_rate as rate_changed
from ordolex.io.work.rate import clean_rates as rates_tried
from ordolex.session.works import Sending
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.readings import bytes_reading, rate_command_reading, rate_of, rate_reading, rates_reading
from ordolex.tui.widgets.prompts import Pick


async def _question(at: TalkAt) -> Question | None:
    """What proves that both ends understand each other: the sheet's first harmless question, or as typed."""
    link = at.link
    sheet = at.session.devices.sheet_of(link)
    harmless = sheet.harmless if sheet is not None else []
    known = next((one for one in harmless if one.name == "identity"), harmless[0] if harmless else None)
    proposal = named(known.question().data) if known is not None else link.first_question or "\\r"
    hint = "asked after each change; any readable answer without line errors will do"
    typed = await at.line("Which question proves the link?", proposal, bytes_reading, hint)
    if typed is None:
        return None
    data = to_bytes(typed)
    if known is not None and data == known.question().data:
        return known.question()
    return Question(data, timeout_s=1.0)


async def change_rate(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    if not read_endpoint(link.endpoint).has_line:
        at.say("Raw TCP has no line settings", "unsure")
        return
    wanted = await at.line("The new rate, in bit/s", str(runner.line.baud), rate_reading, "of both ends")
    if wanted is None:
        return
    hint = "the device's own command; {baud} stands for the rate. Nothing, if only the port shall change"
    command = await at.line("How is the device told?", _rate_command(at), rate_command_reading, hint)
    question = await _question(at) if command is not None else None
    if command is None or question is None:
        return
    at.remembered.rate_command = command
    sending = Sending("rate change")

    def changed(words: str) -> None:
        sending.now = words

    to = runner.line.changed(baud=rate_of(wanted))
    told = to_bytes(command.replace("{baud}", str(to.baud))) if command.strip() else b""
    result: Changed | None = await at.do(sending, rate_changed(runner, told, to, question, changed))
    if result is not None:
        _keep_rate(at)
        at.tell(result.words, good=result.proven)


def _rate_command(at: TalkAt) -> str:
    """As its sheet says that the device is told a rate, else as it was typed last."""
    link = at.link
    sheet = at.session.devices.sheet_of(link)
    known = next((p for p in sheet.parameter if p.changes_line and p.write), None) if sheet is not None else None
    return known.write.replace("{value}", "{baud}") if known is not None else at.remembered.rate_command


def _keep_rate(at: TalkAt) -> None:
    if at.runner.line.text != at.link.line:
        at.session.links.follow_line(at.link, at.runner.line, "changed in lock step")


_USUAL = (300, 600, 1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)


async def clean_rates(at: TalkAt) -> None:
    """Both ends step up together until a rate is not clean; then back to the last good one, which may be stored."""
    runner = at.runner
    began = runner.line
    usual = " ".join(str(baud) for baud in _USUAL if baud > began.baud) or str(began.baud)
    wanted = await at.line("Rates to try, in bit/s", usual, rates_reading, "upwards, until one is not clean")
    if wanted is None:
        return
    hint = "the device's own command; {baud} stands for the rate. Nothing, if it follows by itself"
    command = await at.line("How is the device told?", _rate_command(at), rate_command_reading, hint)
    question = await _question(at) if command is not None else None
    if command is None or question is None:
        return
    at.remembered.rate_command = command
    sending = Sending("fastest clean rate")
    stopped = threading.Event()

    def end_well() -> None:
        stopped.set()
        at.session.hub.soon(runner.stop_asking)

    sending.end_well = end_well

    def command_for(baud: int) -> bytes:
        return to_bytes(command.replace("{baud}", str(baud))) if command.strip() else b""

    def found(row: RateRow) -> None:
        sending.now = row.words

    rates = [rate_of(word) for word in wanted.split()]
    try:
        rows: list[RateRow] | None = await at.do(
            sending, rates_tried(runner, rates, command_for, question, found=found, stopped=stopped.is_set)
        )
    except NotAlike as error:
        at.say(f"Nothing was changed: {error}", "unsure")
        return
    _keep_rate(at)
    lost = next((row.trouble for row in rows or () if MAY_BE_AT in row.trouble), "")
    if lost:
        at.session.to_restore.append(f"the rate of {at.link.name}: {lost}")
    if rows is not None and stopped.is_set():
        at.tell(lost or f"it was stopped; both are back at {runner.line.baud}", good=not lost)
    elif rows is not None:
        await _offer(at, rows, began, command_for, question)


async def _offer(
    at: TalkAt, rows: list[RateRow], began: LineSettings, command_for: Callable[[int], bytes], question: Question
) -> None:
    """Shows and keeps what each rate gave; the fastest clean one is stored by choice."""
    link, runner = at.link, at.runner
    table = rates_table(rows)
    words, event = table_event(link.id, Pulled(table, 0, ""), None)
    at.session.book.recorder.note(event)
    best = fastest_clean(rows)
    good = best is not None and runner.line.baud == best
    words = f"fastest clean rate: {best} bit/s" if best is not None else "no rate was clean"
    at.tell(f"{words}; the port is at {runner.line.text}", good=good)
    shown = [table.columns, *table.rows]
    widths = [max(len(row[n]) for row in shown) for n in range(len(table.columns))]
    text = "\n".join("  ".join(f"{cell:>{w}}" for cell, w in zip(row, widths, strict=True)).rstrip() for row in shown)
    sheet = at.session.devices.sheet_of(link)
    choices = [("stay", f"Stay at {runner.line.text}; it is not stored in the device")]
    if good and sheet is not None and sheet.store is not None and sheet.store.send:
        choices.insert(0, ("store", f"Store it in the device: {sheet.store.means or sheet.store.send}"))
    if runner.line != began:
        choices.append(("back", f"Back to {began.text}, both ends"))
    answer = await at.ask(Pick(f"{words[:1].upper()}{words[1:]}", choices, text))
    if answer == "store" and sheet is not None and sheet.store is not None:
        await _store(at, sheet.store)
    elif answer == "back":
        done: Changed | None = await at.do(
            Sending("rate change"), rate_changed(runner, command_for(began.baud), began, question)
        )
        if done is not None:
            _keep_rate(at)
            at.tell(done.words, good=done.proven)


async def _store(at: TalkAt, store: Action) -> None:
    """Sends what stores, as the sheet says; whether it was taken is what the device said."""
    answer = await at.do(Sending("storing"), at.runner.ask(Question(to_bytes(store.send), timeout_s=2.0)))
    if answer is None:
        return
    said = text_of(answer.data, at.link.charset).strip()
    if refuses(answer.data) or not said:
        at.tell(f"not stored: {visible_text(said[-40:]) or 'no answer'}", good=False)
        return
    taken = not store.taken or search(store.taken, said) is not None
    words = "to storing it said" if taken else "whether it was stored is not known; it said"
    at.tell(f"{words} {visible_text(said[-40:])}; a power cycle shows whether it lasts", good=taken)
