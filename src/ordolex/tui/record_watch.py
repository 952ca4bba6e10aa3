"""What is said of the record: that it is not kept, that it goes on again, that it is kept elsewhere. Each once."""

from __future__ import annotations

import time

from ordolex.io.book.book import Book
from ordolex.io.book.room import Room, RoomWatch
from ordolex.tui.desks.at import How

_ROOM_EVERY_S = 5.0  # how often the disk is looked at


class RecordWatch:
    """room  what is left on the disk, as it was looked at last"""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._kept_well = True
        self._moved = ""
        self._said_held = False
        self._watch, self._looked_s = RoomWatch(book.path), 0.0
        self.room: Room | None = None

    def look(self) -> None:
        if time.monotonic() - self._looked_s > _ROOM_EVERY_S:
            self._looked_s = time.monotonic()
            self.room = self._watch.look()

    def news(self) -> list[tuple[str, How]]:
        """What is new and must be said; the last is what matters most."""
        out: list[tuple[str, How]] = []
        if self._book.held and not self._said_held:
            words = f"{self._book.held}. What you choose holds until you leave, and is kept once it can be"
            out.append((words, "bad"))
        self._said_held = bool(self._book.held)
        status = self._book.recorder.status
        if status.moved and status.moved != self._moved:
            self._moved = status.moved
            out.append((f"The book is no longer where it was; everything is kept in {self._moved} now", "bad"))
        if status.keeping != self._kept_well:
            self._kept_well = status.keeping
            if status.keeping:
                out.append(("The book can be written again; recording goes on", "good"))
            else:
                words = f"NOT RECORDING: {status.why}. The links go on. Make room; I try again every few seconds"
                out.append((words, "bad"))
        return out
