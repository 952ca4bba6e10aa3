"""`values`: what rounds kept in a book, as tables, figures and drawings; the table of another instrument taken in."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import USAGE, faults_said, print_document, refuse
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.imported import FORMS, Table, TimeForm, forms_of, time_columns, value_columns
from ordolex.core.watch.messages import iso
from ordolex.core.watch.stats import beside, figures
from ordolex.core.watch.tables import Column, json_lines, long_csv, wide_csv
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import span_of
from ordolex.io.book.values import Item
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_new
from ordolex.io.watch.importing import Choice, keep, table_of

_TABLES = {"wide": wide_csv, "long": long_csv, "jsonl": json_lines}
_COLUMNS = 1200
_ALWAYS = (0, 4_102_444_800_000_000)


def add_to(app: typer.Typer) -> None:
    app.command()(values)


def values(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    item: Annotated[
        list[str] | None, typer.Option(help="An item, by its name or ROUND/NAME; may be given again.")
    ] = None,
    form: Annotated[str, typer.Option("--as", help="list, stats, wide, long or jsonl.")] = "list",
    since: Annotated[
        str | None, typer.Option("--from", help="From then on, such as 10:40 or 2026-11-23 10:40.")
    ] = None,
    before: Annotated[str | None, typer.Option("--to", help="Up to this time.")] = None,
    draw: Annotated[Path | None, typer.Option(help="The values as a drawing, .svg or .pdf.")] = None,
    against: Annotated[str, typer.Option(help="An item to compare with, at its own times.")] = "",
    output: Annotated[Path | None, typer.Option("--output", "-o", help="A file; without it, standard output.")] = None,
    take: Annotated[
        Path | None, typer.Option("--import", help="Take in the table of another instrument (CSV).")
    ] = None,
    time: Annotated[str, typer.Option(help="Its time column, by heading or number from 1.")] = "",
    time_form: Annotated[str, typer.Option(help="How its times are written, where it cannot be told.")] = "",
    offset: Annotated[float, typer.Option(help="Seconds by which its times are moved.")] = 0.0,
    force: Annotated[bool, typer.Option("--force", help="Write over a file that is there.")] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """List, export, draw and compare the values in a book; take in those of another instrument."""
    if form not in ("list", "stats", *_TABLES):
        refuse(f"--as {form!r}: choose list, stats, wide, long or jsonl", USAGE, json=json)
    if draw is not None and draw.suffix.lower() not in (".svg", ".pdf"):
        refuse(f"--draw {draw}: a drawing is an .svg or a .pdf", USAGE, json=json)
    with faults_said(json):
        if take is not None:
            _take(book, take, time, time_form, offset, json)
            return
        reader = BookReader(book)
        try:
            chosen = _chosen(reader.values.items(), item or [])
            try:
                first, last = span_of(reader, since, before)
            except ValueError as error:
                refuse(str(error), USAGE, json=json)
            span = (first if first is not None else _ALWAYS[0], last if last is not None else _ALWAYS[1])
            if draw is not None:
                _draw(reader, chosen, span, draw, force, book)
            elif against:
                _against(reader, chosen, _chosen(reader.values.items(), [against])[0], span, json)
            elif form in _TABLES:
                links = {link.id: link.name for link in reader.links()}
                columns = [
                    Column(one.name, links.get(one.link, ""), one.unit, list(reader.values.between(one.id, *span)))
                    for one in chosen
                ]
                _put((row.encode() for row in _TABLES[form](columns)), output, force, book)
            else:
                _list(reader, chosen, span, form == "stats", json)
        finally:
            reader.close()


def _chosen(items: Sequence[Item], wanted: Sequence[str]) -> list[Item]:
    """Raises a Fault."""
    if not wanted:
        return list(items)
    out = []
    for text in wanted:
        found = [one for one in items if text in (one.name, f"{one.round}/{one.name}")]
        if len(found) > 1:
            names = ", ".join(f"{one.round}/{one.name}" for one in found[:6])
            raise Fault(f"{len(found)} items are called {text!r}", f"give one of {names}")
        if not found:
            names = ", ".join(f"{one.round}/{one.name}" for one in items[:12]) or "none"
            raise Fault(f"there is no item {text!r} in the book", f"give one of its own: {names}")
        out += found
    return out


def _list(reader: BookReader, items: Sequence[Item], span: tuple[int, int], stats: bool, json: bool) -> None:
    rows = []
    for one in items:
        ends = reader.values.ends(one.id)
        row: dict[str, object] = {
            "round": one.round, "item": one.name, "unit": one.unit,
            "first": iso(ends[0]) if ends else None, "last": iso(ends[1]) if ends else None,
        }  # fmt: skip
        words = f"{one.round:20} {one.name:24} {one.unit:8} "
        words += f"{row['first']} to {row['last']}" if ends else "no value"
        if stats:
            samples = list(reader.values.between(one.id, *span))
            texts = sum(isinstance(s.value, str) for s in samples)  # they are no numbers, and not missing either
            found = figures(
                [s.value if isinstance(s.value, float) else None for s in samples if not isinstance(s.value, str)]
            )
            row |= {
                "count": found.count, "missing": found.missing, "low": found.low, "high": found.high,
                "mean": found.mean, "deviation": found.deviation,
            }  # fmt: skip
            words = f"{one.round:20} {one.name:24} {one.unit:8} {f'{texts} texts; ' if texts else ''}{found.words}"
        rows.append(row)
        if not json:
            typer.echo(visible_text(words))
    if json:
        print_document("values", rows)
    elif not rows:
        typer.echo("ordolex: no round has run in this book, and nothing was imported", err=True)


def _against(reader: BookReader, items: Sequence[Item], other: Item, span: tuple[int, int], json: bool) -> None:
    theirs = _moments(reader, other, span)
    rows = []
    for one in (one for one in items if one.id != other.id):
        found = beside(_moments(reader, one, span), theirs, round(3e6 * one.every_s))
        rows.append(
            {
                "item": f"{one.round}/{one.name}", "against": f"{other.round}/{other.name}", "count": found.count,
                "alone": found.alone, "mean": found.mean, "deviation": found.deviation, "largest": found.largest,
            }
        )  # fmt: skip
        if not json:
            typer.echo(visible_text(f"{one.name} less {other.name}: {found.words}"))
    if json:
        print_document("values against", rows)


def _moments(reader: BookReader, item: Item, span: tuple[int, int]) -> list[tuple[int, float]]:
    return [(s.utc_us, s.value) for s in reader.values.between(item.id, *span) if isinstance(s.value, float)]


def _draw(
    reader: BookReader, items: Sequence[Item], span: tuple[int, int], path: Path, force: bool, book: Path
) -> None:
    from ordolex.draw.sheet import drawn
    from ordolex.draw.trend import Line, trend

    ends = [ends for one in items if (ends := reader.values.ends(one.id)) is not None]
    if not ends:
        raise Fault("there is no value to draw", "`ordolex values BOOK` lists what there is")
    first, last = max(span[0], min(e[0] for e in ends)), min(span[1], max(e[1] for e in ends) + 1)
    lines = [
        Line(
            one.name,
            one.unit,
            [(c.utc_us, c.low, c.high) for c in reader.values.columns(one.id, first, last, _COLUMNS)],
        )
        for one in items
    ]
    figure = trend(f"{reader.site()}, {iso(first)} to {iso(last)}", lines)
    write_new(path, [drawn(figure, path)], force=force, book=book)


def _put(pieces: Iterable[bytes], output: Path | None, force: bool, book: Path) -> None:
    if output is not None:
        write_new(output, pieces, force=force, book=book)
        return
    if sys.stdout is None:
        raise Fault("the output is closed", "give -o FILE")
    for piece in pieces:
        sys.stdout.buffer.write(piece)
    sys.stdout.buffer.flush()


def _take(book: Path, path: Path, time: str, form: str, offset: float, json: bool) -> None:
    """Raises a Fault where the file leaves something open that was not said."""
    table = table_of(path)
    column = _time_column(table, path, time)
    own = Book(book)
    try:
        kept = keep(
            own, path, table, Choice(column, _form(table, column, form), _values_of(table, column, path), offset)
        )
    finally:
        own.close()
    if json:
        print_document("values import", {"name": kept.name, "values": kept.count, "left_out": table.odd + kept.no_time})
    else:
        odd = f"; left out: {counted(table.odd, 'line')} of another shape" if table.odd else ""
        typer.echo(visible_text(f"{kept.name}: {kept.words}{odd}"))


def _time_column(table: Table, path: Path, wanted: str) -> int:
    found = time_columns(table)
    headings = ", ".join(f"{number} {name}" for number, name in enumerate(table.headings, 1))
    if wanted:
        if wanted in table.headings:
            return table.headings.index(wanted)
        if wanted.isdecimal() and 1 <= int(wanted) <= len(table.headings):
            return int(wanted) - 1
        raise Fault(f"{path.name} has no column {wanted!r}", f"give one of {headings}")
    if not found:
        raise Fault(
            f"{path.name}: no column holds times that can be read", f"such a time looks like {FORMS[1].example}"
        )
    if len(found) > 1:
        raise Fault(f"{path.name}: {len(found)} columns can be the time", f"give --time: {headings}")
    return found[0]


def _form(table: Table, column: int, wanted: str) -> TimeForm:
    forms = forms_of(table, column)
    names = ", ".join(repr(form.name) for form in forms or FORMS)
    if wanted:
        chosen = next((form for form in FORMS if form.name == wanted), None)
        if chosen is None:
            raise Fault(
                f"{wanted!r} is no form of times", f"give one of {', '.join(repr(form.name) for form in FORMS)}"
            )
        return chosen
    if len(forms) != 1:
        what = "can be read in two ways" if forms else "cannot be read"
        raise Fault(f"{table.rows[0][column]} {what}", f"give --time-form: {names}")
    return forms[0]


def _values_of(table: Table, column: int, path: Path) -> tuple[int, ...]:
    found = value_columns(table, column)
    if not found:
        raise Fault(
            f"{path.name}: no column beside the time holds numbers", "check the separator and the decimal comma"
        )
    return tuple(found)
