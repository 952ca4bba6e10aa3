"""Talk: what the device said. Its lists by name, a search, facts for the record, its character set."""

from __future__ import annotations

from dataclasses import replace

from ordolex.core.tables.table import lines_of
from ordolex.core.text.charsets import CHARSETS, side_by_side, text_of
from ordolex.core.text.facts import facts_in
from ordolex.core.text.numbered import numbered
from ordolex.core.text.visible import visible_text
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.desks.talk.commands import commands_of
from ordolex.tui.readings import earlier_reading, search_reading
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.wording import cut

_LOOKED_AT = 20_000  # of the last rows, for facts and other characters


async def command(at: TalkAt) -> None:
    """What is chosen from the sheet goes into the line of entry, to be changed or sent."""
    commands = commands_of(at.session, at.link)
    if not commands:
        at.say("The link has no sheet with questions; Ctrl+S chooses one", "unsure")
        return
    wide = max(len(text) for text, _ in commands)
    choices = [(str(n), f"{text:{wide}}  {visible_text(means)}") for n, (text, means) in enumerate(commands)]
    chosen = await at.ask(Pick("Questions of its sheet", choices))
    if chosen is not None:
        at.entry.put(commands[int(chosen)][0])


async def pick(at: TalkAt) -> None:
    """What is chosen by its name goes into the line of entry as the device's own number."""
    link = at.link
    talk = at.session.talks.of(link)
    lines = [text_of(row.data, at.link.charset) for row in talk.rows[-60:] if row.direction == "rx"]
    items = numbered([line for text in lines for line in lines_of(text) if line.strip()])
    if not items:
        at.say("The device showed no numbered list lately", "unsure")
        return
    choices = [(number, f"{number:>4}  {visible_text(name)}") for number, name in items]
    chosen = await at.ask(Pick("The device's list", choices, "Enter sends its number"))
    if chosen is not None:
        at.entry.give(chosen)


async def earlier(at: TalkAt) -> None:
    """What was sent before and holds a text, the newest first; it goes into the line of entry."""
    link = at.link
    history = list(dict.fromkeys(reversed(at.session.talks.of(link).history)))
    if not history:
        at.say("Nothing was sent on this link yet", "unsure")
        return
    typed = await at.line("Sent earlier, and holds", "", earlier_reading(history), "nothing shows all of it")
    if typed is None:
        return
    found = [text for text in history if typed.lower() in text.lower()]
    chosen = await at.ask(Pick("Sent earlier", [(str(n), visible_text(text)) for n, text in enumerate(found[:500])]))
    if chosen is not None:
        at.entry.put(found[int(chosen)])


async def search(at: TalkAt) -> None:
    link = at.link
    typed = await at.line(
        "Search upwards for", at.remembered.sought, search_reading, "in any case; the view stops there"
    )
    if typed is None:
        return
    rows = at.session.talks.of(link).rows
    view = at.rows
    last = view.cursor if typed == at.remembered.sought and not view.following else len(rows)
    at.remembered.sought = typed
    found = rows.last_with(typed, min(last, len(rows)))
    if found is not None:
        view.show_at(found)
        at.say(f"row {found + 1} of {len(rows)}; the same search again goes further up, PgDn goes down", "good")
        return
    at.say(f"nothing above holds {typed!r}; Keep (F8) searches the whole record", "unsure")


async def facts(at: TalkAt) -> None:
    """What the device said of itself is offered for the record, one fact after the other."""
    link = at.link
    rows = at.session.talks.of(link).rows
    lines = [
        line
        for row in rows[-_LOOKED_AT:]
        if row.direction == "rx"
        for line in lines_of(text_of(row.data, link.charset))
    ]
    found = facts_in(lines)
    if not found:
        at.say("Nothing it said holds an address, a version or a serial number", "unsure")
        return
    choices = [(str(n), f"{fact.kind:14} {fact.value:20} {cut(fact.line, 40)}") for n, fact in enumerate(found)]
    chosen = await at.ask(Pick("Keep which fact?", [*choices, ("all", "all of them")]))
    if chosen is None:
        return
    for fact in found if chosen == "all" else [found[int(chosen)]]:
        at.session.note(f"{fact.kind} {fact.value}, from: {fact.line}", link)
    at.say("kept as a note of this link", "good")


async def choose_charset(at: TalkAt) -> None:
    link = at.link
    talk = at.session.talks.of(link)
    sample = next((row.data for row in reversed(talk.rows[-_LOOKED_AT:]) if not row.data.isascii()), b"")
    read = {name: visible_text(text.strip())[:50] for name, text in side_by_side(sample)}
    choices = [(name, f"{name:9} {read[name]}") for name in CHARSETS]
    chosen = await at.ask(
        Pick("Character set of the device", choices, "the last line with other than plain characters, in each")
    )
    if chosen is not None and at.change_link(replace(at.link, charset=chosen)):
        at.session.read_in(at.link)
        at.rows.refresh()
        at.say(f"{chosen}: the rows are read in it, what you type goes out in it; the screen reads it from now on")
