"""Room for the record: how large the book is, and how long the disk will take more of it."""

from __future__ import annotations

import shutil
from collections import deque
from dataclasses import dataclass
from pathlib import Path

from ordolex.io.book.secret_search import files_of
from ordolex.io.system.clock import mono_s

LITTLE, HARDLY_ANY = 1 << 30, 100 << 20
"""Bytes left on the disk below which it is said, and below which it is urgent."""
_SPAN_S = 600.0


@dataclass(frozen=True, slots=True)
class Room:
    """book, left  bytes of the book's files and left on its disk
    hours       until the disk is full at the rate of the last minutes; None while it does not grow
    """

    book: int
    left: int
    hours: float | None


class RoomWatch:
    """Ask now and then; a look takes well under a millisecond."""

    def __init__(self, book: Path) -> None:
        self._book = book
        self._seen: deque[tuple[float, int]] = deque()

    def look(self) -> Room:
        try:
            size = sum(path.stat().st_size for path in files_of(self._book))
            left = shutil.disk_usage(self._book.parent).free
        except OSError:  # a disk that was pulled: the recorder says so
            return Room(0, LITTLE, None)
        now = mono_s()
        self._seen.append((now, size))
        while now - self._seen[0][0] > _SPAN_S:
            self._seen.popleft()
        began, before = self._seen[0]
        grown = (size - before) / (now - began) if now - began > 30 else 0.0
        return Room(size, left, left / grown / 3600 if grown > 0 else None)
