"""Whether a book is still where it was, and where its record goes on if it was taken away."""

from __future__ import annotations

import contextlib
import re
import sqlite3
import tempfile
from pathlib import Path

from ordolex.io.book import schema
from ordolex.io.own import places
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import BookFault
from ordolex.io.system.files import private_file, private_folder


def identity(path: Path) -> tuple[int, int] | None:
    """What the file system calls a file, whatever its name; None where it is not there."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def safe_place(path: Path) -> Path:
    """A new book in the program's own folder, or where that cannot be written in the system's for temporary files."""
    name = re.sub(r"(\.rescued-\d+)+$", "", path.stem)  # a second time, the name does not grow
    for folder in (places.books(), Path(tempfile.gettempdir())):
        with contextlib.suppress(OSError):
            private_folder(folder)
            number = 1
            while (safe := folder / f"{name}.rescued-{number}{path.suffix or '.ordolex'}").exists():
                number += 1
            private_file(safe)
            return safe
    return path


def brought_to_safety(path: Path, connection: sqlite3.Connection | None) -> Path:
    """Where the record of a book goes on that was removed or renamed, or whose folder is gone: what is in the old one
    is taken along, as long as the system still has it. `connection` is to the old one, and is closed."""
    safe = safe_place(path)
    old = connection or sqlite3.connect(safe)
    with contextlib.suppress(sqlite3.Error), sqlite3.connect(safe) as new:
        old.backup(new)
    if not is_book(safe):
        schema.create(sqlite3.connect(safe), path.stem, utc_us())
    old.close()
    return safe


def is_book(path: Path) -> bool:
    try:
        with contextlib.closing(sqlite3.connect(path)) as connection:
            schema.check(connection, path)
    except (sqlite3.Error, BookFault):
        return False
    return True
