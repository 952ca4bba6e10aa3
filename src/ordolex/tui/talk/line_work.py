"""Talk: what is done with the line itself. Signals, a rate changed in lock step, files, a question asked again and
again, the screen's character set."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from concurrent.futures import Future
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from rich.text import Text
from textual import work

from ordolex.core.endpoint import read_endpoint
from ordolex.core.link.question import Question
from ordolex.core.record import LinkRecord
from ordolex.core.tables.table import lines_of
from ordolex.core.text.charsets import CHARSETS, side_by_side
from ordolex.core.text.escapes import named, to_bytes
from ordolex.core.text.facts import facts_in
from ordolex.core.text.numbered import numbered
from ordolex.core.text.visible import visible_text
from ordolex.io.faults import Fault
from ordolex.io.runner import LinkRunner
from ordolex.io.work.boot import wait_for_boot
from ordolex.io.work.lists import Pulled, pull, table_event
from ordolex.io.work.paced import Progress, read_pace, send_paced
from ordolex.io.work.rate import Changed, RateRow, change_rate, clean_rates
from ordolex.io.work.rubout import probe_rubout
from ordolex.tui.desks.base import Desk
from ordolex.tui.readings import (
    bytes_reading,
    file_reading,
    pace_reading,
    rate_command_reading,
    rate_reading,
    rates_reading,
    repeat_reading,
    search_reading,
)
from ordolex.tui.session import LINE_ENDS
from ordolex.tui.theme import Palette
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.wording import cut

_MORE = [
    ("pick", "Choose from the device's list or menu, by name"),
    ("search", "Search the conversation"),
    ("facts", "Facts in what it said: addresses, versions, serial numbers"),
    ("boot", "Wait while it boots, without touching it"),
    ("break", "Break, 250 ms"),
    ("dtr", "DTR: on, off, or off for half a second"),
    ("rts", "RTS: on, off, or off for half a second"),
    ("rate", "Change the rate, of the device and of the port in lock step"),
    ("clean", "Find the fastest clean rate"),
    ("lists", "Pull lists from the device into tables"),
    ("repeat", "Ask again and again, with a table of the values"),
    ("rubout", "Which of Backspace and Delete does the device take?"),
    ("charset", "Character set"),
    ("reset", "Reset the device's screen"),
    ("clear", "Clear the view; the record stays"),
]
_SIGNALS = [("on", "on"), ("off", "off"), ("pulse", "off for half a second, then on")]
_PULSE_S = 0.5


@dataclass(slots=True)
class Sending:
    """Something under way on a link, that Esc stops; `progress` is set in the links' thread."""

    what: str
    future: Future[Any] | None = None
    progress: Progress | None = None
    now: str = ""

    def words(self, ink: Palette) -> Text:
        text = Text(self.what, ink.style("copper", bold=True), no_wrap=True)
        if self.progress is not None and self.progress.total:
            share = self.progress.sent / self.progress.total
            done = round(share * 20)
            text.append(f"   {'█' * done}{'░' * (20 - done)} {share:.0%}", ink.style("copper"))
            text.append(f"   {self.progress.left_s:.0f} s left", ink.style("ink"))
        if self.now:
            text.append(f"   {visible_text(self.now)}", ink.style("ink"))
        text.append("   Esc stops", ink.style("dim"))
        return text


class LineWork(Desk):
    """The part of the desk Talk that works on the line."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._sendings: dict[int, Sending] = {}
        self._sought = ""
        self._last_rate_command = "rate {baud}\\r"

    def _open_link(self) -> tuple[LinkRecord, LinkRunner] | None:
        link = self.session.chosen
        runner = self.session.runner(link) if link is not None else None
        if link is None or runner is None or not runner.is_open:
            self.say("Open a port first: F2 shows the ports", "unsure")
            return None
        if link.id in self._sendings:
            self.say(f"{self._sendings[link.id].what} is under way; Esc stops it", "unsure")
            return None
        return link, runner

    def stop_work(self, link: LinkRecord) -> None:
        sending = self._sendings.pop(link.id, None)
        if sending is not None and sending.future is not None:
            sending.future.cancel()
            self.say(f"{sending.what}: stopped", "plain")

    async def _do(self, link: LinkRecord, sending: Sending, job: Coroutine[Any, Any, Any]) -> Any:
        """Runs it in the links' loop while the desk goes on; None if it was stopped or failed."""
        self._sendings[link.id] = sending
        sending.future = self.session.hub.call(job)
        try:
            return await asyncio.wrap_future(sending.future)
        except asyncio.CancelledError:
            return None
        except Fault as fault:
            self.say(str(fault), "bad")
            return None
        finally:
            self._sendings.pop(link.id, None)

    def _tell(self, link: LinkRecord, words: str, *, good: bool) -> None:
        self.session.drain(link)
        self.session.say(link, words)
        self.say(words, "good" if good else "unsure")

    async def _line(self, title: str, value: str, reading: Any, hint: str) -> str | None:
        typed: str | None = await self.app.push_screen_wait(LinePrompt(title, value, reading, hint))
        return typed

    @work
    async def action_more(self) -> None:
        what = await self.app.push_screen_wait(Pick("With this line", _MORE))
        link = self.session.chosen
        if what is None or link is None:
            return
        talk = self.session.talk(link)
        if what == "pick":
            await self._pick(link)
        elif what == "search":
            await self._search(link)
        elif what == "facts":
            await self._facts(link)
        elif what == "charset":
            await self._choose_charset(link)
        elif what == "reset":
            odd = talk.screen.reset()
            self.say(f"the screen is reset; what had changed it: {odd}" if odd else "the screen is reset", "good")
        elif what == "clear":
            talk.rows.clear()
            talk.screen.clear()
            self.link_changed()
            self.say("the view is empty; everything is in Keep (F8)")
        elif (opened := self._open_link()) is not None:
            link, runner = opened
            works = {
                "rate": self._change_rate, "clean": self._clean_rates, "repeat": self._repeat, "rubout": self._rubout,
                "lists": self._pull_lists, "boot": self._wait_for_boot,
            }  # fmt: skip
            if what in works:
                await works[what](link, runner)
            else:
                await self._signal(what, link, runner)

    # ---- what was said

    async def _pick(self, link: LinkRecord) -> None:
        """What is chosen by its name goes into the line of entry as the device's own number."""
        talk = self.session.talk(link)
        lines = [row.data.decode("utf-8", "replace") for row in list(talk.rows)[-60:] if row.direction == "rx"]
        items = numbered([line for text in lines for line in lines_of(text) if line.strip()])
        if not items:
            self.say("The device showed no numbered list lately", "unsure")
            return
        choices = [(number, f"{number:>4}  {visible_text(name)}") for number, name in items]
        chosen = await self.app.push_screen_wait(Pick("The device's list", choices, "Enter sends its number"))
        if chosen is not None:
            entry = self.query_one("#say", EntryLine)
            entry.put(chosen)
            entry.post_message(EntryLine.Given(entry, chosen))
            entry.value = ""

    async def _search(self, link: LinkRecord) -> None:
        typed = await self._line(
            "Search upwards for", self._sought, search_reading, "in any case; the view stops there"
        )
        if typed is None:
            return
        rows = self.session.talk(link).rows
        view = self.query_one("#talk-rows", RowView)
        last = view.cursor if typed == self._sought and not view.following else len(rows)
        self._sought = typed
        for at in range(min(last, len(rows)) - 1, -1, -1):
            if typed.lower() in rows[at].shown.lower():
                view.show_at(at)
                self.say(f"row {at + 1} of {len(rows)}; the same search again goes further up, PgDn goes down", "good")
                return
        self.say(f"nothing above holds {typed!r}; Keep (F8) searches the whole record", "unsure")

    async def _facts(self, link: LinkRecord) -> None:
        """What the device said of itself is offered for the record, one fact after the other."""
        rows = self.session.talk(link).rows
        lines = [
            line for row in rows if row.direction == "rx" for line in lines_of(row.data.decode("utf-8", "replace"))
        ]
        found = facts_in(lines)
        if not found:
            self.say("Nothing it said holds an address, a version or a serial number", "unsure")
            return
        choices = [(str(n), f"{fact.kind:14} {fact.value:20} {cut(fact.line, 40)}") for n, fact in enumerate(found)]
        chosen = await self.app.push_screen_wait(Pick("Keep which fact?", [*choices, ("all", "all of them")]))
        if chosen is None:
            return
        for fact in found if chosen == "all" else [found[int(chosen)]]:
            self.session.note(f"{fact.kind} {fact.value}, from: {fact.line}", link)
        self.say("kept as a note of this link", "good")

    # ---- signals

    async def _signal(self, what: str, link: LinkRecord, runner: LinkRunner) -> None:
        try:
            if what == "break":
                await asyncio.wrap_future(self.session.hub.call(runner.send_break(0.25)))
                self._tell(link, "break of 250 ms sent", good=True)
                return
            how = await self.app.push_screen_wait(Pick(what.upper(), _SIGNALS))
            if how is None:
                return
            for on in {"on": [True], "off": [False], "pulse": [False, True]}[how]:
                outputs = runner.set_outputs(dtr=on) if what == "dtr" else runner.set_outputs(rts=on)
                await asyncio.wrap_future(self.session.hub.call(outputs))
                if how == "pulse" and not on:
                    await asyncio.sleep(_PULSE_S)
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self._tell(
                link, f"{what.upper()} {'off for half a second, on again' if how == 'pulse' else how}", good=True
            )

    # ---- rates

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
        command = await self._line("How is the device told?", self._last_rate_command, rate_command_reading, hint)
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

    def _keep_rate(self, link: LinkRecord, runner: LinkRunner) -> None:
        if runner.line.text != link.line:
            self.session.change_link(replace(link, line=runner.line.text, source="changed in lock step"))

    async def _clean_rates(self, link: LinkRecord, runner: LinkRunner) -> None:
        usual = " ".join(str(baud) for baud in (9600, 19200, 38400, 57600, 115200) if baud >= runner.line.baud)
        wanted = await self._line("Rates to try, in bit/s", usual, rates_reading, "upwards, until one is not clean")
        if wanted is None:
            return
        hint = "the device's own command; {baud} stands for the rate. Nothing, if it follows by itself"
        command = await self._line("How is the device told?", self._last_rate_command, rate_command_reading, hint)
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

    # ---- again and again

    async def _repeat(self, link: LinkRecord, runner: LinkRunner) -> None:
        history = self.session.talk(link).history
        asked = await self._line(
            "What to ask again and again", history[-1] if history else link.first_question, bytes_reading,
            "with its line end, as it goes out",
        )  # fmt: skip
        if asked is None:
            return
        every = await self._line("How often, in ms", "1000", repeat_reading, "Esc stops it; Keep has every answer")
        if every is None:
            return
        sending = Sending(f"asking every {every} ms")
        values: list[str] = []

        async def ask_on() -> None:
            loop = asyncio.get_running_loop()
            next_s = loop.time()
            while True:
                answer = await runner.ask(Question(to_bytes(asked), timeout_s=max(0.5, int(every) / 1000)))
                values.append(visible_text(answer.data.decode("utf-8", "replace").strip()))
                sending.now = f"{len(values)} times, {values.count('')} unanswered, now {values[-1][:40] or 'nothing'}"
                next_s = max(next_s + int(every) / 1000, loop.time())
                await asyncio.sleep(next_s - loop.time())

        await self._do(link, sending, ask_on())
        if values:
            kinds = sorted(set(values), key=lambda value: -values.count(value))
            self.session.drain(link)
            for value in kinds[:8]:
                self.session.say(link, f"{values.count(value):>5} ×  {value or 'no answer'}")
            self._tell(link, f"asked {len(values)} times, {len(kinds)} different answers", good=True)

    # ---- lists

    async def _pull_lists(self, link: LinkRecord, runner: LinkRunner) -> None:
        sheet = self.session.sheet_of(link)
        if sheet is None or sheet.lists is None:
            self.say(
                "The link's sheet says nothing of lists; `ordolex lists` takes command and pages as options", "unsure"
            )
            return
        lists = sheet.lists
        choices = [(str(number), f"{one.number:>3}  {one.name}") for number, one in enumerate(lists.table)]
        chosen = await self.app.push_screen_wait(Pick("Which list?", [*choices, ("all", "all of them")]))
        if chosen is None:
            return
        for one in lists.table if chosen == "all" else [lists.table[int(chosen)]]:
            sending = Sending(f"pulling {visible_text(one.name)}")

            def changed(rows: int, sending: Sending = sending) -> None:
                sending.now = f"{rows} lines"

            pulled: Pulled | None = await self._do(link, sending, pull(runner, lists, one, changed))
            if pulled is None:
                return
            before = self.session.book.reader.table(link.id, one.name)
            words, event = table_event(link.id, pulled, before)
            self.session.book.recorder.note(event)
            self._tell(link, words, good=not pulled.words)

    # ---- booting

    async def _wait_for_boot(self, link: LinkRecord, runner: LinkRunner) -> None:
        sheet = self.session.sheet_of(link)
        ready = sheet.ready if sheet is not None else None
        usual = ready.boot_s if ready is not None and ready.boot_s else 20.0
        sending = Sending("booting")

        def changed(progress: Progress, words: str) -> None:
            sending.progress, sending.now = progress, words

        done: Progress | None = await self._do(link, sending, wait_for_boot(runner, usual, changed))
        if done is not None:
            self._tell(link, done.words, good=done.right)

    # ---- which key rubs out

    async def _rubout(self, link: LinkRecord, runner: LinkRunner) -> None:
        found: tuple[str, str] | None = await self._do(link, Sending("which key rubs out"), probe_rubout(runner))
        if found is not None:
            if found[0]:
                self.session.talk(link).backspace = found[0]
            self._tell(link, found[1], good=bool(found[0]))

    async def _choose_charset(self, link: LinkRecord) -> None:
        talk = self.session.talk(link)
        sample = next((row.data for row in reversed(talk.rows) if not row.data.isascii()), b"")
        read = {name: visible_text(text.strip())[:50] for name, text in side_by_side(sample)}
        choices = [(name, f"{name:9} {read[name]}") for name in CHARSETS]
        chosen = await self.app.push_screen_wait(
            Pick("Character set of the screen", choices, "the last line with other than plain characters, in each")
        )
        if chosen is not None:
            talk.screen.use(chosen)
            self.say(f"the screen reads {chosen} from now on")

    # ---- a file

    @work
    async def action_send_file(self) -> None:
        opened = self._open_link()
        if opened is None:
            return
        link, runner = opened
        name = await self._line("Send the file", "", file_reading, "its bytes as they are; Esc goes back")
        if name is None:
            return
        try:
            data = await asyncio.to_thread(_bytes_of, name)
        except OSError as error:
            self.say(f"{name} cannot be read: {error.strerror}", "bad")
            return
        await self.send_paced(link, runner, data, Path(name).name)

    def on_entry_line_block(self, event: EntryLine.Block) -> None:
        self._paste(event.text)

    def on_key_pad_pasted(self, event: KeyPad.Pasted) -> None:
        self._paste(event.text)

    @work
    async def _paste(self, text: str) -> None:
        """Pasted lines go out with the link's line end, at a pace."""
        opened = self._open_link()
        if opened is None:
            return
        link, runner = opened
        codec, end = CHARSETS[self.session.talk(link).screen.charset], LINE_ENDS[link.line_end]
        data = b"".join(line.encode(codec, "replace") + end for line in text.splitlines())
        await self.send_paced(link, runner, data, f"{len(text.splitlines())} pasted lines")

    async def send_paced(self, link: LinkRecord, runner: LinkRunner, data: bytes, name: str) -> None:
        """Asks for the pace, then sends."""
        least = runner.line.seconds_for(len(data))
        hint = f"{len(data)} bytes take {least:.1f} s at least · 5 a character · 100 a line · echo · prompt > · fast"
        pace = await self._line(f"At which pace? {visible_text(name)}", "fast", pace_reading, hint)
        if pace is None:
            return
        sending = Sending(f"sending {visible_text(name)}", progress=Progress(len(data)))

        def changed(progress: Progress) -> None:
            sending.progress = progress

        done: Progress | None = await self._do(link, sending, send_paced(runner, data, read_pace(pace), changed))
        if done is not None:
            self._tell(link, done.words, good=done.right)


def _bytes_of(name: str) -> bytes:
    return Path(name).expanduser().read_bytes()
