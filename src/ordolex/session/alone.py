"""One link alone, for as long as one piece of work on it takes: its book, where one is wanted, and who runs it."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterator
from contextlib import asynccontextmanager, contextmanager
from dataclasses import dataclass
from pathlib import Path

from ordolex.core.line.settings import LineSettings
from ordolex.core.record.items import LinkRecord
from ordolex.core.relay.plan import RelayPlan
from ordolex.core.text.charsets import UNCHOSEN
from ordolex.io.book.book import Book
from ordolex.io.book.nowhere import NoBook
from ordolex.io.link.journal import RecorderLike
from ordolex.io.link.runner import LinkRunner


@dataclass(frozen=True, slots=True)
class Alone:
    """book  None where nothing is kept; link is 0 then"""

    endpoint: str
    line: LineSettings
    recorder: RecorderLike
    link: int
    book: Book | None
    charset: str = ""

    @property
    def reads_in(self) -> str:
        """The character set in which its lines are shown, and what is typed goes out."""
        return self.charset or UNCHOSEN

    @asynccontextmanager
    async def opened(self, recorder: RecorderLike | None = None) -> AsyncIterator[LinkRunner]:
        """The port, open; it is released at the end. Raises a Fault."""
        runner = LinkRunner(self.link, self.endpoint, self.line, recorder or self.recorder)
        runner.reads_in(self.charset)
        await runner.open()
        try:
            yield runner
        finally:
            await runner.release()


@contextmanager
def links_in(path: Path, plans: list[RelayPlan]) -> Iterator[tuple[RecorderLike, list[tuple[int, int]]]]:
    """The recorder of the book at this path, and the two links of each relay in it. Raises a BookFault."""
    from ordolex.session.relays import links_of

    book = Book(path, relays=[plan.name for plan in plans])
    try:
        known = {link.endpoint: link for link in book.links()}

        def link_for(endpoint: str, name: str, line: str) -> LinkRecord:
            if endpoint not in known:
                known[endpoint] = book.add_link(LinkRecord(0, name, endpoint, line, "relay"))
            return known[endpoint]

        ends = [links_of(plan, link_for) for plan in plans]
        yield book.recorder, [(a.id, b.id) for a, b in ends]
    finally:
        book.close()


@contextmanager
def kept_in(path: Path | None, endpoint: str, line: LineSettings, sheet: str = "", unit: int = -1) -> Iterator[Alone]:
    """In the book at this path, as the link in it that has this endpoint; or nowhere. A link that is made gets sheet
    and unit. Raises a BookFault."""
    if path is None:
        yield Alone(endpoint, line, NoBook(), 0, None)
        return
    book = Book(path)
    try:
        known = next((entry for entry in book.links() if entry.endpoint == endpoint), None)
        link = known or book.add_link(
            LinkRecord(0, endpoint, endpoint, line.text, "command line", sheet=sheet, unit=unit)
        )
        yield Alone(endpoint, line, book.recorder, link.id, book, link.charset)
    finally:
        book.close()
