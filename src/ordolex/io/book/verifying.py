"""Holds what is in a book now against its chain."""

from __future__ import annotations

import json
from bisect import bisect_right
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import Any

from ordolex.core.record.chain import Hash, Hashed, Hashing, Segment
from ordolex.core.record.packed import PackError
from ordolex.core.text.counts import counted
from ordolex.io.book.chain import EVENT, state_of
from ordolex.io.book.packs import Packs
from ordolex.io.book.rows import CHUNK, LAST_ID, BookFile, damaged

_HASHING, _AHEAD = 2, 4
"""Threads that hash, and segments that may wait for them."""
_NAMES = {
    "site": "the site's name", "visits": "the times of visits", "links": "names, places or settings of links",
    "adapters": "names of adapters", "gone": "what is said of bytes that left", "begins": "where the chain begins",
}  # fmt: skip


@dataclass(slots=True)
class Verified:
    """intact    segments whose rows are as they were kept
    changed   (segment, words) of those that are not
    left      segments whose bytes left the book since, which cannot be checked
    behind    rows that no segment holds yet
    earlier   whether the book holds rows from before there was a chain
    otherwise what the book says besides its rows that is not as the last segment has it, in words
    stateless whether no segment holds that: an earlier version kept the book
    unended   whether the last visit goes on, or was ended by force: no segment holds how it ended
    upto      the number of the last segment, and `last` its hash
    """

    intact: int = 0
    changed: list[tuple[Segment, str]] = field(default_factory=list)
    left: int = 0
    behind: int = 0
    earlier: bool = False
    otherwise: list[str] = field(default_factory=list)
    stateless: bool = False
    unended: bool = False
    upto: int = 0
    last: str = ""

    @property
    def good(self) -> bool:
        """Everything is there, as it was kept, and nothing is left that was not checked."""
        return not (
            self.changed or self.otherwise or self.behind or self.earlier or self.left or self.stateless or self.unended
        )

    @property
    def words(self) -> str:
        parts = [f"{counted(self.intact, 'segment')} of the record intact"]
        parts += [f"{len(self.changed)} changed"] if self.changed else []
        parts += [f"{self.left} whose bytes left the book, not checked"] if self.left else []
        parts += [f"{self.behind} rows behind the last one, which nothing vouches for yet"] if self.behind else []
        parts += ["what was kept before there was a chain is not checked"] if self.earlier else []
        parts += [f"not as the last segment has it: {', '.join(self.otherwise)}"] if self.otherwise else []
        parts += ["names, places and times are not checked: no segment holds them"] if self.stateless else []
        parts += ["the last visit has no end: it goes on, or was ended by force"] if self.unended else []
        parts += ["values of rounds are not under the chain"]
        return "; ".join(parts)


def verify_book(path: Path) -> Verified:
    """Holds the record against its chain. Raises a BookFault where it cannot be read."""
    file = BookFile(path)
    try:
        with ThreadPoolExecutor(_HASHING, "verify") as threads:
            return _verified(file, threads)
    except (TypeError, ValueError, AttributeError) as error:  # a row that holds something else than was put there
        raise damaged(path, error) from error
    finally:
        file.close()


def _verified(file: BookFile, threads: ThreadPoolExecutor) -> Verified:
    out = Verified()
    if not file.read("SELECT 1 FROM sqlite_master WHERE name = 'segment'").fetchone():
        out.earlier = True
        return out
    segments = [
        Segment(*row) for row in file.read("SELECT id, chunk_to, event_to, utc_us, sha256 FROM segment ORDER BY id")
    ]
    (gone,) = file.read("SELECT coalesce(max(chunk_to), 0) FROM gone").fetchone()
    states = _states(file)
    chunks, events = _Chunks(file, threads), _Rows(file.read(f"SELECT {EVENT} FROM event ORDER BY id"))
    going: deque[_Going] = deque()
    before: Segment | None = None
    for segment in segments:
        if before is None:
            out.earlier = bool(segment.chunk_to or segment.event_to)
            chunks.upto(segment.chunk_to)
            events.upto(segment.event_to)
        else:
            going.append(_Going(before, segment, states.get(segment.id, ""), chunks, events, threads))
        before = segment
        if len(going) > _AHEAD:
            _judge(out, going.popleft(), gone)
    for one in going:
        _judge(out, one, gone)
    out.upto = before.id if before is not None else 0
    _check_state(out, file)
    out.last = before.sha256 if before is not None else ""
    out.behind = chunks.upto(LAST_ID) + events.upto(LAST_ID)
    return out


def _states(file: BookFile) -> dict[int, str]:
    if not file.read("SELECT 1 FROM sqlite_master WHERE name = 'state'").fetchone():
        return {}
    return {int(segment): str(text) for segment, text in file.read("SELECT segment, text FROM state")}


def _check_state(out: Verified, file: BookFile) -> None:
    """What the book says now beside what it said when its last segment ended."""
    states = {segment: text for segment, text in _states(file).items() if segment <= out.upto}
    if not states:
        out.stateless = True
        return
    kept = json.loads(states[max(states)])
    now = json.loads(state_of(lambda sql: file.read(sql).fetchall()))
    if now["visits"] and now["visits"][-1][3] is None:  # it goes on, or was ended by force
        out.unended = True
        running = now["visits"].pop()
        kept["visits"] = [row for row in kept["visits"] if row[0] != running[0]]
    out.otherwise = [words for name, words in _NAMES.items() if kept.get(name) != now[name]]


class _Aside(Hashing):
    """Keeps what is to be hashed of one segment, and hashes it in another thread while the next one is read."""

    def __init__(self, threads: ThreadPoolExecutor) -> None:
        self._threads = threads
        self._waiting: list[tuple[Hash, bytes]] = []
        self._going: Future[None] | None = None

    def update(self, hashed: Hash, data: bytes) -> None:
        self._waiting.append((hashed, data))

    def begin(self) -> None:
        waiting, self._waiting = self._waiting, []
        self._going = self._threads.submit(_hash, waiting)

    def settle(self) -> None:
        assert self._going is not None
        self._going.result()


def _hash(waiting: list[tuple[Hash, bytes]]) -> None:
    for hashed, data in waiting:
        hashed.update(data)


class _Going:
    """A segment whose rows were read, and are being hashed. `counts` are rows of bytes and events; `unread` says of
    which rows the bytes could not be read."""

    def __init__(
        self, before: Segment, segment: Segment, state: str, chunks: _Chunks, events: _Rows, threads: ThreadPoolExecutor
    ) -> None:
        self.before, self.segment, self._state = before, segment, state
        aside = _Aside(threads)
        self._hashed = Hashed(before, aside)
        self.counts = (
            chunks.upto(segment.chunk_to, self._hashed), events.upto(segment.event_to, self._hashed.event)
        )  # fmt: skip
        self.unread = chunks.unread
        self._hashed.chunk_to, self._hashed.event_to = segment.chunk_to, segment.event_to
        self._hashed.close()
        aside.begin()

    @property
    def sha256(self) -> str:
        return self._hashed.sealed(self.segment.utc_us, self._state).sha256


def _judge(out: Verified, going: _Going, gone: int) -> None:
    before, segment = going.before, going.segment
    if segment.id != before.id + 1:
        out.changed.append((segment, f"{segment.id - before.id - 1} segments before it are missing"))
    elif going.sha256 == segment.sha256:
        out.intact += 1
    elif before.chunk_to < gone:
        out.left += 1
    else:
        wanted = (segment.chunk_to - before.chunk_to, segment.event_to - before.event_to)
        lost = [
            f"{counted(want - have, 'row')} of {what} missing"
            for want, have, what in zip(wanted, going.counts, ("bytes", "events"), strict=True) if want > have
        ]  # fmt: skip
        out.changed.append((segment, going.unread or ", ".join(lost) or "something in it was changed"))


class _Rows:
    """Rows in the order of their ids, up to one and then on."""

    def __init__(self, rows: Iterable[Any]) -> None:
        self._rows = iter(rows)
        self._next: Any = next(self._rows, None)

    def upto(self, last: int, take: Callable[[Any], None] = lambda row: None) -> int:
        """How many there were."""
        count = 0
        while self._next is not None and self._next[0] <= last:
            take(self._next)
            count += 1
            self._next = next(self._rows, None)
        return count


class _Chunks:
    """Rows of bytes: those that are packed, a pack at a time, and those behind them."""

    def __init__(self, file: BookFile, threads: ThreadPoolExecutor) -> None:
        self._packs, self._threads = Packs(file), threads
        self._coming: dict[int, Future[tuple[list[int], list[bytes], list[bytes]]]] = {}
        self._loose = _Rows(file.read(f"SELECT {CHUNK} FROM chunk ORDER BY id"))  # before the packs are asked for
        self._waiting = deque(self._packs.spans())
        self._ids: list[int] = []
        self._heads: list[bytes] = []
        self._data: list[bytes] = []
        self._at = 0
        self._done = -1  # the last row that was asked for
        self._torn = (-1, "")  # up to which row a pack cannot be read, and that in words
        self.unread = ""

    def upto(self, last: int, hashed: Hashed | None = None) -> int:
        """How many there were behind those of before; `unread` says which of them could not be read."""
        count = 0
        self.unread = self._torn[1] if self._torn[0] > self._done else ""
        self._done = last
        while True:
            if self._at < len(self._ids):
                end = bisect_right(self._ids, last, self._at)
                if hashed is not None and end > self._at:
                    hashed.packed(self._heads[self._at : end], self._data[self._at : end], self._ids[end - 1])
                count, self._at = count + end - self._at, end
                if end < len(self._ids):
                    return count
            if not self._waiting or self._waiting[0][0] > last:
                break
            self._read()
        return count + self._loose.upto(last, hashed.chunk if hashed is not None else lambda row: None)

    def _read(self) -> None:
        """The next pack."""
        for ahead, _ in islice(self._waiting, _AHEAD):
            if ahead not in self._coming:
                self._coming[ahead] = self._threads.submit(self._packs.hashable, ahead)
        first, end = self._waiting.popleft()
        self._at = 0
        try:
            self._ids, self._heads, self._data = self._coming.pop(first).result()
        except PackError as error:
            self._ids, self._heads, self._data = [], [], []
            self.unread = f"bytes of rows {first} to {end} cannot be read: {error}"
            self._torn = end, self.unread
