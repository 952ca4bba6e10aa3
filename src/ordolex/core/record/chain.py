"""The chain over a record: its rows in segments, each with a SHA-256 over its rows and over the segment before it, so
that a later change shows.

SHA-256: FIPS 180-4. What is hashed of a row is fixed here, and described in docs/book.md for other programs.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

SEAL_BYTES, SEAL_ROWS, SEAL_S = 4 << 20, 20_000, 10.0
"""A segment ends when it has so many bytes or rows, or is so old."""
BEFORE = ""
"""The hash of what was kept before there was a chain: none."""


@dataclass(frozen=True, slots=True)
class Segment:
    """Rows of bytes and of events up to these ids, from those of the segment before on; `sha256` in hex, empty for the
    one that stands for what was kept before there was a chain."""

    id: int
    chunk_to: int
    event_to: int
    utc_us: int
    sha256: str


class Hashed:
    """A segment that is being made. Rows are added in the order of their ids."""

    def __init__(self, before: Segment) -> None:
        self.before = before
        self._chunks, self._events = hashlib.sha256(), hashlib.sha256()
        self.chunk_to, self.event_to = before.chunk_to, before.event_to
        self.bytes = self.rows = 0

    def chunk(self, row: Sequence[Any]) -> None:
        """id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"""
        data: bytes = row[11]
        head = "\x1f".join([*map(str, row[:11]), str(len(data))])
        self._chunks.update(head.encode() + b"\x1e")
        self._chunks.update(data)
        self.chunk_to = row[0]
        self.bytes += len(data)
        self.rows += 1

    def event(self, row: Sequence[Any]) -> None:
        """id, visit, link, utc_us, mono_us, kind, text, detail"""
        text = "\x1f".join(map(str, row)).encode("utf-8", "surrogatepass")
        self._events.update(text + b"\x1e")
        self.event_to = row[0]
        self.bytes += len(text)
        self.rows += 1

    @property
    def is_due(self) -> bool:
        return self.bytes >= SEAL_BYTES or self.rows >= SEAL_ROWS

    def sealed(self, utc_us: int) -> Segment:
        whole = hashlib.sha256()
        whole.update(f"{self.before.sha256}\x1f{self.chunk_to}\x1f{self.event_to}\x1f{utc_us}\x1e".encode())
        whole.update(self._chunks.digest() + self._events.digest())
        return Segment(self.before.id + 1, self.chunk_to, self.event_to, utc_us, whole.hexdigest())
