"""Talk: longer work. A question again and again, lists into tables, booting, the key that rubs out."""

from __future__ import annotations

import asyncio

from ordolex.core.link.question import Question
from ordolex.core.link.rubout import probe_rubout
from ordolex.core.talk.points import Roll, read_points
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.link.steps import perform
from ordolex.io.work.boot import wait_for_boot as boots
from ordolex.io.work.paced import Progress
from ordolex.io.work.roll import call_roll as roll_called
from ordolex.session.lists import pull_list
from ordolex.session.works import Sending
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.readings import bytes_reading, points_reading, repeat_reading
from ordolex.tui.widgets.prompts import Pick


async def repeat(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    history = at.session.talks.of(link).history
    asked = await at.line(
        "What to ask again and again", history[-1] if history else link.first_question, bytes_reading,
        "with its line end, as it goes out",
    )  # fmt: skip
    if asked is None:
        return
    every = await at.line("How often, in ms", "1000", repeat_reading, "Esc stops it; Keep has every answer")
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

    await at.do(sending, ask_on())
    if values:
        kinds = sorted(set(values), key=lambda value: -values.count(value))
        at.session.talks.drain(link)
        for value in kinds[:8]:
            at.session.talks.say(link, f"{values.count(value):>5} ×  {value or 'no answer'}")
        at.tell(f"asked {len(values)} times, {len(kinds)} different answers", good=True)


async def pull_lists(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    sheet = at.session.devices.sheet_of(link)
    if sheet is None or sheet.lists is None:
        at.say("The link's sheet says nothing of lists; `ordolex lists` takes command and pages as options", "unsure")
        return
    lists = sheet.lists
    choices = [(str(number), f"{one.number:>3}  {one.name}") for number, one in enumerate(lists.table)]
    chosen = await at.ask(Pick("Which list?", [*choices, ("all", "all of them")]))
    if chosen is None:
        return
    for one in lists.table if chosen == "all" else [lists.table[int(chosen)]]:
        sending = Sending(f"pulling {visible_text(one.name)}")

        def changed(rows: int, sending: Sending = sending) -> None:
            sending.now = f"{rows} lines"

        book = at.session.book
        before = book.reader.known.table(link.id, one.name)
        pulled = await at.do(sending, pull_list(runner, book.recorder, lists, one, before, changed))
        if pulled is None:
            return
        at.tell(pulled.words, good=pulled.whole)


async def call_roll(at: TalkAt) -> None:
    """The points come from a table that was pulled, or are typed; each is ticked when the device speaks of it."""
    link, runner = at.link, at.runner
    tables = [table for event, table in at.session.book.reader.known.tables() if event.link == link.id]
    columns = [
        (f"{t}.{c}", f"{visible_text(table.name)}: {visible_text(name)}")
        for t, table in enumerate(tables[:6])
        for c, name in enumerate(table.columns)
    ]
    given = ""
    if columns:
        choices = [*columns[:60], ("type", "type them")]
        chosen = await at.ask(Pick("Points from which column?", choices))
        if chosen is None:
            return
        if chosen != "type":
            t, c = (int(part) for part in chosen.split("."))
            given = ", ".join(dict.fromkeys(row[c].replace(",", " ").strip() for row in tables[t].rows))
    typed = await at.line("Points to be tested", given, points_reading, "each is ticked when a line names it")
    if typed is None:
        return
    roll = Roll(read_points(typed))
    sending = Sending("testing points")
    sending.now = roll.words

    def ticked(name: str, line: str) -> None:
        sending.now = roll.words
        runner.note("test", f"tested: {name}, from: {line}", {"point": name, "line": line})

    await at.do(sending, roll_called(runner, roll, ticked))
    at.session.keep_event(link, "test", roll.words, {"remaining": roll.remaining})
    at.tell(roll.words, good=not roll.remaining)


async def wait_for_boot(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    sheet = at.session.devices.sheet_of(link)
    ready = sheet.ready if sheet is not None else None
    usual = ready.boot_s if ready is not None and ready.boot_s else 20.0
    sending = Sending("booting")

    def changed(progress: Progress, words: str) -> None:
        sending.progress, sending.now = progress, words

    done: Progress | None = await at.do(sending, boots(runner, usual, changed))
    if done is not None:
        at.tell(done.words, good=done.right)


async def rubout(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    found: tuple[str, str] | None = await at.do(Sending("which key rubs out"), perform(runner, probe_rubout()))
    if found is not None:
        if found[0]:
            at.session.talks.of(link).backspace = found[0]
        at.tell(found[1], good=bool(found[0]))
