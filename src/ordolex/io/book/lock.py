"""One writer a book: a lock on a file beside it."""

from __future__ import annotations

import os
from pathlib import Path

from ordolex.io.system.faults import BookFault
from ordolex.io.system.lock import FileLock


class BookLock:
    """Raises BookFault, naming the holder, where another process has the book."""

    def __init__(self, book: Path) -> None:
        try:
            self._lock = FileLock(book.with_name(book.name + ".lock"), f"process {os.getpid()}")
        except OSError as error:
            raise BookFault(
                f"{book} cannot be written: {error.strerror}", "choose a folder that you may write"
            ) from error
        if not self._lock.got:
            raise BookFault(f"{book} is in use by {self._lock.holder}", "leave it there first, or open another book")

    def release(self) -> None:
        self._lock.release()
