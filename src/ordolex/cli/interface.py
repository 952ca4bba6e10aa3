"""The interface itself, on one book. The first screen waits for all that is imported here."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from ordolex.cli.plain import interface_was_shown
from ordolex.io.own import places
from ordolex.io.system import log
from ordolex.io.system.faults import Fault


def run_interface(path: Path, site: str = "", *, choose: bool = False) -> int:
    """The exit status. With `choose` the books that were open lately are offered at first.

    Raises a Fault where there is no terminal, the book does not open, or not all was kept."""
    interface_was_shown()
    status, then = _run_on(path, site, places.recent_books() if choose else [])
    while then is not None:
        status, then = _run_on(then, "", [])
    return status


def _run_on(path: Path, site: str, recent: list[Path]) -> tuple[int, Path | None]:
    """On one book: the exit status, and the book that is wanted next."""
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise Fault(
            "the interface needs a terminal for its keys and its screen",
            "start it in one; `ordolex --help` lists commands",
        )
    from ordolex.io.book.book import Book  # the interface takes its time to import; other commands do without
    from ordolex.tui.app import OrdolexApp

    for name in ("COLUMNS", "LINES"):
        os.environ.pop(name, None)  # a shell that exports them would freeze the size of the window
    book = Book(path, site)
    places.remember_book(path)
    end_log = log.begin(places.support_log())
    try:
        app = OrdolexApp(book)
        app.recent = recent
        app.run()
    finally:
        book.close()
        end_log()
    if app.goes_on:
        from ordolex.io.relay.headless import go_on

        print("starting the relays that go on ...", flush=True)
        for name in go_on(path, app.goes_on):
            print(f"{name} goes on; it ends with: ordolex relay stop '{name}'")
    status = book.recorder.status
    if not status.keeping:
        lost = f"{status.lost + status.waiting} bytes were not kept"
        raise Fault(f"the record is not whole: {status.why}, {lost}", f"what was kept is in {path}")
    print(f"Kept in {path}")
    print(f"Export it with: ordolex export '{path}' --as text")
    return app.return_code or 0, app.next_book
