"""The links of the book, and which of them is chosen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings, SettingsError
from ordolex.core.record.items import LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.own import sheets
from ordolex.io.ports.survey import PortFacts

_NO_LINE = LineSettings(9600)


class Links:
    """`port_of` gives what the survey says of an endpoint. In the order in which they were made."""

    def __init__(self, book: Book, port_of: Callable[[str], PortFacts | None]) -> None:
        self._book, self._port_of = book, port_of
        self._all: list[LinkRecord] = book.links()
        self.chosen: LinkRecord | None = self._all[-1] if self._all else None

    def __iter__(self) -> Iterator[LinkRecord]:
        return iter(list(self._all))

    def __getitem__(self, at: int) -> LinkRecord:
        return self._all[at]

    def __len__(self) -> int:
        return len(self._all)

    def choose(self, link: LinkRecord) -> None:
        self.chosen = link

    def step(self, by: int) -> None:
        """Chooses the next or previous link of the rail."""
        if self._all:
            ids = [link.id for link in self._all]
            at = ids.index(self.chosen.id) if self.chosen and self.chosen.id in ids else 0
            self.chosen = self._all[(at + by) % len(self._all)]

    def at(self, endpoint: str) -> LinkRecord | None:
        """The link of this endpoint, or of the adapter that is there now."""
        port = self._port_of(endpoint)
        for link in self._all:
            if link.endpoint == endpoint or (port is not None and port.identity and link.adapter == port.identity):
                return link
        return None

    def keep(self, endpoint: str, line: str, source: str) -> LinkRecord:
        """The link of this endpoint with these settings, made if the book has none. Raises a BookFault."""
        known = self.at(endpoint)
        if known is not None:
            return self.change(replace(known, endpoint=endpoint, line=line, source=source))
        port = self._port_of(endpoint)
        sheet = sheets.all_sheets()[0].get(_sheet_for(port))
        link = self._book.add_link(
            LinkRecord(
                0, port.name if port is not None else endpoint, endpoint, line, source,
                adapter=port.identity if port is not None else "",
                first_question=port.first_question if port is not None else "",
                line_end=sheet.line_end if sheet is not None else "LF",
                sheet=sheet.name if sheet is not None else "",
            )
        )  # fmt: skip
        self._all.append(link)
        return link

    def named(self, endpoint: str, name: str, line: str, source: str = "relay", sheet: str = "") -> LinkRecord:
        """The link of this endpoint; one of this name and these settings, where the book has none. Raises a
        BookFault."""
        known = self.at(endpoint)
        if known is None:
            known = self._book.add_link(LinkRecord(0, name, endpoint, line, source, sheet=sheet))
            self._all.append(known)
        return known

    def change(self, link: LinkRecord) -> LinkRecord:
        """Raises a BookFault."""
        old = next((entry for entry in self._all if entry.id == link.id), None)
        if old != link:
            self._book.keep_link(link)
            self._all = [link if entry.id == link.id else entry for entry in self._all]
        if self.chosen is not None and self.chosen.id == link.id:
            self.chosen = link
        return link

    def follow_line(self, link: LinkRecord, line: LineSettings, source: str) -> None:
        """The link's settings are these now."""
        self.change(replace(link, line=line.text, source=source))

    def last_good(self) -> LinkRecord | None:
        """The link that was proven last, in this visit or an earlier one."""
        proven = self._book.reader.known.last_proven_link()
        return next((link for link in self._all if link.id == proven), None)


def line_of(link: LinkRecord) -> LineSettings:
    """The link's settings; 9600 8N1 where it has none."""
    try:
        return read_line(link.line).settings
    except SettingsError:
        return _NO_LINE


def _sheet_for(port: PortFacts | None) -> str:
    """The sheet of a stand-in; what a real device is, only the technician knows."""
    kind = port.kind if port is not None else ""
    return next((s.name for s in sheets.all_sheets()[0].values() if s.bench_kind and s.bench_kind == kind), "")
