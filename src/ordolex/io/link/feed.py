"""What a link brings, for somebody who looks on: a bounded queue that forgets the oldest and counts what it forgot.

It is filled in the event loop of the links and drained from the interface's; the record does not depend on it.
"""

from __future__ import annotations

import threading
from collections import deque
from typing import NamedTuple

from ordolex.core.link.judge import LineErrors

CAPACITY = 256 << 10
"""Bytes held for a looker-on: several screenfuls. A flood is read in Keep, not on a screen."""


class Passed(NamedTuple):
    """Bytes in a direction (`tx`, `rx`), or a note of the program in `text`, of the kind that the record gives it."""

    direction: str
    data: bytes
    utc_us: int
    errors: LineErrors | None = None
    text: str = ""
    kind: str = ""


class Feed:
    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._items: deque[Passed] = deque()
        self._size = 0
        self._forgotten = 0

    def put(self, item: Passed) -> None:
        with self._lock:
            self._items.append(item)
            self._size += len(item.data) + 64
            while self._size > CAPACITY and len(self._items) > 1:
                old = self._items.popleft()
                self._size -= len(old.data) + 64
                self._forgotten += len(old.data)

    def drain(self) -> tuple[list[Passed], int]:
        """What came since the last time, and the number of bytes forgotten before it."""
        with self._lock:
            items, self._items = list(self._items), deque()
            forgotten, self._forgotten = self._forgotten, 0
            self._size = 0
        return items, forgotten
