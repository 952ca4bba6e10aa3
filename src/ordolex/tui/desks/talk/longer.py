"""Talk: longer work. A question again and again, lists into tables, booting, the key that rubs out."""

from __future__ import annotations

import asyncio

from ordolex.core.bus.units import with_unit
from ordolex.core.link.rubout import probe_rubout
from ordolex.core.tables.complete import complete
from ordolex.core.talk.points import Roll, read_points
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import named
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.round import Round
from ordolex.io.link.steps import perform
from ordolex.io.system.faults import Fault
from ordolex.io.work.boot import wait_for_boot as boots
from ordolex.io.work.paced import Progress
from ordolex.io.work.roll import call_roll as roll_called
from ordolex.session.lists import pull_list
from ordolex.session.works import Sending
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.readings import points_reading
from ordolex.tui.widgets.prompts import Pick


async def repeat(at: TalkAt) -> None:
    """What was asked last, again and again: a round, which Watch shows."""
    from ordolex.tui.desks.asking_round import of_question

    round_ = await of_question(at, at.link, at.runner)
    if round_ is not None:
        await _run(at, round_)


async def _run(at: TalkAt, round_: Round) -> None:
    try:
        at.session.watches.keep(round_)
        await asyncio.wrap_future(at.session.watches.start(round_.name))
    except (Fault, ValueError) as error:
        at.say(str(error), "bad")
        return
    at.go_to("Watch")
    at.say(
        f"{visible_text(round_.name)} runs: Space puts an item into the chart, l sets its limits, Enter stops it",
        "good",
    )


async def units(at: TalkAt) -> None:
    """Every unit of a line is asked the same; one key makes a round of those that answered."""
    from ordolex.tui.desks.asking_round import of_units
    from ordolex.tui.desks.roll_call import by_question

    taken = await by_question(at, at.link, at.runner)
    if taken is None:
        return
    if not taken.watch:
        asked = named(with_unit(taken.template, taken.unit).rstrip(b"\r\n"))
        at.entry.put(asked)
        at.say(f"unit {visible_text(taken.unit)} is in the entry line: Enter asks it", "good")
        return
    round_ = await of_units(at, at.link, taken)
    if round_ is not None:
        await _run(at, round_)


async def draft_sheet(at: TalkAt) -> None:
    from ordolex.tui.desks.drafting import from_conversation

    await from_conversation(at, at.link)


async def pull_lists(at: TalkAt) -> None:
    link, runner = at.link, at.runner
    sheet = at.session.devices.sheet_of(link)
    if sheet is None or sheet.lists is None:
        at.say("The link's sheet does not say how a list is asked for; docs/sheets.md shows how, under lists", "unsure")
        return
    lists = sheet.lists
    choices = [(str(number), f"{one.number:>3}  {one.name}") for number, one in enumerate(lists.table)]
    chosen = await at.ask(Pick("Which list?", [*choices, ("all", "all of them")]))
    if chosen is None:
        return
    odd = []
    wanted = lists.table if chosen == "all" else [lists.table[int(chosen)]]
    for one in wanted:
        sending = Sending(f"pulling {visible_text(one.name)}")

        def changed(rows: int, sending: Sending = sending) -> None:
            sending.now = counted(rows, "line")

        book = at.session.book
        before = book.reader.known.table(link.id, one.name)
        pulled = await at.do(sending, pull_list(runner, book.recorder, lists, one, before, changed))
        if pulled is None:
            return
        at.tell(pulled.words, good=pulled.whole)
        found = complete(pulled.table)
        if not pulled.whole or found.missing or found.twice or found.odd:
            odd.append(f"{visible_text(one.name)}: {pulled.trouble or found.words}")
    if len(wanted) > 1:
        words = f"{counted(len(wanted), 'list')} pulled; " + ("; ".join(odd) if odd else "none has a gap or an odd row")
        at.tell(words, good=not odd)


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
        words = f"tested: {name}, from: {line}"
        at.session.hub.soon(lambda: runner.note("test", words, {"point": name, "line": line}))

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
