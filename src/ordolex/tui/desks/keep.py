"""Keep: the record of the whole book as one timeline, with filter, search and export."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from itertools import islice
from pathlib import Path

from rich.segment import Segment
from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.worker import get_current_worker

from ordolex.core.record.export import FORMS, SUFFIX, export, rows_of
from ordolex.core.record.items import Chunk, Event
from ordolex.core.record.sieve import Sieve
from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.text.visible import visible_text
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import items_with, rows_with
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_new
from ordolex.tui.commands import KEEP, bindings
from ordolex.tui.desks.base import Desk
from ordolex.tui.keep.spans import Part, Spans
from ordolex.tui.session import Session
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import Shown, row_segments
from ordolex.tui.widgets.wording import cut, day, size

_LATEST_ITEMS = 3000
_MATCHES_KEPT = 20_000
_TURNS_BETWEEN = 10  # half a second between looks for something new
_DIRECTIONS: tuple[Direction | None, ...] = (None, Direction.SENT, Direction.HEARD, Direction.NOTE)
_DIRECTION_WORDS = {
    None: "both ways and notes",
    Direction.SENT: "sent",
    Direction.HEARD: "heard",
    Direction.NOTE: "notes",
}

Entry = tuple[int, Row]


def _items(reader: BookReader, part: Part) -> Iterable[Chunk | Event]:
    if part.since_us is not None:
        return islice(reader.timeline(span=(part.since_us, None)), _LATEST_ITEMS)
    return reader.latest(_LATEST_ITEMS, before_us=part.before_us)


class KeepDesk(Spans, Desk):
    word = "Keep"
    BINDINGS = bindings(KEEP)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._entries: list[Entry] = []
        self._sieve = Sieve()
        self._sought = ""
        self._shown = Shown.BOTH
        self._seen_ids = (-1, -1)
        self._turns = 0
        self._reading = ""
        self._totals = (0, 0)
        self._part = Part()
        self._whole = True
        self._then: Callable[[], None] = lambda: None

    def compose(self) -> ComposeResult:
        yield HeadLine()
        yield RowView[Entry](self._draw, "Nothing recorded yet.", with_cursor=True, id="keep-rows")

    @property
    def _view(self) -> RowView[Entry]:
        return self.query_one("#keep-rows", RowView)

    def entered(self) -> None:
        self._view.focus()
        self._seen_ids = (-1, -1)
        self._turns = 0
        self.turn()

    def turn(self) -> None:
        """Looks for something new now and then; a filter reads the whole book, so it is applied once."""
        if self._turns % _TURNS_BETWEEN == 0 and self._view.following and not self._reading:
            ids = self.session.book.reader.newest_ids()
            if ids != self._seen_ids and (self._sieve.everything or self._seen_ids == (-1, -1)):
                self._seen_ids = ids
                self._load()
        self._turns += 1
        self._show_head()

    @work(thread=True, exclusive=True, group="keep")
    def _load(self) -> None:
        """Reads in a thread, with a reader of its own; a newer request takes the place of an older one."""
        worker = get_current_worker()
        sieve, part = self._sieve, self._part
        try:
            reader = BookReader(self.session.book.path)
        except Fault as fault:
            self.app.call_from_thread(self._not_loaded, str(fault))
            return
        try:
            rows = rows_of(_items(reader, part)) if sieve.everything else rows_with(reader, sieve)
            kept: list[Entry] = []
            for at, entry in enumerate(rows):
                kept.append(entry)
                if len(kept) > 2 * _MATCHES_KEPT:
                    del kept[:_MATCHES_KEPT]
                if at % 5000 == 0 and worker.is_cancelled:
                    return
            totals = reader.totals() if reader.newest_ids()[0] < 200_000 else (0, 0)
            ends = reader.first_and_last_us()
        finally:
            reader.close()
        if not worker.is_cancelled and self.app.is_running:
            kept.sort(key=lambda entry: entry[1].at_us)
            shown = kept[-_MATCHES_KEPT:]
            whole = not shown or ends is None or (shown[0][1].at_us <= ends[0] and part.newest)
            self.app.call_from_thread(self._loaded, sieve, shown, totals, whole)

    def _loaded(self, sieve: Sieve, entries: list[Entry], totals: tuple[int, int], whole: bool) -> None:
        self._reading = ""
        if sieve is not self._sieve:
            return
        self._whole = whole
        self._entries, self._totals = entries, totals
        self._view.empty_text = "Nothing recorded yet." if sieve.everything else "No row fits. Esc shows all again."
        self._view.show_rows(entries)
        then, self._then = self._then, lambda: None
        then()
        self._show_head()

    def load(self, part: Part, then: Callable[[], None]) -> None:
        """Shows another part of the book, and does `then` once it stands."""
        self._part, self._then = part, then
        self._view.following = part.newest
        self._reading = "reading …"
        self._load()

    def _not_loaded(self, why: str) -> None:
        self._reading = ""
        self.say(why, "bad")

    def _sift(self, sieve: Sieve) -> None:
        self._sieve = sieve
        self._part = Part()
        self._reading = "reading …"
        self._seen_ids = self.session.book.reader.newest_ids()
        self._load()

    def _show_head(self) -> None:
        ink = self.ink
        head = Text("Record", ink.style("ink", bold=True), no_wrap=True)
        if self._entries:
            first, last = day(self._entries[0][1].at_us), day(self._entries[-1][1].at_us)
            head.append(f"   {first}" if first == last else f"   {first} to {last}", ink.style("dim"))
        head.append(f"   {len(self._entries)} rows{self._which_part()}", ink.style("dim"))
        if self._totals[1]:
            head.append(f", {size(self._totals[1])} in all", ink.style("dim"))
        wanted = []
        if self._sieve.link is not None:
            wanted.append(self._names().get(self._sieve.link, "book"))
        if self._sieve.direction is not None:
            wanted.append(_DIRECTION_WORDS[self._sieve.direction])
        if self._sieve.text:
            wanted.append(f"with {self._sieve.text!r}")
        if wanted:
            head.append(f"   only {visible_text(', '.join(wanted))}; Esc shows all", ink.style("straw"))
        if self._reading:
            head.append(f"   {self._reading}", ink.style("straw"))
        line = self.query_one(HeadLine)
        line.text = head
        line.show()

    def _which_part(self) -> str:
        """What part of the book the rows are, where they are not all of it."""
        if self._whole or not self._sieve.everything:
            return ""
        if self._part.newest:
            return ", the newest; Home goes to the first"
        return ", a part of the book; Home goes to the first, End to the newest"

    def _names(self) -> dict[int, str]:
        return {link.id: link.name for link in self.session.links} | {0: "book"}

    def _draw(self, entry: Entry, width: int) -> list[Segment]:
        link, row = entry
        return row_segments(row, width, self._shown, self.ink, self._names().get(link, "?"))

    # ---- moving

    def on_key(self, event: object) -> None:
        key = getattr(event, "key", "")
        view = self._view
        page = max(1, view.size.height - 1)
        steps = {"up": -1, "down": 1, "pageup": -page, "pagedown": page, "home": -(10**9), "end": 10**9}
        if key in steps and view.has_focus:
            if not self._go_beyond(key, view.cursor + steps[key]):
                view.go_to(view.cursor + steps[key])
            event.stop()  # type: ignore[attr-defined]
            event.prevent_default()  # type: ignore[attr-defined]

    def _go_beyond(self, key: str, row: int) -> bool:
        """Whether the key leads out of the part that is shown: then the part there is read."""
        if self._whole or not self._sieve.everything or not self._entries or self._reading:
            return False
        first, last, view = self._entries[0][1].at_us, self._entries[-1][1].at_us, self._view
        if key == "home":
            self.load(Part(since_us=0), lambda: view.go_to(0))
        elif key == "end" and not self._part.newest:
            self.load(Part(), lambda: view.go_to(10**9))
        elif row < 0:
            self.load(Part(before_us=first + 1), lambda: view.go_to(10**9))
        elif row >= len(self._entries) and not self._part.newest:
            self.load(Part(since_us=last), lambda: view.go_to(0))
        else:
            return False
        return True

    # ---- what can be done

    @work
    async def action_filter(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt(
                "Only rows with",
                self._sieve.text,
                lambda text: _sieve_words(text),
                "a text in any case · hex:0d 0a · re:MEAS.*\\? · at:10:40..10:55 · rung: for changes of the rung",
            )
        )
        if typed is not None:
            self._sift(Sieve(typed, self._sieve.link, self._sieve.direction))

    @work
    async def action_search(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt("Search for", self._sought, _sieve_words, "Enter jumps to the next match, n to the one after it")
        )
        if typed:
            self._sought = typed
            self._jump(0)

    def action_next_match(self) -> None:
        if self._sought:
            self._jump(1)
        else:
            self.say("Nothing is searched for yet; / asks for it", "unsure")

    def _jump(self, offset: int) -> None:
        """To the next match from the cursor on, and from the beginning again after the last."""
        sieve = Sieve(self._sought)
        count = len(self._entries)
        for step in range(count):
            at = (self._view.cursor + offset + step) % count
            if sieve.passes(*self._entries[at]):
                self._view.go_to(at)
                self.say(f"row {at + 1} of {count} holds {self._sought!r}; n goes on", "good")
                return
        self.say(f"no row shown holds {self._sought!r}; f looks through the whole book", "unsure")

    def action_which_link(self) -> None:
        order = [None, *(link.id for link in self.session.links)]
        at = order.index(self._sieve.link) if self._sieve.link in order else 0
        self._sift(Sieve(self._sieve.text, order[(at + 1) % len(order)], self._sieve.direction))

    def action_which_direction(self) -> None:
        at = _DIRECTIONS.index(self._sieve.direction)
        self._sift(Sieve(self._sieve.text, self._sieve.link, _DIRECTIONS[(at + 1) % len(_DIRECTIONS)]))

    def action_clear_filters(self) -> None:
        self._sift(Sieve())

    def action_bytes_shown(self) -> None:
        self._shown = self._shown.following()
        self._view.refresh()

    @work
    async def action_export(self) -> None:
        what = "all links" if self._sieve.link is None else visible_text(self._names()[self._sieve.link])
        if self._sieve.text or self._sieve.direction is not None:
            what += ", only what the filter shows,"
        words = {"text": "text, to read", "csv": "CSV, for tables", "jsonl": "JSON lines, for programs"}
        words |= {"raw": "raw bytes", "hex": "hex dump, to read", "pcapng": "pcapng, for packet tools"}
        form = await self.app.push_screen_wait(Pick(f"Export {what} as", [(form, words[form]) for form in FORMS]))
        if form is None:
            return
        proposal = self.session.book.path.with_suffix(f".{SUFFIX[form]}")
        typed = await self.app.push_screen_wait(
            LinePrompt("Into the file", str(proposal), _file_words, "Enter writes it, Esc goes back")
        )
        if typed is not None:
            self._write(form, typed, self._sieve)

    @work(thread=True, group="export")
    def _write(self, form: str, typed: str, sieve: Sieve) -> None:
        path = Path(typed).expanduser()
        say = self.app.call_from_thread
        try:
            reader = BookReader(self.session.book.path)
            try:
                items = items_with(reader, sieve)
                written = write_new(path, export(form, items, self._names()), book=self.session.book.path)
            finally:
                reader.close()
        except Fault as fault:
            say(self.say, str(fault), "bad")
        else:
            say(self.say, f"wrote {size(written)} to {path}", "good")


def _sieve_words(text: str) -> str:
    """Raises ValueError where the text is no filter."""
    if not text:
        return "all rows"
    Sieve(text)
    kinds = {"hex:": "rows that hold these bytes", "re:": "rows that this pattern fits", "at:": "rows of this time"}
    kinds["rung:"] = "changes of the rung"
    return next((words for prefix, words in kinds.items() if text.startswith(prefix)), "rows that hold this text")


def _file_words(text: str) -> str:
    path = Path(text).expanduser()
    if not text.strip() or path.is_dir():
        raise ValueError("give the name of a file")
    if not path.parent.is_dir():
        raise ValueError(f"there is no folder {path.parent}")
    if path.exists():
        raise ValueError(f"{path.name} is there already; choose a new name")
    return cut(f"a new file in {path.parent}", 76)
