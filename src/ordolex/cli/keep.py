"""`export`: a book in open forms."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import USAGE, faults_said, refuse
from ordolex.core.export import FORMS, export
from ordolex.core.record import LinkRecord
from ordolex.io.book.reader import BookReader
from ordolex.io.faults import Fault


def add_to(app: typer.Typer) -> None:
    app.command(name="export")(export_book)


def export_book(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    form: Annotated[str, typer.Option("--as", help=", ".join(FORMS))] = "text",
    link: Annotated[str | None, typer.Option(help="Only this link, by name or number.")] = None,
    only: Annotated[str | None, typer.Option(help="rx or tx: only what was heard, or only what was sent.")] = None,
    output: Annotated[Path | None, typer.Option("--output", "-o", help="A file; without it, standard output.")] = None,
) -> None:
    """Write a book's record as text, CSV, JSON lines, raw bytes or pcapng."""
    if form not in FORMS:
        refuse(f"--as {form!r}: choose {', '.join(FORMS)}", USAGE)
    if only not in (None, "rx", "tx"):
        refuse(f"--only {only!r}: choose rx or tx", USAGE)
    with faults_said():
        reader = BookReader(book)
        links = reader.links()
        chosen = None if link is None else _link_called(links, link)
        pieces = export(form, reader.timeline(chosen, only), {entry.id: entry.name for entry in links})
        if output is None:
            for piece in pieces:
                sys.stdout.buffer.write(piece)
            sys.stdout.buffer.flush()
        else:
            try:
                with output.open("wb") as file:
                    file.writelines(pieces)
            except OSError as error:
                raise Fault(f"{output} cannot be written: {error.strerror}", "choose another place") from error


def _link_called(links: list[LinkRecord], wanted: str) -> int:
    found = [entry.id for entry in links if entry.name == wanted or str(entry.id) == wanted]
    if not found:
        names = ", ".join(f"{entry.id} {entry.name}" for entry in links) or "none"
        raise Fault(f"the book has no link {wanted!r}", f"its links are: {names}")
    return found[0]
