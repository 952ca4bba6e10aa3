"""`handover`, `verify`, `facts`: what is handed over at the end of a visit, whether it still holds, what is known."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, print_document, refuse
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.facts import TYPED, Fact, contradictions, facts_of, search
from ordolex.core.visit.preparing import KIND as PREPARED
from ordolex.core.visit.preparing import Need
from ordolex.core.wiring.parts import PartError
from ordolex.io.book.book import Book
from ordolex.io.book.manifest import verify_handover
from ordolex.io.book.reader import BookReader
from ordolex.io.book.since import since_before
from ordolex.io.book.verifying import verify_book
from ordolex.io.own.bag import load_bag
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.session.handing_over import PARTS, Choice, hand_over, local_time, visit_span
from ordolex.session.preparing import preparation, write_list

_SQLITE = b"SQLite format 3"


def add_to(app: typer.Typer) -> None:
    app.command()(handover)
    app.command()(verify)
    app.command()(facts)
    app.command()(compare)
    app.command()(prepare)


def handover(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    output: Annotated[
        Path | None, typer.Option("--output", "-o", help="A new folder, its zip beside it; or a .zip alone.")
    ] = None,
    visit: Annotated[int | None, typer.Option(help="Only this visit of the book, by number; without it, all.")] = None,
    without: Annotated[list[str] | None, typer.Option(help=f"Leave a part out: {', '.join(PARTS)}.")] = None,
    with_book: Annotated[bool, typer.Option("--with-book", help="The book itself goes along.")] = False,
    letter: Annotated[bool, typer.Option("--letter", help="Paper in the format Letter, in place of A4.")] = False,
    by: Annotated[str, typer.Option(help="Who hands it over.")] = "",
    remark: Annotated[list[str] | None, typer.Option(help="A remark for the first page; may be given again.")] = None,
    secret_stdin: Annotated[
        bool, typer.Option("--secret-stdin", help="Lines of standard input that must stand in no file.")
    ] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Write what is handed over: report as PDF and page, log, bytes, tables, values, and a manifest."""
    odd = [part for part in without or [] if part not in PARTS]
    if odd:
        refuse(f"--without {odd[0]!r}: choose {', '.join(PARTS)}", USAGE, json=json)
    secrets = tuple(line.rstrip("\r\n") for line in sys.stdin) if secret_stdin else ()
    into = output if output is not None else book.parent / f"{book.stem}-handover"
    with faults_said(json):
        reader = BookReader(book)
        span = visit_span(reader, visit)
        reader.close()
        parts = tuple(part for part in PARTS if part not in (without or []))
        form = "Letter" if letter else "A4"
        choice = Choice(parts, with_book, form, by, tuple(remark or []), tuple(filter(None, secrets)), span)
        files = hand_over(book, into, choice)
    if json:
        print_document("handover", {"into": str(into), "files": files})
    else:
        typer.echo("\n".join(files))


def verify(
    path: Annotated[Path, typer.Argument(help="A book, or the folder or zip of a handover.")],
    expect: Annotated[
        str,
        typer.Option(help="The last hash as it was printed when it was made: only with it is all of it vouched for."),
    ] = "",
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Say whether a handover, or the record of a book, is as it was made."""
    with faults_said(json):
        if _is_book(path):
            chain = verify_book(path)
            good, words = chain.good, chain.words
            changed = [
                f"segment {segment.id}, ended {local_time(segment.utc_us)}: {said}" for segment, said in chain.changed
            ]
            last = chain.last
            rows = {"intact": chain.intact, "changed": changed, "last_sha256": last}
        else:
            held = verify_handover(path)
            good, words = held.good, held.words
            changed = [*(f"{name}: changed" for name in held.changed), *(f"{name}: missing" for name in held.missing)]
            changed += [*(f"{name}: not in the manifest" for name in held.added), *held.unsound]
            last = held.record
            rows = {"intact": len(held.intact), "changed": changed, "last_sha256": last}
    wanted = expect.strip().lower()
    if wanted and wanted != last:
        good = False
        changed.append(f"the last hash is {last or 'none'}, expected was {wanted}")
    if json:
        print_document("verify", {"good": good, "words": words, **rows})
    else:
        typer.echo(visible_text(words))
        for line in changed:
            typer.echo(f"  {visible_text(line)}")
        typer.echo(f"last hash {last or 'none'}")
        if not wanted:
            typer.echo("what was taken off its end shows only beside the hash that was printed then: --expect HASH")
    if not good:
        refuse("it is not as it was made, or not all of it could be checked", FAILED)


def _is_book(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            return file.read(len(_SQLITE)) == _SQLITE
    except IsADirectoryError:
        return False
    except OSError as error:
        raise Fault(f"{path} cannot be read: {error.strerror}", "give a book, or a handover") from error


def facts(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    words: Annotated[list[str] | None, typer.Argument(help="Only facts in which all of these words stand.")] = None,
    link: Annotated[str | None, typer.Option(help="Only this link, by name or number.")] = None,
    note: Annotated[str | None, typer.Option(help="SUBJECT=VALUE: notes a fact of --link.")] = None,
    source: Annotated[str, typer.Option(help="Where the noted fact is known from.")] = "",
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Show what is known of each device, with source, time and proof; note what is known besides."""
    with faults_said(json):
        if note is not None:
            _note(book, note, source, link, json)
        reader = BookReader(book)
        sheets = all_sheets()[0]
        links = _chosen(reader.links(), link)
        found: list[tuple[str, Fact]] = []
        against: list[str] = []
        for one in links:
            own = facts_of(one, list(reader.events(one.id)), sheets.get(one.sheet))
            found += [(one.name, fact) for fact in own]
            against += [f"{one.name}: {line}" for line in contradictions(own)]
        found = search(found, " ".join(words or []))
        reader.close()
    if json:
        rows = [{"link": name, **fact.as_dict()} for name, fact in found]
        print_document("facts", {"facts": rows, "contradictions": against})
        return
    before = ""
    for name, fact in found:
        if name != before:
            typer.echo(visible_text(name))
            before = name
        when = f", {local_time(fact.at_us)}" if fact.at_us else ""
        said = f"{fact.source or 'nobody named'}{when}; {fact.proof or 'said only'}"
        typer.echo(visible_text(f"  {fact.subject:22} {fact.value}   ({said})"))
    for line in against:
        typer.echo(visible_text(f"these do not agree: {line}"))
    if not found:
        typer.echo("nothing is known" + (" with these words" if words else ""))


def prepare(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    output: Annotated[Path | None, typer.Option("--output", "-o", help="A new .txt or .pdf, to print.")] = None,
    bag: Annotated[Path | None, typer.Option(help="A bag, by file or name; your own without it.")] = None,
    tick: Annotated[list[int] | None, typer.Option(help="Number of a row that is ready; again takes it away.")] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """List what a visit needs: parts against the bag, files, credentials with their owner, addresses, power order."""
    with faults_said(json):
        sheets = all_sheets()[0]
        try:
            at_hand = load_bag(bag)
        except PartError as error:
            raise Fault(str(error), "mend the bag's file") from error
        reader = BookReader(book)
        rows = preparation(reader, sheets, at_hand)
        if tick:
            wrong = [number for number in tick if not 1 <= number <= len(rows)]
            if wrong:
                refuse(f"--tick {wrong[0]}: rows are 1 to {len(rows)}", USAGE, json=json)
            _tick(book, [rows[number - 1] for number in tick])
            rows = preparation(reader, sheets, at_hand)
        if output is not None:
            write_list(rows, reader, output, book)
        reader.close()
    if json:
        print_document("prepare", [need.as_dict() | {"ticked_us": at_us} for need, at_us in rows])
        return
    for number, (need, at_us) in enumerate(rows, 1):
        typer.echo(visible_text(f"{number:>3} [{'x' if at_us else ' '}] {need.text}"))
    if not rows:
        typer.echo("nothing is known to be needed")


def _tick(path: Path, rows: list[tuple[Need, int]]) -> None:
    book = Book(path)
    try:
        for need, at_us in rows:
            words = f"{'not ready any more' if at_us else 'ready'}: {need.key}"
            detail = {"need": need.key, "ticked": not at_us}
            book.recorder.note(Event(0, utc_us(), round(mono_s() * 1e6), PREPARED, words, detail))
    finally:
        book.close()


def compare(
    book: Annotated[Path, typer.Argument(help="The book's file.")],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Say what a book's last visit found otherwise than the visit before left it."""
    with faults_said(json):
        reader = BookReader(book)
        rows = since_before(reader, all_sheets()[0], lambda at_us: local_time(at_us)[:16])
        visits = len(reader.visit_starts())
        reader.close()
    if json:
        print_document("compare", {"visits": visits, "rows": [row.as_dict() for row in rows]})
        return
    for row in rows:
        typer.echo(
            visible_text(
                f"{row.state:16} {row.link}, {row.what}: {row.then}" + (f"; found {row.now}" if row.now else "")
            )
        )
    if not rows:
        typer.echo(
            "one visit only: there is nothing to compare with" if visits < 2 else "nothing that could be compared"
        )


def _chosen(links: list[LinkRecord], wanted: str | None) -> list[LinkRecord]:
    if wanted is None:
        return links
    found = [entry for entry in links if entry.name == wanted or str(entry.id) == wanted]
    if not found:
        names = ", ".join(f"{entry.id} {entry.name}" for entry in links) or "none"
        raise Fault(f"the book has no link {wanted!r}", f"its links are: {names}")
    return found


def _note(path: Path, text: str, source: str, link: str | None, json: bool) -> None:
    subject, equals, value = text.partition("=")
    if not equals or not subject.strip() or not value.strip():
        refuse(f"--note {text!r}: write SUBJECT=VALUE", USAGE, json=json)
    if link is None:
        refuse("--note is of one link: give --link too", USAGE, json=json)
    book = Book(path)
    try:
        (one,) = _chosen(book.links(), link)[:1]
        detail = {"subject": subject.strip(), "value": value.strip(), "source": source.strip() or "noted by hand"}
        words = f"{subject.strip()}: {value.strip()}"
        book.recorder.note(Event(one.id, utc_us(), round(mono_s() * 1e6), TYPED, words, detail))
    finally:
        book.close()
