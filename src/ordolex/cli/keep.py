"""`export`, `visit`, `secret`: what is made of a book, and whether a secret is in it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, print_json, refuse
from ordolex.core.export import FORMS, export
from ordolex.core.record import LinkRecord
from ordolex.io.book.handover import write_visit
from ordolex.io.book.reader import BookReader
from ordolex.io.book.secret_search import files_of, search
from ordolex.io.faults import Fault


def add_to(app: typer.Typer) -> None:
    app.command(name="export")(export_book)
    app.command()(visit)
    app.command()(secret)


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


def visit(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    into: Annotated[Path, typer.Option(help="A new folder, or a file ending in .zip.")],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Write the visit folder: log, raw bytes, tables, settings with sources, proof, open points, restore list."""
    with faults_said(json):
        files = write_visit(book, into)
    if json:
        print_json({"into": str(into), "files": files})
    else:
        typer.echo("\n".join(files))


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
        print_json({"searched": [str(path) for path in searched], "found": places})
    for place in found if not json else ():
        typer.echo(f"{place.file}: byte {place.at}, {place.disguise}")
    if found:
        refuse(f"the secret stands in {len(found)} places", FAILED)
    if not json:
        typer.echo(f"not found in {len(searched)} files")
