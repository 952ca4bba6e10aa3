"""Talk: a rate changed in lock step, and the fastest clean one."""

from __future__ import annotations

from ordolex.core.link.question import Question
from ordolex.core.link.rate import Changed
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.escapes import named, to_bytes
from ordolex.io.work.rate import RateRow
from ordolex.io.work.rate import change_rate as rate_changed
from ordolex.io.work.rate import clean_rates as rates_tried
from ordolex.session.works import Sending
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.readings import bytes_reading, rate_command_reading, rate_reading, rates_reading


async def _question(at: TalkAt) -> Question | None:
    """What proves that both ends understand each other: the sheet's first harmless question, or as typed."""
    link = at.link
    sheet = at.session.devices.sheet_of(link)
    known = sheet.harmless[0] if sheet is not None and sheet.harmless else None
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

    to = runner.line.changed(baud=int(wanted))
    told = to_bytes(command.replace("{baud}", wanted)) if command.strip() else b""
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


async def clean_rates(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    usual = " ".join(str(baud) for baud in (9600, 19200, 38400, 57600, 115200) if baud >= runner.line.baud)
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

    def command_for(baud: int) -> bytes:
        return to_bytes(command.replace("{baud}", str(baud))) if command.strip() else b""

    def found(row: RateRow) -> None:
        sending.now = f"{row.baud}: {row.right} of {row.asked} right"

    rates = [int(baud) for baud in wanted.split()]
    rows: list[RateRow] | None = await at.do(sending, rates_tried(runner, rates, command_for, question, found=found))
    if rows is None:
        return
    _keep_rate(at)
    at.session.talks.drain(link)
    for row in rows:
        errors = f", {row.errors} line errors" if row.errors else ""
        at.session.talks.say(link, f"{row.baud:>6} bit/s   {row.right} of {row.asked} answers alike{errors}")
    best = max((row.baud for row in rows if row.clean), default=None)
    words = f"fastest clean rate: {best}" if best is not None else "no rate was clean"
    at.tell(f"{words}; the port is at {runner.line.text}", good=best is not None)
