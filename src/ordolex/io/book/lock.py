"""One writer a book: an operating-system lock on a file beside it, freed by the system when its holder dies."""

from __future__ import annotations

import os
from pathlib import Path
from typing import IO

from ordolex.io.system.faults import BookFault
from ordolex.io.system.files import private_file


class BookLock:
    """Raises BookFault, naming the holder, where another process has the book."""

    def __init__(self, book: Path) -> None:
        self._path = book.with_name(book.name + ".lock")
        try:
            private_file(self._path)
            self._file: IO[str] | None = self._path.open("a+")
        except OSError as error:
            raise BookFault(
                f"{book} cannot be written: {error.strerror}", "choose a folder that you may write"
            ) from error
        if not _try_lock(self._file):
            self._file.seek(0)
            holder = self._file.read().strip() or "another process"
            self._file.close()
            raise BookFault(f"{book} is in use by {holder}", "leave it there first, or open another book")
        self._file.truncate(0)
        self._file.write(f"process {os.getpid()}")
        self._file.flush()

    def release(self) -> None:
        # The file stays: removing it could take away the lock that another process just got on it.
        if self._file is not None:
            self._file.truncate(0)
            self._file.close()
            self._file = None


def _try_lock(file: IO[str]) -> bool:
    if os.name == "posix":
        import fcntl

        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
        return True
    import msvcrt  # pragma: no cover

    try:  # pragma: no cover
        file.seek(1 << 20)  # a byte that nobody reads: Windows locks forbid reading too
        msvcrt.locking(file.fileno(), msvcrt.LK_NBLCK, 1)  # type: ignore[attr-defined]
    except OSError:  # pragma: no cover
        return False
    return True  # pragma: no cover
