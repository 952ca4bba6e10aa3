"""What is handed over at the end of a visit: a folder and its zip with the report, the log, bytes, tables and values,
and a manifest by which a later change shows."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import chain
from pathlib import Path

from ordolex.core.record.export import export, utc_text
from ordolex.core.visit.folder import contents, texts
from ordolex.core.visit.making import Material, report_of
from ordolex.core.visit.report import Report
from ordolex.core.watch.tables import Column, long_csv
from ordolex.io.book.gathering import gathered
from ordolex.io.book.manifest import NAME, manifest
from ordolex.io.book.reader import BookReader, Span
from ordolex.io.book.rows import damaged
from ordolex.io.book.values import Item
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import safe_name
from ordolex.session.as_left import images_of, links_toml
from ordolex.session.whole import Doing, check_free, written_whole

PARTS = ("report", "log", "bytes", "pcapng", "tables", "values")
"""What may be left out. Facts as text and the manifest are always there; the book only where it is wanted."""


@dataclass(frozen=True, slots=True)
class Choice:
    """parts    of PARTS
    book     whether the book itself goes along
    form     of the paper
    secrets  what must stand in no file: a find stops the handover
    """

    parts: tuple[str, ...] = PARTS
    book: bool = False
    form: str = "A4"
    by: str = ""
    remarks: tuple[str, ...] = ()
    secrets: tuple[str, ...] = ()
    span: Span = (None, None)


def local_time(at_us: int) -> str:
    """In the zone of this computer; with its distance from UTC where that is another than now, as before the change to
    summer time."""
    then, now = datetime.fromtimestamp(at_us / 1e6, UTC).astimezone(), datetime.now().astimezone()
    other = f"{then: %z}" if then.utcoffset() != now.utcoffset() else ""
    return f"{then:%Y-%m-%d %H:%M:%S}{other}"


def zone_words() -> str:
    now = datetime.now().astimezone()
    return f"the zone of the computer that made it, {now:%Z} (UTC{now:%z}); others are marked"


def visit_span(reader: BookReader, number: int | None) -> Span:
    """The time of one visit; all where none is named. Raises a Fault."""
    if number is None:
        return None, None
    visits = reader.visits()
    for place, (visit, began, _, _) in enumerate(visits):
        if visit == number:
            return began, visits[place + 1][1] if place + 1 < len(visits) else None
    there = ", ".join(str(visit[0]) for visit in visits) or "none"
    raise Fault(f"the book has no visit {number}", f"its visits are {there}")


def material(reader: BookReader, span: Span, bag: Sequence[str] = ()) -> Material:
    return gathered(reader, all_sheets()[0], span, local_time, bag)


def report(reader: BookReader, choice: Choice) -> Report:
    """The report as data. Raises a BookFault."""
    try:
        found = material(reader, choice.span)
        return report_of(found, local_time, zone=zone_words(), by=choice.by, made_us=utc_us(), remarks=choice.remarks)
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError) as error:
        raise damaged(reader.path, error) from error  # what an event holds is not what was put there


def hand_over(book: Path, into: Path, choice: Choice, doing: Doing = lambda what: None) -> list[str]:
    """Writes the folder `into` and its zip beside it, or where the name ends in .zip only that; whole, or not at all.
    The names of the files. `doing` is told what is made. Raises a Fault."""
    check_free(into)
    reader = BookReader(book)
    try:
        return written_whole(into, lambda folder: _Writing(reader, folder, choice, doing).all(), choice.secrets, doing)
    finally:
        reader.close()


class _Writing:
    def __init__(self, reader: BookReader, folder: Path, choice: Choice, doing: Doing) -> None:
        self._reader, self._folder, self._choice, self._doing = reader, folder, choice, doing
        self._links = reader.links()
        self._names = {link.id: link.name for link in self._links}
        self._files: list[str] = []

    def all(self) -> list[str]:
        choice = self._choice
        self._doing("the facts")
        made = report(self._reader, choice)
        if "report" in choice.parts:
            self._report(made)
        if "log" in choice.parts:
            self._pieces("log.txt", "text")
        if "bytes" in choice.parts:
            for link in self._links:
                for direction, word in (("rx", "heard"), ("tx", "sent")):
                    self._pieces(f"raw/{safe_name(link.name)}-{link.id}.{word}.bin", "raw", link.id, direction)
        if "pcapng" in choice.parts:
            self._pieces("record.pcapng", "pcapng")
        if "tables" in choice.parts:
            self._tables()
        if "values" in choice.parts:
            self._values()
        if choice.book:
            self._book()
        self._images()
        for name, text in texts(made).items():
            self._put(name, text.encode())
        self._put("contents.txt", contents(made, sorted([*self._files, NAME, "contents.txt"])).encode())
        self._doing("the manifest")
        text = manifest(self._folder, self._files, made.site, made.made, made.chain_hash)
        self._put(NAME, text.encode())
        return sorted(self._files)

    def _report(self, made: Report) -> None:
        from ordolex.draw.report import page, paper

        self._doing("report.html")
        self._put("report.html", page(made).encode())
        self._doing("report.pdf")
        self._put("report.pdf", paper(made, self._choice.form))

    def _put(self, name: str, data: bytes) -> None:
        path = self._folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        self._files.append(name)

    def _pieces(self, name: str, form: str, link: int | None = None, direction: str | None = None) -> None:
        self._doing(name)
        path = self._folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("wb") as file:
            items = self._reader.timeline(link, direction, self._choice.span)
            file.writelines(export(form, items, self._names, self._reader.charsets()))
        if path.stat().st_size:
            self._files.append(name)
        else:
            path.unlink()

    def _tables(self) -> None:
        first, last = self._choice.span
        for event, table in self._reader.known.tables():
            if (first is not None and event.utc_us < first) or (last is not None and event.utc_us >= last):
                continue
            when = re.sub(r"[^\d]", "", utc_text(event.utc_us)[:19])
            link = safe_name(self._names.get(event.link, "book"))
            stem = f"tables/{link}-{event.link}.{safe_name(table.name)}.{when}.{event.id}"
            self._put(f"{stem}.csv", table.csv().encode())
            if table.odd:
                odd = "".join(f"line {number}: {text}\n" for number, text in table.odd)
                self._put(f"{stem}.odd.txt", odd.encode())

    def _images(self) -> None:
        """Each device's settings as the visit left them, as an image that Set compares and takes; and the links."""
        first, last = self._choice.span
        for link in self._links:
            events = [
                (e.kind, e.detail, e.utc_us) for e in self._reader.known.events_of("found", "set", link=link.id)
                if (first is None or e.utc_us >= first) and (last is None or e.utc_us < last)
            ]  # fmt: skip
            for image in images_of(events, all_sheets()[0]):
                name = f"images/{safe_name(link.name)}-{link.id}.unit-{image.unit}.{safe_name(image.sheet)}.json"
                self._put(name, image.encode().encode())
        self._put("links.toml", links_toml(self._links).encode())

    def _values(self) -> None:
        """A file for each round, one item behind the other: a day of many items is more than is held at once."""
        values = self._reader.values
        first, last = self._choice.span
        rounds = list(dict.fromkeys(item.round for item in values.items()))
        for number, name in enumerate(rounds, 1):
            self._doing(f"values of {name}")
            pieces = self._rows_of([item for item in values.items() if item.round == name], first, last)
            head = next(pieces)
            begun = next(pieces, None)
            if begun is not None:
                self._write(f"values/{number}-{safe_name(name)}.csv", chain((head, begun), pieces))

    def _rows_of(self, items: Sequence[Item], first: int | None, last: int | None) -> Iterator[str]:
        """The head, then each item's rows."""
        yield next(iter(long_csv([])))
        for item in items:
            ends = self._reader.values.ends(item.id)
            if ends is None:
                continue
            span = (max(first or 0, ends[0]), min(last or ends[1] + 1000, ends[1] + 1000))
            samples = list(self._reader.values.between(item.id, *span))
            rows = long_csv([Column(item.name, self._names.get(item.link, ""), item.unit, samples)])
            next(rows)
            yield from rows

    def _write(self, name: str, pieces: Iterable[str]) -> None:
        path = self._folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("w", encoding="utf-8", newline="") as file:
            file.writelines(pieces)
        self._files.append(name)

    def _book(self) -> None:
        """As it is now, in one file."""
        self._doing("the book")
        name = f"{safe_name(self._reader.path.stem)}.ordolex"
        source = sqlite3.connect(f"{self._reader.path.resolve().as_uri()}?mode=ro", uri=True)
        try:
            with sqlite3.connect(self._folder / name) as copy:
                source.backup(copy)
            copy.close()
        except sqlite3.Error as error:
            raise Fault(f"the book cannot be copied: {error}", "leave it out") from error
        finally:
            source.close()
        self._files.append(name)
