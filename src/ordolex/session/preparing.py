"""The preparation list of a book, its ticks, and the list as a file to print."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from ordolex.core.sheet import Sheet
from ordolex.core.text.counts import counted
from ordolex.core.visit.facts import facts_of
from ordolex.core.visit.preparing import KIND, Need, needs, ticked
from ordolex.core.visit.report import Urgency
from ordolex.core.wiring.solve import Bag
from ordolex.io.book.reader import BookReader
from ordolex.io.system.clock import utc_us
from ordolex.io.system.files import write_new
from ordolex.session.handing_over import Choice, local_time, report, zone_words


def preparation(reader: BookReader, sheets: Mapping[str, Sheet], bag: Bag) -> list[tuple[Need, int]]:
    """Each need, and when it was ticked, 0 where it is not. Raises a BookFault; not for the screen's loop."""
    links = reader.links()
    facts = {link.id: facts_of(link, list(reader.events(link.id)), sheets.get(link.sheet)) for link in links}
    points = report(reader, Choice()).open_points
    left = [(point.link or "the site", point.words) for point in points if point.urgency is Urgency.SOON]
    done = ticked([(event.utc_us, event.detail) for event in reader.known.events_of(KIND)])
    return [(need, done.get(need.key, 0)) for need in needs(links, sheets, bag, facts, left)]


def write_list(rows: list[tuple[Need, int]], reader: BookReader, path: Path, book: Path) -> str:
    """As text, or as PDF where the name ends so; the sentence on what was written. Raises a Fault."""
    site, made = reader.site(), local_time(utc_us())
    if path.suffix.lower() == ".pdf":
        from ordolex.draw.report import checklist

        cells = [("☑" if at else "☐", need.kind, need.words, ", ".join(need.links)) for need, at in rows]
        data = checklist(site, f"To prepare, {made}", zone_words(), cells)
    else:
        lines = [f"{site}: to prepare, {made}", ""]
        lines += [f"[{'x' if at else ' '}] {need.text}" for need, at in rows]
        data = ("\n".join(lines) + "\n").encode()
    write_new(path, [data], book=book)
    return f"{counted(len(rows), 'thing')} to prepare written to {path}"
