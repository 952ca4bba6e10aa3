"""Keep: marks, jumping to a time, two spans side by side, the device's lists as tables, and the visit folder."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from textual import work

from ordolex.core.record.export import utc_text
from ordolex.core.record.items import Event
from ordolex.core.record.side_by_side import Kind, compare, words
from ordolex.core.record.sieve import read_time, since_midnight
from ordolex.core.tables.complete import changes, complete
from ordolex.core.tables.table import Table
from ordolex.core.talk.conversation import Row
from ordolex.core.text.visible import visible_text
from ordolex.io.book.handover import write_visit
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import safe_name, write_new
from ordolex.tui.desks.base import Desk
from ordolex.tui.widgets.prompts import LinePrompt, Pick, Picture
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.wording import clock_time, cut

_MARK = "mark: "
_SIGNS = {Kind.SAME: " ", Kind.MISSING: "−", Kind.ADDED: "+", Kind.CHANGED: "~"}
_SHOWN = 400


@dataclass(frozen=True, slots=True)
class Part:
    """Which part of the book is shown: from a time on, up to a time, or the newest."""

    since_us: int | None = None
    before_us: int | None = None

    @property
    def newest(self) -> bool:
        return self.since_us is None and self.before_us is None


class Spans(Desk):
    """The part of the desk Keep that works with spans and tables. `entries` are the rows shown."""

    _entries: list[tuple[int, Row]]
    _whole: bool

    def load(self, part: Part, then: Callable[[], None]) -> None:
        raise NotImplementedError

    @property
    def _rows(self) -> RowView[tuple[int, Row]]:
        return self.query_one("#keep-rows", RowView)

    # ---- marks and times

    @work
    async def action_mark(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt("Mark this moment with a word", "", _word_reading, "it stands in the record from now on")
        )
        if typed is not None:
            link = self.session.chosen
            event = Event(link.id if link else 0, utc_us(), round(mono_s() * 1e6), "mark", _MARK + typed.strip())
            self.session.book.recorder.note(event)
            self.say(f"marked: {visible_text(typed)}", "good")

    @work
    async def action_jump(self) -> None:
        typed = await self.app.push_screen_wait(
            LinePrompt("Jump to the time", "", _time_reading, "such as 10:40, 10:40:05 or 2026-11-23 10:40")
        )
        if typed is None or not self._entries:
            return
        day, time = read_time(typed)
        day = day or since_midnight(self._entries[-1][1].at_us)[0]
        first, last = (since_midnight(self._entries[at][1].at_us) for at in (0, -1))
        if self._whole or first <= (day, time) <= last:
            self._jump_to(day, time)
        else:  # that time is not among what is shown: from there on the book is read
            moment = datetime.fromisoformat(day) + time
            self.load(Part(since_us=round(moment.timestamp() * 1e6)), lambda: self._jump_to(day, time))

    def _jump_to(self, day: str, time: timedelta) -> None:
        for at, (_, row) in enumerate(self._entries):
            if since_midnight(row.at_us) >= (day, time):
                self._rows.go_to(at)
                names = {link.id: link.name for link in self.session.links}
                held = [names.get(link, "?") for link, _ in self.session.book.reader.held_at(row.at_us)]
                ports = f"ports held then: {', '.join(held)}" if held else "no port was held then"
                self.say(
                    f"row {at + 1} of {len(self._entries)}, {clock_time(row.at_us)}; {visible_text(ports)}", "good"
                )
                return
        self.say("the record has nothing that late", "unsure")

    # ---- two spans

    @work
    async def action_compare(self) -> None:
        """The rows behind one mark, up to the next mark, beside those behind another."""
        marks = [at for at, (_, row) in enumerate(self._entries) if row.text.startswith(_MARK)]
        if len(marks) < 2:
            self.say("Two marks are needed, each where a span begins: m sets one", "unsure")
            return
        choices = [(str(at), f"{clock_time(self._entries[at][1].at_us)}  {self._entries[at][1].shown}") for at in marks]
        first = await self.app.push_screen_wait(Pick("The first span begins at", choices))
        others = [choice for choice in choices if choice[0] != first]
        second = await self.app.push_screen_wait(Pick("The second begins at", others)) if first is not None else None
        if first is None or second is None:
            return
        how = [("masked", "values may differ: only words and shape count"), ("exact", "every character counts")]
        exact = await self.app.push_screen_wait(Pick("What counts?", how))
        if exact is None:
            return
        spans = [self._span(int(begin), marks) for begin in (first, second)]
        lines = compare(spans[0], spans[1], mask_values=exact == "masked")
        shown = [
            f"{_SIGNS[line.kind]} {cut(line.first, 52):52}  {cut(line.second, 52)}".rstrip() for line in lines[:_SHOWN]
        ]
        hint = "− missing in the second   + only in the second   ~ changed   Esc goes back"
        await self.app.push_screen_wait(Picture(f"Two spans: {words(lines)}", shown, hint))

    def _span(self, begin: int, marks: Sequence[int]) -> list[str]:
        end = next((at for at in marks if at > begin), len(self._entries))
        return [row.shown for _, row in self._entries[begin + 1 : end] if row.data]

    # ---- tables

    @work
    async def action_tables(self) -> None:
        tables = self.session.book.reader.tables()
        if not tables:
            self.say("No list was pulled yet: Ctrl+B in Talk pulls them", "unsure")
            return
        choices = [
            (str(number), f"{utc_text(event.utc_us)[:16].replace('T', ' ')}  {visible_text(event.text)}")
            for number, (event, _) in enumerate(tables)
        ]
        chosen = await self.app.push_screen_wait(Pick("Tables", choices[:200]))
        if chosen is None:
            return
        event, table = tables[int(chosen)]
        before = self.session.book.reader.table_before(event)
        hint = "x writes it as CSV, Esc goes back"
        title = f"{visible_text(table.name)}: {len(table.rows)} rows, {complete(table).words}"
        if await self.app.push_screen_wait(Picture(title, [*_changes(before, table), *_table_lines(table)], hint)):
            proposal = f"{safe_name(table.name)}.csv"
            path = await self.app.push_screen_wait(LinePrompt("Write it into", proposal, _new_file, "Enter writes it"))
            if path is not None:
                self._write_file(path, table.csv())

    @work(thread=True, group="export")
    def _write_file(self, name: str, text: str) -> None:
        path = Path(name).expanduser()
        try:
            write_new(path, [text.encode()], book=self.session.book.path)
        except Fault as fault:
            self.app.call_from_thread(self.say, str(fault), "bad")
        else:
            self.app.call_from_thread(self.say, f"wrote {path}", "good")

    # ---- the visit folder

    @work
    async def action_visit(self) -> None:
        proposal = str(self.session.book.path.with_suffix("")) + "-visit"
        hint = "a new folder, or a name that ends in .zip: log, bytes, tables, settings, proof, open points"
        path = await self.app.push_screen_wait(LinePrompt("Write the visit into", proposal, _new_file, hint))
        if path is not None:
            self._write_visit(path)

    @work(thread=True, group="export")
    def _write_visit(self, name: str) -> None:
        path = Path(name).expanduser()
        try:
            files = write_visit(self.session.book.path, path)
        except Fault as fault:
            self.app.call_from_thread(self.say, str(fault), "bad")
        else:
            self.app.call_from_thread(self.say, f"wrote {len(files)} files into {path}", "good")


def _changes(before: Table | None, after: Table) -> list[str]:
    """Row by row, what is not as in the pull before."""
    if before is None:
        return []
    found = changes(before, after)
    rows: list[tuple[str, tuple[str, ...], tuple[str, ...]]] = [("+", row, ()) for row in found.new]
    rows += [("−", row, ()) for row in found.gone]
    rows += [("~", new, old) for old, new in found.changed]
    if not rows:
        return ["as in the pull before", ""]
    out = [f"{found.words}:   + new   − gone   ~ changed"]
    for sign, row, old in rows[:_SHOWN]:
        other = [cell for cell, now in zip(old, row, strict=False) if cell != now]
        out.append(visible_text(f"{sign} {'  '.join(row)}" + (f"   was  {'  '.join(other)}" if other else "")))
    return [*out, ""]


def _table_lines(table: Table) -> list[str]:
    rows = [table.columns, *table.rows[:_SHOWN]]
    widths = [min(40, max(len(row[column]) for row in rows)) for column in range(len(table.columns))]
    lines = [
        "  ".join(f"{cut(visible_text(cell), wide):{wide}}" for cell, wide in zip(row, widths, strict=True)).rstrip()
        for row in rows
    ]
    lines += ["", *(f"line {number} fits no row: {visible_text(text)}" for number, text in table.odd[:_SHOWN])]
    return lines


def _word_reading(text: str) -> str:
    if not text.strip():
        raise ValueError("give a word")
    return "the mark is found again with /"


def _time_reading(text: str) -> str:
    read_time(text)
    return "local time"


def _new_file(text: str) -> str:
    path = Path(text).expanduser()
    if not text.strip():
        raise ValueError("give a name")
    if not path.parent.is_dir():
        raise ValueError(f"there is no folder {path.parent}")
    if path.exists():
        raise ValueError(f"{path.name} is there already; choose a new name")
    return f"in {path.parent.absolute()}"
