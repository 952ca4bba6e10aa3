"""One writer a book: a lock on a file beside it."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from ordolex.core.text.counts import counted
from ordolex.io.system.faults import BookFault
from ordolex.io.system.lock import FileLock


class BookLock:
    """Raises BookFault, naming the holder, where another process has the book. `relays` are the names of those that run
    in this process and need it, so that whoever finds it taken knows how to end them."""

    def __init__(self, book: Path, relays: Sequence[str] = ()) -> None:
        says = f"process {os.getpid()}" + "".join(f"\n{name}" for name in relays)
        try:
            self._lock = FileLock(book.with_name(book.name + ".lock"), says)
        except OSError as error:
            raise BookFault(
                f"{book} cannot be written: {error.strerror}", "choose a folder that you may write"
            ) from error
        if not self._lock.got and (names := self._lock.before.splitlines()[1:]):
            go_on = f"{counted(len(names), 'relay')} {'goes' if len(names) == 1 else 'go'} on"
            raise BookFault(
                f"{book} is in use by {self._lock.holder}, in which {go_on}",
                " and ".join(f"`ordolex relay stop '{name}'`" for name in names) + " lets the book go; or open another",
            )
        if not self._lock.got:
            raise BookFault(f"{book} is in use by {self._lock.holder}", "leave it there first, or open another book")

    def release(self) -> None:
        self._lock.release()
