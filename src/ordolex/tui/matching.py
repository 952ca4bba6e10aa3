"""Where the interface's match begins: what the sheet, the site's other links and the record know goes in with it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection
from concurrent.futures import Future
from dataclasses import replace

from ordolex.core.match.capture import Capture
from ordolex.core.match.stored import captures
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.record.items import LinkRecord
from ordolex.io.match.matcher import Matcher
from ordolex.io.match.options import Options
from ordolex.io.match.trials import Match
from ordolex.tui.session import Session
from ordolex.tui.talks import EARLIER_ITEMS


def begin_match(
    session: Session,
    link: LinkRecord,
    wanted: Options,
    changed: Callable[[Match], None],
    tried: Collection[tuple[str, bytes]],
) -> Future[Match] | None:
    """Finds the settings behind an open link; `changed` is called in the links' thread. To what is wanted comes
    what the sheet, the site's other links and the record know; what was tried is not tried again."""
    runner = session.runner(link)
    if runner is None:
        return None
    sheet = session.sheet_of(link)
    others = [session.line_of(other) for other in session.links if other.id != link.id and other.line]
    usual = [line for line, _ in Counter(others).most_common(3)]  # a site's devices are often set alike
    return session.hub.call(Matcher(runner, replace(wanted, tried=tried).knowing(sheet, usual), changed).run())


def heard_in_book(session: Session, link: LinkRecord) -> list[Capture]:
    """What the record has of this link, heard lately: one capture for each time at one setting."""
    items = session.book.reader.latest(EARLIER_ITEMS, link.id)
    runner = session.runner(link)
    flags = runner.places_errors if runner is not None else read_endpoint(link.endpoint).kind == "rfc2217"
    return captures(items, session.line_of(link), with_flags=flags)
