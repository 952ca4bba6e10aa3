"""Match: beginning, stopping, and taking what was found."""

from __future__ import annotations

import asyncio
from collections.abc import Collection
from dataclasses import replace

from ordolex.core.link.ladder import Rung
from ordolex.core.match.infer import infer
from ordolex.core.match.verdict import inverted_advice, judge
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.chance import chance
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.session.links import line_of
from ordolex.session.matches import AtWork, heard_in_book, remember_inferred, take_settings
from ordolex.tui.desks.match.at import MatchAt
from ordolex.tui.desks.match.board import Seen
from ordolex.tui.widgets.prompts import Pick


async def begin(at: MatchAt) -> None:
    """A match that was stopped, also in an earlier visit, can go on where it was."""
    link = at.link
    if not read_endpoint(link.endpoint).has_line:
        at.say("Raw TCP has no line settings; the box at the far end holds them", "unsure")
        return
    if link.id in at.matches.on:
        at.say("A match is running on this link; Esc stops it", "unsure")
        return
    at.wishes.moved = False
    tried = at.session.book.reader.known.stopped_match(link.id)
    if tried:
        choices = [
            ("on", f"Go on without the {counted(len(tried), 'question')} that brought nothing"),
            ("anew", "Begin anew: the device was off, or something was changed since"),
        ]
        answer = await at.ask(Pick("The last match here was stopped", choices))
        if answer is None:
            return
        tried = tried if answer == "on" else set()
    at.say("listening first, then asking; Esc stops, and m goes on later")
    await _begin(at, link, tried)


async def _begin(at: MatchAt, link: LinkRecord, tried: Collection[tuple[str, bytes]] = ()) -> None:
    at.seen.pop(link.id, None)
    wanted = replace(at.wishes.options, questions=at.wishes.questions(at.session, link))
    try:
        await at.matches.begin(link, wanted, tried)
    except Fault as fault:
        at.say(f"{visible_text(link.name)}: {fault}", "bad")
    at.show()


async def begin_all(at: MatchAt) -> None:
    """On every link of the site that has line settings and is not proven, and on free ports too, all at once."""
    session, on = at.session, at.matches.on
    links = [link for link in session.links if _is_open_question(at, link)]
    ports = [p.endpoint for p in session.ports.all if p.may_be_opened and not session.links.at(p.endpoint)]
    ports = [endpoint for endpoint in ports if read_endpoint(endpoint).has_line]
    running = [("stop", f"stop all {len(on)} that run")] if on else []
    if not links and not ports and not running:
        at.say("Every link with line settings is proven or being matched, and no port is free")
        return
    choices = [
        ("links", f"{counted(len(links), 'link')} not proven yet"),
        ("all", f"these, and {len(ports)} free ports, each as a new link"),
    ]
    what = await at.ask(Pick("Match all at once", [*running, *(choices[not links :] if links or ports else [])]))
    if what is None:
        return
    if what == "stop":
        for running_ in list(on.values()):
            _stop(at, running_)
        at.say("all stopped; each port goes back to its link's settings")
        return
    if what == "all":
        links += [session.links.keep(endpoint, "9600 8N1", "not known yet") for endpoint in ports]
    if session.links.chosen is None:
        session.links.choose(links[0])
    at.say(f"matching {counted(len(links), 'link')} at once; Ctrl+Down goes to the next, Esc stops the one shown")
    at.show()
    await asyncio.gather(*(_begin(at, link) for link in links))


def _is_open_question(at: MatchAt, link: LinkRecord) -> bool:
    proven = at.session.view(link).evidence.rung is Rung.PROVEN
    return read_endpoint(link.endpoint).has_line and link.id not in at.matches.on and not proven


def stop(at: MatchAt) -> None:
    running = at.matches.on.get(at.chosen.id) if at.chosen is not None else None
    if running is None:
        at.say("No match is running on this link")
        return
    _stop(at, running)
    at.say("stopped; the port goes back to the link's settings. m goes on where it was")


def _stop(at: MatchAt, running: AtWork) -> None:
    at.matches.stop(running.link.id)
    if running.opened:
        at.want_release(running.link)
    if running.link.id in at.seen:
        at.seen[running.link.id].now = "stopped"
    at.show()


async def take(at: MatchAt) -> None:
    link, board = at.link, at.board
    if link.id in at.matches.on:
        at.say("A match is running; Esc stops it", "unsure")
        return
    if board.inverted:
        at.say(inverted_advice(), "bad")
        return
    settings = board.settings
    source = f"chosen on the map, {chance(board.chance(at.seen.get(link.id)))}"
    try:
        at.say(take_settings(at.session, link, settings, source), "good")
        runner = at.session.runner(link)
        if runner is not None and runner.is_open:
            await at.on_links(runner.retune(settings))
    except Fault as fault:
        at.say(str(fault), "bad")
    at.show()


async def work_on_record(at: MatchAt) -> None:
    """Infers from what the book has heard on this link."""
    link = at.link
    heard = heard_in_book(at.session, link)[-3:]
    if not heard:
        at.say("The record has nothing heard on this link yet", "unsure")
        return
    inference = await asyncio.to_thread(infer, heard, data_bits=at.wishes.options.data_bits)
    verdict = judge(heard, inference)
    at.seen[link.id] = Seen(heard, inference, verdict, [])
    if inference.best is not None:
        at.board.go_to(inference.best.best.settings, inference.best.best.inverted)
    if heard[-1].heard_at == line_of(link):
        remember_inferred(at.session, link, inference)
    count = sum(len(capture.data) for capture in heard)
    at.say(f"from {counted(count, 'byte')} of the record: {verdict.words}")
    at.show()
