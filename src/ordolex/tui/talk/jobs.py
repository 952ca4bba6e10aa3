"""Talk: longer work. A question again and again, lists into tables, booting, the key that rubs out."""

from __future__ import annotations

import asyncio

from ordolex.core.link.question import Question
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.talk.points import Roll, read_points
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.work.boot import wait_for_boot
from ordolex.io.work.lists import Pulled, pull, table_event
from ordolex.io.work.paced import Progress
from ordolex.io.work.roll import call_roll
from ordolex.io.work.rubout import probe_rubout
from ordolex.tui.readings import (
    bytes_reading,
    points_reading,
    repeat_reading,
)
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.works import Sending, Works


class Jobs(Works):
    """The part of the desk that waits for a device."""

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

    # ---- tests

    async def _call_roll(self, link: LinkRecord, runner: LinkRunner) -> None:
        """The points come from a table that was pulled, or are typed; each is ticked when the device speaks of it."""
        tables = [table for event, table in self.session.book.reader.tables() if event.link == link.id]
        columns = [
            (f"{t}.{c}", f"{visible_text(table.name)}: {visible_text(name)}")
            for t, table in enumerate(tables[:6])
            for c, name in enumerate(table.columns)
        ]
        given = ""
        if columns:
            choices = [*columns[:60], ("type", "type them")]
            chosen = await self.app.push_screen_wait(Pick("Points from which column?", choices))
            if chosen is None:
                return
            if chosen != "type":
                t, c = (int(part) for part in chosen.split("."))
                given = ", ".join(dict.fromkeys(row[c].replace(",", " ").strip() for row in tables[t].rows))
        typed = await self._line("Points to be tested", given, points_reading, "each is ticked when a line names it")
        if typed is None:
            return
        roll = Roll(read_points(typed))
        sending = Sending("testing points")
        sending.now = roll.words

        def ticked(name: str, line: str) -> None:
            sending.now = roll.words
            runner.note("test", f"tested: {name}, from: {line}", {"point": name, "line": line})

        await self._do(link, sending, call_roll(runner, roll, ticked))
        self.session.book.recorder.note(
            Event(link.id, utc_us(), round(mono_s() * 1e6), "test", roll.words, {"remaining": roll.remaining})
        )
        self._tell(link, roll.words, good=not roll.remaining)

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
