"""How long bytes stay in the book of this site, as the technician wants it: kept in the book itself."""

from __future__ import annotations

import contextlib

from ordolex.core.record.items import Event
from ordolex.io.book.book import Book
from ordolex.io.book.turning import Keeping, Turned, read_limit
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault


def rotation_of(book: Book) -> str:
    """The size or age after which older bytes go into a volume; empty for never."""
    events = book.reader.known.events_of("keeping")
    return str(events[-1].detail.get("rotate", "")) if events else ""


def rotate(book: Book, text: str) -> None:
    """From now on, and whenever this book is opened in the interface. Raises a Fault for what is no size or time."""
    limit = read_limit(text) if text.strip() else None
    words = f"older bytes go into volumes at {text.strip()}" if limit is not None else "all bytes stay in this book"
    _note(book, "keeping", words, {"rotate": text.strip()})
    book.keep("site", Keeping(limit) if limit is not None else None, lambda turned: _turned(book, turned))


def as_before(book: Book) -> None:
    """What was wanted when the book was closed goes on."""
    text = rotation_of(book)
    with contextlib.suppress(Fault):  # a book of somebody else may say what cannot be read
        if text:
            book.keep("site", Keeping(read_limit(text)), lambda turned: _turned(book, turned))


def _turned(book: Book, turned: Turned) -> None:
    if not turned.more:
        _note(book, "recording", turned.words, {"volume": turned.volume})


def _note(book: Book, kind: str, text: str, detail: dict[str, object]) -> None:
    book.recorder.note(Event(0, utc_us(), round(mono_s() * 1e6), kind, text, detail))
