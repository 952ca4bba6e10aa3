"""A lock that the operating system frees when its holder dies, whatever he died of."""

from __future__ import annotations

import os
from pathlib import Path
from typing import IO

from ordolex.io.system.files import open_private


class FileLock:
    """`got` says whether we have it; where not, `holder` says who has. What was in the file before is `before`. Raises
    OSError where the file cannot be written."""

    def __init__(self, path: Path, says: str) -> None:
        file = os.fdopen(open_private(path), "a+", encoding="utf-8", errors="replace")
        self.got = _try_lock(file)
        file.seek(0)
        self.before = file.read().strip()
        self.holder = "" if self.got else self.before.partition("\n")[0] or "another process"
        self._file: IO[str] | None = file if self.got else None
        if not self.got:
            file.close()
            return
        file.truncate(0)
        file.write(says)
        file.flush()

    def release(self) -> None:
        """The file stays: removing it could take away the lock that another process just got on it."""
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
