"""Keep: what leaves the book. The record in open formats, tables, the folder of a visit."""

from __future__ import annotations

import asyncio
from pathlib import Path

from ordolex.core.record.export import FORMS, SUFFIX, export, utc_text
from ordolex.core.record.sieve import Sieve
from ordolex.core.tables.complete import changes, complete
from ordolex.core.tables.table import Table
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import items_with
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_folder, is_there, path_of, safe_name, write_new
from ordolex.session.handing_over import PARTS, Choice, hand_over, report
from ordolex.tui.desks.keep.at import KeepAt
from ordolex.tui.readings import new_file_reading
from ordolex.tui.widgets.prompts import Pick, Picture
from ordolex.tui.widgets.ticks import Ticks
from ordolex.tui.widgets.wording import cut, size

_SHOWN = 400
_MOST_OUTLINE = 18
_FORM_WORDS = {
    "text": "text, to read", "csv": "CSV, for tables", "jsonl": "JSON lines, for programs", "raw": "raw bytes",
    "hex": "hex dump, to read", "pcapng": "pcapng, for packet tools",
}  # fmt: skip


async def export_record(at: KeepAt) -> None:
    sieve, names, book = at.timeline.sieve, at.names, at.session.book.path
    what = "all links" if sieve.link is None else visible_text(names[sieve.link])
    if sieve.text or sieve.direction is not None:
        what += ", only what the filter shows,"
    form = await at.ask(Pick(f"Export {what} as", [(form, _FORM_WORDS[form]) for form in FORMS]))
    if form is None:
        return
    proposal = str(book.with_suffix(f".{SUFFIX[form]}"))
    typed = await at.line("Into the file", proposal, _file_words, "Enter writes it, Esc goes back")
    if typed is not None:
        await at.write(lambda: _export(book, typed, form, sieve, names))


def _export(book: Path, typed: str, form: str, sieve: Sieve, names: dict[int, str]) -> str:
    path = path_of(typed)
    reader = BookReader(book)
    try:
        written = write_new(path, export(form, items_with(reader, sieve), names, reader.charsets()), book=book)
    finally:
        reader.close()
    return f"wrote {size(written)} to {path}"


async def show_tables(at: KeepAt) -> None:
    tables = at.session.book.reader.known.tables()
    if not tables:
        at.say("No list was pulled yet: Ctrl+B in Talk pulls them", "unsure")
        return
    choices = [
        (str(number), f"{utc_text(event.utc_us)[:16].replace('T', ' ')}  {visible_text(event.text)}")
        for number, (event, _) in enumerate(tables)
    ]
    chosen = await at.ask(Pick("Tables", choices[:200]))
    if chosen is None:
        return
    event, table = tables[int(chosen)]
    before = at.session.book.reader.known.table_before(event)
    title = f"{visible_text(table.name)}: {counted(len(table.rows), 'row')}, {complete(table).words}"
    shown = Picture(title, [*_changes(before, table), *_table_lines(table)], "x writes it as CSV, Esc goes back")
    if await at.ask(shown):
        typed = await at.line("Write it into", f"{safe_name(table.name)}.csv", new_file_reading, "Enter writes it")
        if typed is not None:
            await at.write(lambda: _write_csv(typed, table, at.session.book.path))


def _write_csv(typed: str, table: Table, book: Path) -> str:
    path = path_of(typed)
    write_new(path, [table.csv().encode()], book=book)
    return f"wrote {path}"


_PART_WORDS = {
    "report": "report, as PDF and as page", "log": "log of everything that passed, to read",
    "bytes": "the bytes of each link", "pcapng": "everything that passed, for network analysers",
    "tables": "tables as CSV", "values": "watched values as CSV", "book": "the book itself",
}  # fmt: skip


async def hand_all_over(at: KeepAt) -> None:
    """What goes in is ticked, who and a remark are given, the outline is looked at; then it is written."""
    book = at.session.book.path
    ticked = await at.ask(Ticks("What is handed over?", list(_PART_WORDS.items()), list(PARTS), len(_PART_WORDS)))
    if ticked is None:
        return
    by = await at.line(
        "Who hands it over?", at.looked.by, lambda text: text.strip() or "nobody named", "on the first page"
    )
    if by is None:
        return
    at.looked.by = by.strip()
    remark = await at.line("A remark for the first page", "", lambda text: text.strip() or "none", "Enter goes on")
    if remark is None:
        return
    parts = tuple(part for part in PARTS if part in ticked)
    remarks = (remark.strip(),) if remark.strip() else ()
    secrets = at.session.known_secrets()
    choice = Choice(parts, "book" in ticked, "A4", at.looked.by, remarks, secrets)
    outline = await _outline(at, choice)
    if outline is None:
        return
    choices = [("write", "Write it"), ("stay", "Not yet")]
    if await at.ask(Pick("The report's outline", choices, "\n".join(outline))) != "write":
        return
    hint = "a new folder, its zip beside it; or a name that ends in .zip"
    typed = await at.line("Write it into", f"{book.with_suffix('')}-handover", new_file_reading, hint)
    if typed is not None:
        doing = Doing(await asyncio.to_thread(lambda: book.stat().st_size))
        await at.write(lambda: _written(book, typed, choice, doing), lambda: doing.words)


async def _outline(at: KeepAt, choice: Choice) -> list[str] | None:
    def read() -> list[str]:
        reader = BookReader(at.session.book.path)
        try:
            made = report(reader, choice)
        finally:
            reader.close()
        rows = [f"{'  ' * depth}{visible_text(cut(words, 60))}" for depth, words in made.outline()]
        return [*rows[:_MOST_OUTLINE], *(["…"] if len(rows) > _MOST_OUTLINE else []), "", *made.summary]

    try:
        return await asyncio.to_thread(read)
    except Fault as fault:
        at.say(str(fault), "bad")
        return None


class Doing:
    """What is made of a handover just now; told from the thread that makes it."""

    def __init__(self, size_of_book: int) -> None:
        self.words = ""
        self._of = size(size_of_book)

    def __call__(self, what: str) -> None:
        self.words = f"{what}, of a book of {self._of}"


def _written(book: Path, typed: str, choice: Choice, doing: Doing) -> str:
    path = path_of(typed)
    count = len(hand_over(book, path, choice, doing))
    return f"handed over: {counted(count, 'file')} in {path}; ordolex verify holds them against it"


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


def _file_words(text: str) -> str:
    path = path_of(text)
    if not text.strip() or is_folder(path):
        raise ValueError("give the name of a file")
    if not is_folder(path.parent):
        raise ValueError(f"there is no folder {path.parent}")
    if is_there(path):
        raise ValueError(f"{path.name} is there already; choose a new name")
    return cut(f"a new file in {path.parent}", 76)


async def rotate(at: KeepAt) -> None:
    """At which size or age older bytes go into a volume beside the book; the newest minute and all notes stay."""
    from ordolex.session import keeping

    before = await asyncio.to_thread(keeping.rotation_of, at.session.book)
    hint = "such as 500MB or 7d; empty: all bytes stay in this book. The newest minute and all values stay here"
    typed = await at.line("Older bytes go into a volume beside the book at", before, _limit_reading, hint)
    if typed is None:
        return
    await asyncio.to_thread(keeping.rotate, at.session.book, typed)
    said = f"older bytes go into volumes at {typed.strip()}" if typed.strip() else "all bytes stay in this book"
    at.say(said, "good")


def _limit_reading(text: str) -> str:
    from ordolex.io.book.turning import read_limit

    if not text.strip():
        return "all bytes stay in this book"
    try:
        limit = read_limit(text)
    except Fault as fault:
        raise ValueError(str(fault)) from fault
    return f"{limit.count:,} bytes" if limit.count is not None else f"{limit.seconds or 0:g} s"
