"""The matches that run, on any number of links at once, and what becomes of a link by what its match found."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import Callable, Collection, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, replace
from datetime import datetime

from ordolex.core.advice.causes import Inferred
from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Inference
from ordolex.core.match.stored import Answered, answered, captures
from ordolex.core.match.verdict import NO_SETTINGS, Kind
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.text.chance import chance
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.matcher import Matcher
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match
from ordolex.session.links import line_of
from ordolex.session.session import Session
from ordolex.session.talks import EARLIER_ITEMS


async def match(
    runner: LinkRunner,
    wanted: Options,
    sheet: Sheet | None,
    usual: Sequence[LineSettings] = (),
    tried: Collection[tuple[str, bytes]] = (),
    changed: Callable[[Match], None] = lambda match: None,
) -> Match:
    """Finds the settings behind an open port. To what is wanted comes what the device's sheet knows; `usual` are the
    settings of the site's other links, what was `tried` before is not tried again; `changed` is told of each step."""
    return await Matcher(runner, replace(wanted, tried=tried).knowing(sheet, usual), changed).run()


@dataclass(slots=True)
class AtWork:
    """A match under way; `opened` if the port was opened for it. `latest` is set in the links' thread."""

    link: LinkRecord
    opened: bool
    future: Future[Match] | None = None
    latest: Match | None = None


class Matches:
    """`on` says what runs, by link."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.on: dict[int, AtWork] = {}

    async def begin(self, link: LinkRecord, wanted: Options, tried: Collection[tuple[str, bytes]] = ()) -> None:
        """Opens the port where it is not open. Raises a Fault, and nothing runs then."""
        session = self._session
        running = self.on[link.id] = AtWork(link, opened=not session.is_open(link))
        try:
            if running.opened:
                await asyncio.wrap_future(session.open(link))
        except BaseException:
            self.on.pop(link.id, None)
            raise
        runner = session.runner(link)
        if runner is None or self.on.get(link.id) is not running:  # stopped meanwhile
            self.on.pop(link.id, None)
            return

        def changed(match: Match) -> None:
            running.latest = match

        before = await asyncio.to_thread(answered_in_book, session, link)
        others = [line_of(other) for other in session.links if other.id != link.id and other.line]
        usual = [line for line, _ in Counter(others).most_common(3)]  # a site's devices are often set alike
        job = match(runner, replace(wanted, answered=before), session.devices.sheet_of(link), usual, tried, changed)
        running.future = session.hub.call(job)

    def stop(self, link: int) -> AtWork | None:
        """What was stopped. Its port goes back to the link's settings; where it was opened for the match, it is for
        whoever stops it to release it."""
        running = self.on.pop(link, None)
        if running is not None and running.future is not None:
            running.future.cancel()
        return running

    def news(self) -> list[tuple[AtWork, Match]]:
        """How far each is, where that changed."""
        out = []
        for running in self.on.values():
            latest, running.latest = running.latest, None
            if latest is not None:
                out.append((running, latest))
        return out

    def ended(self) -> list[AtWork]:
        """Those that are over; they are no longer on."""
        over = [running for running in self.on.values() if running.future is not None and running.future.done()]
        for running in over:
            del self.on[running.link.id]
        return over


def remember(session: Session, link: LinkRecord, match: Match) -> None:
    """What is no matter of settings is for the whole program to know, and the causes rest on the same reasoning."""
    words = ""
    if match.inverted and match.found is not None:
        words = f"the line is inverted ({match.found.text}). A level shifter, or A and B swapped; F4 says more"
    elif match.found is None and match.verdict is not None and match.verdict.kind in (*NO_SETTINGS, Kind.HELD):
        words = match.verdict.words
    asked = sum(bool(trial.sent) for trial in match.trials)
    session.told.in_vain[link.id] = asked if match.found is None and not match.captures else 0
    session.told.matched[link.id] = line_of(link), words
    remember_inferred(session, link, match.inference)


def remember_inferred(session: Session, link: LinkRecord, inference: Inference) -> None:
    if inference.best is not None:
        best, line = inference.best.best, line_of(link)
        session.told.infer(link.id, Inferred(best.settings, best.inverted, inference.best.probability, line))


def take_settings(
    session: Session, link: LinkRecord, settings: LineSettings, source: str, match: Match | None = None
) -> str:
    """Into the link; what became of it, in words. Raises a BookFault."""
    session.links.change(replace(link, line=settings.text, source=source))
    if match is not None and match.verdict is not None and settings.text == link.line:
        return f"{settings.text} was right already. F5 talks"
    return f"{settings.text} is taken into the link ({source}). F5 talks"


def source_of(match: Match) -> str:
    """Where a link has its settings from: when they were matched, by what, and how probable they are among all in
    reach, where that was worked out."""
    best, sure = match.inference.best, ""
    if best is not None and match.found in [member.settings for member in best.members]:
        sure = f", {chance(best.probability)} among all in reach"
    return f"matched, {datetime.now():%d %b}, {match.evidence}{sure}"


def heard_in_book(session: Session, link: LinkRecord) -> list[Capture]:
    """What the record has of this link, heard lately: one capture for each time at one setting."""
    items = session.book.reader.latest(EARLIER_ITEMS, link.id)
    return captures(items, line_of(link), with_flags=_places_errors(session, link))


def answered_in_book(session: Session, link: LinkRecord) -> Answered:
    """What the record has of a device that spoke only when it was asked. Reads the disk."""
    items = session.book.reader.latest(EARLIER_ITEMS, link.id)
    return answered(items, line_of(link), with_flags=_places_errors(session, link))


def _places_errors(session: Session, link: LinkRecord) -> bool:
    runner = session.runner(link)
    return runner.places_errors if runner is not None else read_endpoint(link.endpoint).kind == "rfc2217"
