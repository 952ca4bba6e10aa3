"""What is still open at the end of a visit, link by link, and where each is settled."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.book.secret_search import SHORTEST, files_of, search
from ordolex.io.relay.notices import running
from ordolex.session.stands_at import still_open

if TYPE_CHECKING:
    from ordolex.session.session import Session


_ADDRESS = "network address"


@dataclass(frozen=True, slots=True)
class ClosingPoint:
    """link     None for the visit as a whole
    desk, job  where it is settled; empty for what is only to be known, or settled by hand
    loses      whether something would be lost or wrong by going away now
    """

    link: LinkRecord | None
    words: str
    desk: str = ""
    job: str = ""
    loses: bool = True


def closing_points(session: Session) -> list[ClosingPoint]:
    """What would be lost first, then what is only to be known. Raises a BookFault; not for the screen's loop."""
    points = [*_of_links(session), *_of_the_record(session), *_of_the_visit(session)]
    return sorted(points, key=lambda point: not point.loses)


def _of_links(session: Session) -> Iterator[ClosingPoint]:
    for link, words in session.open_points():
        job = "set.apply" if words.startswith("not applied") else "set.last"
        yield ClosingPoint(link, words, "Set", job)
    for link in session.links:
        under_way = session.works.on(link.id)
        if under_way is not None:
            words = f"{under_way.what} is under way, and would be cut; Esc in Talk stops it"
            yield ClosingPoint(link, words, "Talk", "")
        prompt = still_open(session, link)
        if prompt:
            yield ClosingPoint(link, f"it stands at {prompt}", "Talk", "talk.open_or_release")
        unchecked = session.devices.unchecked(link)
        if unchecked:
            words = f"stored, not checked after a power cycle: {', '.join(unchecked)}"
            yield ClosingPoint(link, words, "Set", "set.verify", loses=False)
        sheet = session.devices.sheet_of(link)
        if session.is_open(link) and sheet is not None and sheet.ready is not None and sheet.ready.power_down:
            words = f"power down in this order: {'; '.join(sheet.ready.power_down)}"
            yield ClosingPoint(link, visible_text(words), loses=False)


def _of_the_record(session: Session) -> Iterator[ClosingPoint]:
    """What the book holds of devices that were not worked on here since it was opened: by the command line, at another
    unit, before a crash."""
    reader = session.book.reader
    visits = reader.visit_starts()
    for link in session.links:
        events = [(e.kind, e.detail, e.utc_us) for e in reader.known.events_of("found", "set", link=link.id)]
        devices = {(str(detail.get("sheet")), int(detail.get("unit", -1))) for _, detail, _ in events}
        for name, unit in sorted(devices):
            sheet = session.devices.sheet_named(name)
            if sheet is None or session.devices.is_worked_on(link, name, unit):
                continue
            table = SettingsTable(sheet, unit)
            table.remember(events, visits)
            who = f" (unit {unit})" if sheet.family.addressed else ""
            for point in table.open_points:
                yield ClosingPoint(link, f"{point}{who}, as the record has it", "Set", "")


def _of_the_visit(session: Session) -> Iterator[ClosingPoint]:
    for what in session.to_restore:
        if what.startswith(_ADDRESS):  # taken back by its own job, which looks whether it is gone
            yield ClosingPoint(None, f"to take back, {visible_text(what)}", "Relay", "relay.undo")
        else:
            yield ClosingPoint(None, f"to put back: {visible_text(what)}", job=what)
    if "relays" in session.__dict__:
        for name in session.relays.running:
            yield ClosingPoint(None, f"the relay {visible_text(name)} runs", "Relay", "")
    for notice in running():
        if notice.pid != os.getpid():
            words = f"the relay {visible_text(notice.name)} of another process goes on: {visible_text(notice.port)}"
            yield ClosingPoint(None, f"{words}. `ordolex relay stop` ends it", loses=False)
    if session.watches.watch is not None:
        name = visible_text(session.watches.watch.round.name)
        yield ClosingPoint(None, f"the round {name} runs; it is stopped when you leave", "Watch", "", loses=False)


def secret_places(session: Session) -> list[str]:
    """Files of the book in which something that was typed hidden stands; for a thread, it reads all of them. Raises a
    Fault."""
    out = []
    for secret in session.known_secrets():
        if len(secret) >= SHORTEST:
            out += [f"{place.file.name}, byte {place.at}" for place in search(files_of(session.book.path), secret)]
    return out
