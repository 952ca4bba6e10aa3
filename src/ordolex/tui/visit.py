"""At every desk: what is known of the chosen link, and the closing of the visit."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING

from ordolex.core.record.items import LinkRecord
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.facts import SUBJECTS, TYPED, Fact, contradictions, facts_of, search
from ordolex.core.visit.preparing import KIND
from ordolex.core.visit.since import DIFFERS, NOT_YET, SAME, SHOWN
from ordolex.core.wiring.parts import PartError
from ordolex.io.book.since import since_before
from ordolex.io.own.bag import load_bag
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import path_of
from ordolex.session.closing import ClosingPoint, closing_points, secret_places
from ordolex.session.handing_over import local_time
from ordolex.session.preparing import preparation, write_list
from ordolex.tui.readings import new_file_reading
from ordolex.tui.theme import GOOD, NOTE, UNSURE
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.widgets.ticks import Ticks
from ordolex.tui.widgets.wording import cut

if TYPE_CHECKING:
    from ordolex.tui.everywhere import FrameAt

_MOST = 200


async def facts(at: FrameAt) -> None:
    """What is known of the chosen link, each with its source and what shows it; noted and searched there."""
    while at.app.is_clear:
        if at.chosen is None:
            return await _search(at)
        known = await _known(at, at.chosen)
        choices = [(str(n), _words(fact)) for n, fact in enumerate(known)]
        choices += [("note", "Note a fact of this link"), ("search", "Search the facts of all links")]
        against = [f"these do not agree: {line}" for line in contradictions(known)]
        title = f"{cut(visible_text(at.chosen.name), 60)}: what is known"
        chosen = await at.ask(Pick(title, choices[:_MOST], "\n".join(visible_text(line) for line in against)))
        if chosen is None:
            return None
        if chosen == "search":
            return await _search(at)
        await _note(at, at.chosen, known[int(chosen)] if chosen.isdigit() else None)
    return None


async def _known(at: FrameAt, link: LinkRecord) -> list[Fact]:
    sheet = at.session.devices.sheet_of(link)
    reader = at.session.book.reader
    return await asyncio.to_thread(lambda: facts_of(link, list(reader.events(link.id)), sheet))


def _words(fact: Fact) -> str:
    when = f", {local_time(fact.at_us)[:16]}" if fact.at_us else ""
    source = f"{fact.source or 'nobody named'}{when}; {fact.proof or 'said only'}"
    return visible_text(f"{fact.subject:20} {fact.value}   ({source})")


async def _note(at: FrameAt, link: LinkRecord, fact: Fact | None) -> None:
    """A fact of one's own; what was known before stays beside it."""

    def something(text: str) -> str:
        if not text.strip():
            raise ValueError("give something")
        return text.strip()

    subject = fact.subject if fact is not None else None
    if subject is None:
        choices = [(name, name) for name in SUBJECTS]
        subject = await at.ask(Pick("A fact of what?", [*choices, ("other", "something else")]))
        if subject == "other":
            subject = await at.line("A fact of what?", "", something, "such as: colour of the cable")
    if not subject:
        return
    value = await at.line(visible_text(subject), fact.value if fact is not None else "", something, "what it is")
    if value is None:
        return
    hint = "sticker, panel, manual, who said it"
    source = await at.line("From where is that known?", "", something, hint)
    if source is None:
        return
    detail: dict[str, object] = {"subject": subject.strip(), "value": value.strip(), "source": source.strip()}
    at.session.keep_event(link, TYPED, f"{subject.strip()}: {value.strip()} ({source.strip()})", detail)
    await asyncio.wrap_future(at.session.book.recorder.call(lambda connection: None))  # it is read back from the book
    at.say(visible_text(f"noted: {subject.strip()} {value.strip()}"), "good")


async def _search(at: FrameAt) -> None:
    typed = await at.line("Facts in which these words stand", "", lambda text: text.strip() or "all", "of all links")
    if typed is None:
        return
    found = [(link.name, fact) for link in at.session.links for fact in await _known(at, link)]
    rows = [f"{visible_text(cut(name, 24)):24} {_words(fact)}" for name, fact in search(found, typed)]
    await at.ask(Picture(counted(len(rows), "fact"), rows[:_MOST] or ["none"], "Esc goes back"))


async def prepare(at: FrameAt) -> None:
    """What the next visit needs, out of the links and sheets of this book; ticks hold until they are taken away."""
    book, reader = at.session.book, at.session.book.reader
    await asyncio.wrap_future(book.recorder.call(lambda connection: None))
    try:
        rows = await asyncio.to_thread(lambda: preparation(reader, all_sheets()[0], load_bag()))
    except (Fault, PartError) as fault:
        at.say(str(fault), "bad")
        return
    if not rows:
        at.say("Nothing is known to be needed: links with sheets, and facts (F11), say what is", "plain")
        return
    choices = [(need.key, visible_text(cut(need.text, 200))) for need, _ in rows]
    before = [need.key for need, at_us in rows if at_us]
    lacking = sum(need.missing for need, _ in rows)
    title = f"{counted(len(rows), 'thing')} to prepare" + (
        f", {lacking} not in the bag (Wire, g, has the bag)" if lacking else ""
    )
    ticked = await at.ask(Ticks(title, choices, before, len(choices)))
    if ticked is None:
        return
    for need, _ in rows:
        if (need.key in ticked) != (need.key in before):
            on = need.key in ticked
            words = f"{'ready' if on else 'not ready any more'}: {need.key}"
            at.session.keep_event(None, KIND, words, {"need": need.key, "ticked": on})
    done = f"{len(ticked)} of {len(rows)} are ready; the ticks are kept for the next visit"
    choices = [("no", done), ("write", "Write the list into a file, as text or PDF")]
    if await at.ask(Pick("To prepare", choices)) != "write":
        at.say(done, "good")
        return
    typed = await at.line("Write it into", f"{book.path.with_suffix('')}-prepare.pdf", new_file_reading, ".txt or .pdf")
    if typed is not None:
        now = [(need, utc_us() if need.key in ticked else 0) for need, _ in rows]
        try:
            said = await asyncio.to_thread(lambda: write_list(now, reader, path_of(typed), book.path))
        except Fault as fault:
            at.say(str(fault), "bad")
        else:
            at.say(said, "good")


async def since(at: FrameAt) -> None:
    """What is otherwise than the visit before left it, the differences first."""
    reader = at.session.book.reader
    await asyncio.wrap_future(at.session.book.recorder.call(lambda connection: None))
    try:
        rows = await asyncio.to_thread(lambda: since_before(reader, all_sheets()[0], lambda us: local_time(us)[:16]))
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    if not rows:
        at.say("This is the book's first visit, or the one before left nothing to compare with", "plain")
        return
    differ = sum(row.state == DIFFERS for row in rows)
    unread = sum(row.state == NOT_YET for row in rows)
    title = f"{differ} found otherwise than it was left; {unread} not read yet in this visit"
    lines = [visible_text(f"{_SINCE[row.state]} {cut(row.link, 22):22} {row.what}: {row.then}") for row in rows]
    told = [
        [line, *([visible_text(f"{'':25} now: {row.now}")] if row.now else [])]
        for line, row in zip(lines, rows, strict=True)
    ]
    await at.ask(
        Picture(
            title,
            [line for pair in told for line in pair],
            "≠ otherwise   ✓ as it was left   ◦ not read yet   · measured   Esc goes back",
        )
    )


_SINCE = {DIFFERS: "≠", SAME: GOOD, NOT_YET: UNSURE, SHOWN: NOTE}


async def close_visit(at: FrameAt) -> None:
    """What is still open, link by link; each is settled from here. Then it is handed over."""
    while at.app.is_clear:
        try:
            points = await asyncio.to_thread(closing_points, at.session)
        except Fault as fault:
            at.say(str(fault), "bad")
            return
        links = list(at.session.links)[:12]
        rungs = [f"{cut(visible_text(link.name), 28):28} {at.session.view(link).evidence.rung.word}" for link in links]
        choices = [(str(n), _point_words(point)) for n, point in enumerate(points)]
        choices += [("secrets", "Look whether a secret of this visit stands in the book"), ("hand", "Hand over (Keep)")]
        open_now = sum(point.loses for point in points)
        title = f"{open_now} to settle before you go" if open_now else "Nothing would be lost by going now"
        chosen = await at.ask(Pick(title, choices[:_MOST], "\n".join(rungs)))
        if chosen is None:
            return
        if chosen == "hand":
            at.app.run_at("Keep", "keep.visit")
            return
        if chosen == "secrets":
            await _look_for_secrets(at)
        elif await _settle(at, points[int(chosen)]):
            return


def _point_words(point: ClosingPoint) -> str:
    who = f"{cut(visible_text(point.link.name), 24)}: " if point.link is not None else ""
    return f"{'▸' if point.loses else '·'} {who}{visible_text(point.words)}"


async def _settle(at: FrameAt, point: ClosingPoint) -> bool:
    """Whether another desk stands in front now; the closing is taken up again by its key then."""
    if point.link is not None:
        at.session.links.choose(point.link)
    if point.desk and point.job:
        at.app.run_at(point.desk, point.job)
        return True
    if point.desk:
        at.app.turn_to(point.desk)
        return True
    if point.job in at.session.to_restore:
        answer = await at.ask(Pick(point.words, [("stay", "Not yet"), ("done", "It is put back")]))
        if answer == "done":
            at.session.to_restore.remove(point.job)
            at.session.note(f"at the end, put back: {point.job}")
    return False


async def _look_for_secrets(at: FrameAt) -> None:
    count = len(at.session.known_secrets())
    if not count:
        at.say("Nothing was typed hidden in this visit, so there is nothing to look for", "plain")
        return
    try:
        places = await asyncio.to_thread(secret_places, at.session)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    said = f"{count} were looked for: " + (f"found at {places[0]}" if places else "none stands in the book")
    at.say(said, "bad" if places else "good")
