"""`export`, `secret`, `book`: what is made of a book, and whether a secret is in it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, print_document, refuse
from ordolex.core.record.export import FORMS, export
from ordolex.core.record.items import LinkRecord
from ordolex.core.record.sieve import Sieve
from ordolex.core.talk.conversation import Direction
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.book.joining import join
from ordolex.io.book.packing import pack_book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.rescue import rescue
from ordolex.io.book.search import items_with, span_of
from ordolex.io.book.secret_search import files_of, search
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import check_new, write_new


def add_to(app: typer.Typer) -> None:
    app.command(name="export")(export_book)
    app.command(hidden=True, context_settings={"allow_extra_args": True, "ignore_unknown_options": True})(visit)
    app.command()(secret)
    books = typer.Typer(help="What is done with whole books.", no_args_is_help=True)
    books.command(name="rescue")(rescue_book)
    books.command(name="pack")(pack)
    books.command(name="join")(join_books)
    app.add_typer(books, name="book")


def export_book(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    form: Annotated[str, typer.Option("--as", help=", ".join(FORMS))] = "text",
    link: Annotated[str | None, typer.Option(help="Only this link, by name or number.")] = None,
    only: Annotated[str | None, typer.Option(help="rx or tx: only what was heard, or only what was sent.")] = None,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="A file; without it, standard output.")] = None,
    since: Annotated[
        str | None, typer.Option("--from", help="From then on, such as 10:40 or 2026-11-23 10:40.")
    ] = None,
    before: Annotated[str | None, typer.Option("--to", help="Up to this time.")] = None,
    with_: Annotated[str | None, typer.Option("--filter", help="Only rows with a text, hex:0d0a, re:PATTERN.")] = None,
    force: Annotated[bool, typer.Option("--force", help="Write over a file that is there.")] = False,
    json: Annotated[bool, typer.Option("--json", help="Say of the file (-o) what was written, as JSON.")] = False,
) -> None:
    """Write a book's record as text, CSV, JSON lines, raw bytes or pcapng."""
    if form not in FORMS:
        refuse(f"--as {form!r}: choose {', '.join(FORMS)}", USAGE, json=json)
    if only not in (None, "rx", "tx"):
        refuse(f"--only {only!r}: choose rx or tx", USAGE, json=json)
    if json and output is None:
        refuse("--json tells about a file: give -o FILE, or --as jsonl for the record as JSON lines", USAGE, json=json)
    with faults_said(json):
        reader = BookReader(book)
        links = reader.links()
        chosen = None if link is None else _link_called(links, link)
        direction = {"rx": Direction.HEARD, "tx": Direction.SENT, None: None}[only]
        try:
            span = span_of(reader, since, before)
            items = items_with(reader, Sieve(with_ or "", chosen, direction), span)
        except ValueError as error:
            refuse(str(error), USAGE, json=json)
        pieces = export(form, items, {entry.id: entry.name for entry in links}, reader.charsets())
        if output is not None:
            size = write_new(output, pieces, force=force, book=book)
            if json:
                print_document("export", {"file": str(output), "form": form, "bytes": size})
            return
        if form in ("raw", "pcapng") and sys.stdout is not None and sys.stdout.isatty() and not force:
            raise Fault(f"{form} would go to the terminal", "give -o FILE, or --force to insist")
        if sys.stdout is None:
            raise Fault("the output is closed", "give -o FILE")
        for piece in pieces:
            sys.stdout.buffer.write(piece)
        sys.stdout.buffer.flush()


def _link_called(links: list[LinkRecord], wanted: str) -> int:
    found = [entry.id for entry in links if entry.name == wanted or str(entry.id) == wanted]
    if not found:
        names = ", ".join(f"{entry.id} {entry.name}" for entry in links) or "none"
        raise Fault(f"the book has no link {wanted!r}", f"its links are: {names}")
    return found[0]


def rescue_book(
    damaged: Annotated[Path, typer.Argument(help="The damaged book; it is only read.")],
    into: Annotated[Path, typer.Argument(help="A new book for what can be read of it.")],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Save what can be read of a damaged book into a new one."""
    with faults_said(json):
        check_new(into, book=damaged)
        done = rescue(damaged, into)
    if json:
        print_document("book rescue", {"into": str(into), **done.as_dict()})
    else:
        typer.echo(done.words)
    if not done.chunks and not done.events:
        refuse("nothing of the record could be read", FAILED)


def pack(
    book: Annotated[Path, typer.Argument(help="The book's file; nobody else may have it open.")],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Pack what was recorded, so that a large book is smaller and quicker; an open book does so by itself."""
    from rich.console import Console
    from rich.progress import Progress

    with faults_said(json), Progress(console=Console(stderr=True), transient=True, disable=json) as bar:
        task = bar.add_task("packing", total=None)
        done = pack_book(book, lambda rows, of: bar.update(task, completed=rows, total=of))
    if json:
        print_document("book pack", {"rows": done.rows, "bytes_before": done.before, "bytes_after": done.after})
    else:
        typer.echo(done.words)


def join_books(
    first: Annotated[Path, typer.Argument(help="A book; where both say something otherwise, this one holds.")],
    second: Annotated[Path, typer.Argument(help="Another book of the same site.")],
    into: Annotated[Path, typer.Option("--into", "-o", help="A new book for both; the two are only read.")],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Join the books of two technicians: the same devices are one link, nothing is there twice."""
    with faults_said(json):
        done = join(first, second, into)
    if json:
        same = [{"link": name, "why": why} for name, why in done.same]
        differ = [{"link": c.link, "what": c.what, "first": c.first, "second": c.second} for c in done.conflicts]
        print_document("book join", {
            "into": str(into), "links": done.links, "chunks": done.chunks, "events": done.events,
            "doubled": done.doubled, "same": same, "conflicts": differ, "notes": done.notes,
        })  # fmt: skip
        return
    typer.echo(done.words)
    for name, why in done.same:
        typer.echo(visible_text(f"  one link: {name}; {why}"))
    for conflict in done.conflicts:
        typer.echo(visible_text(f"  said differently: {conflict.words}"))
    for note in done.notes:
        typer.echo(visible_text(f"  {note}"))


def visit(context: typer.Context) -> None:
    """Once a command of its own."""
    refuse("`visit` is `handover` now: ordolex handover BOOK -o FOLDER", USAGE, json="--json" in context.args)


def secret(
    files: Annotated[list[Path], typer.Argument(help="Books, exports, logs. Of a book, its journal is searched too.")],
    stdin: Annotated[bool, typer.Option(help="Take the secret from standard input.")] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Look for a secret in files, also as hex, base64 or UTF-16. It is asked for, never given as an argument."""
    wanted = sys.stdin.readline().rstrip("\r\n") if stdin else typer.prompt("Secret", hide_input=True)
    with faults_said(json):
        searched = list(dict.fromkeys(path for file in files for path in (files_of(file) or [file])))
        found = list(search(searched, wanted))
    if json:
        places = [{"file": str(place.file), "at": place.at, "as": place.disguise} for place in found]
        print_document("secret", {"searched": [str(path) for path in searched], "found": places})
    for place in found if not json else ():
        typer.echo(f"{place.file}: byte {place.at}, {place.disguise}")
    if found:
        refuse(f"the secret stands in {counted(len(found), 'place')}", FAILED)
    if not json:
        typer.echo(f"not found in {counted(len(searched), 'file')}")
