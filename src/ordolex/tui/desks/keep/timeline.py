"""Keep: the part of the book that is shown, and how it is sifted. It is read in a thread, with a reader of its own."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Coroutine, Iterable
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

from ordolex.core.record.export import rows_of
from ordolex.core.record.items import BOOKKEEPING, Chunk, Event
from ordolex.core.record.sieve import Sieve
from ordolex.core.talk.conversation import Row
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import rows_with
from ordolex.io.system.faults import Fault
from ordolex.session.session import Session
from ordolex.tui.widgets.row_view import RowView

Entry = tuple[int, Row]

_LATEST_ITEMS = 3000
_MATCHES_KEPT = 20_000
_AROUND_US = 5_000_000


@dataclass(frozen=True, slots=True)
class Part:
    """Which part of the book is shown: from a time on, up to a time, or the newest."""

    since_us: int | None = None
    before_us: int | None = None

    @property
    def newest(self) -> bool:
        return self.since_us is None and self.before_us is None


@dataclass(frozen=True, slots=True)
class _Loaded:
    """totals  rows and bytes of the whole book, (0, 0) where counting them takes long
    whole   the entries are all that the book has
    """

    entries: list[Entry]
    totals: tuple[int, int]
    whole: bool


class Timeline:
    """`shown` is called once other rows stand.

    entries  (link, row), oldest first
    reading  what stands in the headline while the book is read
    """

    def __init__(
        self, session: Session, view: RowView[Entry], start: Callable[[Coroutine[Any, Any, None]], object],
        say: Callable[[str], None], shown: Callable[[], None],
    ) -> None:  # fmt: skip
        self._session, self.view, self._start, self._say, self._shown = session, view, start, say, shown
        self.was_read = False
        self.folded = True
        """Whether bookkeeping is left out of the rows; a filter by text looks through it all the same."""
        self.entries: list[Entry] = []
        self.sieve = Sieve()
        self.part = Part()
        self.whole = True
        self.reading = ""
        self.totals = (0, 0)
        self._seen_ids = (-1, -1)
        self._stop = threading.Event()

    @property
    def in_parts(self) -> bool:
        """The book goes on before or behind what is shown."""
        return not self.whole and self.sieve.everything

    def begin_anew(self) -> None:
        """What is new is looked for at the next look."""
        self._seen_ids = (-1, -1)

    def look_for_new(self) -> None:
        """A filter reads the whole book, so it is applied once."""
        if not self.view.following or self.reading:
            return
        ids = self._session.book.reader.newest_ids()
        if ids != self._seen_ids and (self.sieve.everything or self._seen_ids == (-1, -1)):
            self._seen_ids = ids
            self._load()

    def load(self, part: Part, then: Callable[[], None]) -> None:
        """Shows another part of the book, and does `then` once it stands."""
        self.part = part
        self.view.following = part.newest
        self.reading = "reading …"
        self._load(then)

    def sift(self, sieve: Sieve) -> None:
        """Shows what passes this sieve, of the whole book."""
        self.sieve, self.part = sieve, Part()
        self.reading = "reading …"
        self._seen_ids = self._session.book.reader.newest_ids()
        self._load()

    def _load(self, then: Callable[[], None] = lambda: None) -> None:
        """A newer request takes the place of an older one."""
        self._stop.set()
        self._stop = threading.Event()
        self._start(self._take(self._stop, self.sieve, self.part, then))

    def fold(self, *, on: bool, then: Callable[[], None]) -> None:
        """Leaves bookkeeping out of the rows, or shows it."""
        self.folded = on
        self.reading = "reading …"
        self._load(then)

    def show_all(self, then: Callable[[], None], at_us: int | None) -> None:
        """All rows again; around a time where one is given, also where it is far from the newest."""
        self.sieve = Sieve()
        far = at_us is not None and not self.whole
        self.load(Part(since_us=at_us - _AROUND_US) if far and at_us is not None else Part(), then)

    async def _take(self, stop: threading.Event, sieve: Sieve, part: Part, then: Callable[[], None]) -> None:
        without = BOOKKEEPING if self.folded and not sieve.text else frozenset()
        try:
            loaded = await asyncio.to_thread(_read, self._session.book.path, sieve, part, stop, without)
        except Fault as fault:
            self.reading = ""
            self._say(str(fault))
            return
        except asyncio.CancelledError:
            stop.set()
            raise
        if loaded is None or stop.is_set():
            return
        self.reading = ""
        self.whole, self.entries, self.totals = loaded.whole, loaded.entries, loaded.totals
        self.view.empty_text = "Nothing recorded yet." if sieve.everything else "No row fits. Esc shows all again."
        self.view.show_rows(loaded.entries)
        self.was_read = True
        then()
        self._shown()

    def go_beyond(self, key: str, row: int) -> bool:
        """Whether the key leads out of the part that is shown: then the part there is read."""
        if not self.in_parts or not self.entries or self.reading:
            return False
        first, last, view = self.entries[0][1].at_us, self.entries[-1][1].at_us, self.view
        if key == "home":
            self.load(Part(since_us=0), lambda: view.go_to(0))
        elif key == "end" and not self.part.newest:
            self.load(Part(), lambda: view.go_to(10**9))
        elif row < 0:
            self.load(Part(before_us=first + 1), lambda: view.go_to(10**9))
        elif row >= len(self.entries) and not self.part.newest:
            self.load(Part(since_us=last), lambda: view.go_to(0))
        else:
            return False
        return True


def _read(path: Path, sieve: Sieve, part: Part, stop: threading.Event, without: frozenset[str]) -> _Loaded | None:
    """None where it was stopped. Raises a BookFault."""
    reader = BookReader(path)
    try:
        if sieve.everything:
            items = (item for item in _items(reader, part) if not _is_of(item, without))
            rows = rows_of(items, reader.charsets())
        else:
            rows = rows_with(reader, sieve, without=without)
        kept: list[Entry] = []
        for number, entry in enumerate(rows):
            kept.append(entry)
            if len(kept) > 2 * _MATCHES_KEPT:
                del kept[:_MATCHES_KEPT]
            if number % 5000 == 0 and stop.is_set():
                return None
        totals = reader.totals() if reader.newest_ids()[0] < 200_000 else (0, 0)
        ends = reader.first_and_last_us()
    finally:
        reader.close()
    kept.sort(key=lambda entry: entry[1].at_us)
    shown = kept[-_MATCHES_KEPT:]
    whole = not shown or ends is None or (shown[0][1].at_us <= ends[0] and part.newest)
    return _Loaded(shown, totals, whole)


def _is_of(item: Chunk | Event, kinds: frozenset[str]) -> bool:
    return isinstance(item, Event) and item.kind in kinds


def _items(reader: BookReader, part: Part) -> Iterable[Chunk | Event]:
    if part.since_us is not None:
        return islice(reader.timeline(span=(part.since_us, None)), _LATEST_ITEMS)
    return reader.latest(_LATEST_ITEMS, before_us=part.before_us)
