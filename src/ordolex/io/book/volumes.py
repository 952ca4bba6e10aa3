"""Days of unattended recording: when a book is large or old enough the next one begins, and nothing is lost between."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Event, LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.book.recorder import RecorderStatus
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault

_AGAIN_S = 60.0
_UNITS = {"KB": 1000, "MB": 1000**2, "GB": 1000**3}
_TIMES = {"MIN": 60.0, "H": 3600.0, "D": 86_400.0}


@dataclass(frozen=True, slots=True)
class Limit:
    """bytes recorded, or seconds, after which the next book begins; one of the two"""

    count: int | None = None
    seconds: float | None = None


def read_limit(text: str) -> Limit:
    """`500MB`, `2GB`, `24h`, `30min`, `7d`. Raises a Fault."""
    found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*([A-Za-z]+)", text.strip())
    unit = found[2].upper() if found else ""
    if found is None or float(found[1]) <= 0 or unit not in _UNITS | _TIMES:
        raise Fault(f"{text[:20]!r} is no size or time", "write such as 500MB, 2GB, 24h or 7d")
    if unit in _UNITS:
        return Limit(count=max(1, round(float(found[1]) * _UNITS[unit])))
    return Limit(seconds=float(found[1]) * _TIMES[unit])


class Volumes:
    """A recorder for one link that goes on in the next book. `began` is told of each new one."""

    def __init__(self, first: Book, link: LinkRecord, limit: Limit, began: Callable[[Path], None]) -> None:
        self.books = [first.path]
        self._first, self._book, self._limit, self._began = first, first, limit, began
        self._all = [first]
        self._link = link
        self._count = 0
        self._since_s = mono_s()
        self._not_before_s = 0.0

    @property
    def full(self) -> bool:
        return self._book.recorder.full

    def record(self, link: int, direction: str, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        if self._due() and mono_s() >= self._not_before_s:
            self._turn_over()
        self._count += len(data)
        self._book.recorder.record(self._link.id, direction, data, errors, at_s)

    def note(self, event: Event) -> None:
        link = self._link.id if event.link else 0
        self._book.recorder.note(Event(link, event.utc_us, event.mono_us, event.kind, event.text, event.detail))

    @property
    def status(self) -> RecorderStatus:
        """Of all books together: one that was not kept whole says so for all."""
        every = [book.recorder.status for book in self._all]
        why = next((one.why for one in every if one.why), "")
        moved = next((one.moved for one in every if one.moved), "")
        waiting, lost = sum(one.waiting for one in every), sum(one.lost for one in every)
        return RecorderStatus(not why and not lost, why or ("bytes were lost" if lost else ""), waiting, lost, moved)

    def close(self) -> None:
        """Closes the book in hand; the first one is closed by whoever opened it."""
        if self._book is not self._first:
            self._book.close()

    def _due(self) -> bool:
        if self._limit.count is not None and self._count >= self._limit.count:
            return True
        return self._limit.seconds is not None and mono_s() - self._since_s >= self._limit.seconds

    def _turn_over(self) -> None:
        path = self._next_path()
        try:
            book = Book(path, self._first.reader.site())
            link = book.add_link(self._link)
        except Fault as fault:
            self._not_before_s = mono_s() + _AGAIN_S
            self.note(
                Event(0, utc_us(), round(mono_s() * 1e6), "recording", f"no next book: {fault}; this one goes on")
            )
            return
        text = f"the record goes on in {path.name}"
        self.note(Event(0, utc_us(), round(mono_s() * 1e6), "recording", text))
        old, self._book, self._link = self._book, book, link
        if old is not self._first:
            threading.Thread(target=old.close, name="close-book").start()
        self.books.append(path)
        self._all.append(book)
        self._count, self._since_s = 0, mono_s()
        text = f"goes on from {old.path.name}"
        self.note(Event(0, utc_us(), round(mono_s() * 1e6), "recording", text))
        self._began(path)

    def _next_path(self) -> Path:
        first = self._first.path
        number = len(self.books) + 1
        while (path := first.with_name(f"{first.stem}.{number}{first.suffix}")).exists():
            number += 1
        return path
