"""Talk: a rate changed in lock step, and the fastest clean one."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.link.question import Question
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.escapes import named, to_bytes
from ordolex.io.link.runner import LinkRunner
from ordolex.io.work.rate import Changed, RateRow, change_rate, clean_rates
from ordolex.tui.readings import (
    bytes_reading,
    rate_command_reading,
    rate_reading,
    rates_reading,
)
from ordolex.tui.works import Sending, Works


class Rates(Works):
    """The part of the desk that changes rates."""

    async def _question(self, link: LinkRecord) -> Question | None:
        """What proves that both ends understand each other: the sheet's first harmless question, or as typed."""
        sheet = self.session.sheet_of(link)
        known = sheet.harmless[0] if sheet is not None and sheet.harmless else None
        proposal = named(known.question().data) if known is not None else link.first_question or "\\r"
        hint = "asked after each change; any readable answer without line errors will do"
        typed = await self._line("Which question proves the link?", proposal, bytes_reading, hint)
        if typed is None:
            return None
        data = to_bytes(typed)
        if known is not None and data == known.question().data:
            return known.question()
        return Question(data, timeout_s=1.0)

    async def _change_rate(self, link: LinkRecord, runner: LinkRunner) -> None:
        if not read_endpoint(link.endpoint).has_line:
            self.say("Raw TCP has no line settings", "unsure")
            return
        wanted = await self._line("The new rate, in bit/s", str(runner.line.baud), rate_reading, "of both ends")
        if wanted is None:
            return
        hint = "the device's own command; {baud} stands for the rate. Nothing, if only the port shall change"
        command = await self._line("How is the device told?", self._rate_command(link), rate_command_reading, hint)
        question = await self._question(link) if command is not None else None
        if command is None or question is None:
            return
        self._last_rate_command = command
        sending = Sending("rate change")

        def changed(words: str) -> None:
            sending.now = words

        to = runner.line.changed(baud=int(wanted))
        told = to_bytes(command.replace("{baud}", wanted)) if command.strip() else b""
        result: Changed | None = await self._do(link, sending, change_rate(runner, told, to, question, changed))
        if result is not None:
            self._keep_rate(link, runner)
            self._tell(link, result.words, good=result.proven)

    def _rate_command(self, link: LinkRecord) -> str:
        """As its sheet says that the device is told a rate, else as it was typed last."""
        sheet = self.session.sheet_of(link)
        known = next((p for p in sheet.parameter if p.changes_line and p.write), None) if sheet is not None else None
        return known.write.replace("{value}", "{baud}") if known is not None else self._last_rate_command

    def _keep_rate(self, link: LinkRecord, runner: LinkRunner) -> None:
        if runner.line.text != link.line:
            self.session.change_link(replace(link, line=runner.line.text, source="changed in lock step"))

    async def _clean_rates(self, link: LinkRecord, runner: LinkRunner) -> None:
        usual = " ".join(str(baud) for baud in (9600, 19200, 38400, 57600, 115200) if baud >= runner.line.baud)
        wanted = await self._line("Rates to try, in bit/s", usual, rates_reading, "upwards, until one is not clean")
        if wanted is None:
            return
        hint = "the device's own command; {baud} stands for the rate. Nothing, if it follows by itself"
        command = await self._line("How is the device told?", self._rate_command(link), rate_command_reading, hint)
        question = await self._question(link) if command is not None else None
        if command is None or question is None:
            return
        self._last_rate_command = command
        sending = Sending("fastest clean rate")

        def command_for(baud: int) -> bytes:
            return to_bytes(command.replace("{baud}", str(baud))) if command.strip() else b""

        def found(row: RateRow) -> None:
            sending.now = f"{row.baud}: {row.right} of {row.asked} right"

        rates = [int(baud) for baud in wanted.split()]
        rows: list[RateRow] | None = await self._do(
            link, sending, clean_rates(runner, rates, command_for, question, found=found)
        )
        if rows is None:
            return
        self._keep_rate(link, runner)
        self.session.drain(link)
        for row in rows:
            errors = f", {row.errors} line errors" if row.errors else ""
            self.session.say(link, f"{row.baud:>6} bit/s   {row.right} of {row.asked} answers alike{errors}")
        best = max((row.baud for row in rows if row.clean), default=None)
        words = f"fastest clean rate: {best}" if best is not None else "no rate was clean"
        self._tell(link, f"{words}; the port is at {runner.line.text}", good=best is not None)
