"""The chain over a record: its rows in segments, each with a SHA-256 over its rows and over the segment before it, so
that a later change shows.

SHA-256: FIPS 180-4. What is hashed of a row is fixed here, and described in docs/book.md for other programs.
"""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

SEAL_BYTES, SEAL_ROWS, SEAL_S = 4 << 20, 20_000, 10.0
"""A segment ends when it has so many bytes or rows, or is so old."""
_PIECE = 1 << 20
"""Bytes that go through the hash at once."""
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


_HEAD = struct.Struct(">3q2s8q")
_WAYS = {"rx": b"rx", "tx": b"tx"}


class Hash(Protocol):
    def update(self, data: bytes, /) -> None: ...


class Hashing:
    """How pieces go through a hash: at once. Another may do it beside what goes on, in their order."""

    def update(self, hashed: Hash, data: bytes) -> None:
        hashed.update(data)

    def settle(self) -> None:
        """Waits until all of them went through."""


class Hashed:
    """A segment that is being made. Rows are added in the order of their ids. What is to be hashed collects, and goes
    through the hash in few large pieces: that is quick, and lets other threads run."""

    def __init__(self, before: Segment, hashing: Hashing | None = None) -> None:
        self.before = before
        self._hashing = hashing or Hashing()
        self._chunks, self._events = hashlib.sha256(), hashlib.sha256()
        self._parts: list[bytes] = []
        self._held = 0
        self.chunk_to, self.event_to = before.chunk_to, before.event_to
        self.bytes = self.rows = 0

    def chunk(self, row: Sequence[Any]) -> None:
        """id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data"""
        data = row[11]
        try:
            id_, visit, link, way, utc, mono, last, framing, parity, breaks, overruns, _ = row
            head = _HEAD.pack(
                id_, visit, link, _WAYS[way], utc, mono, last, framing, parity, breaks, overruns, len(data)
            )
        except (struct.error, KeyError, TypeError):  # a row that no recorder wrote
            head, data = repr(row).encode("utf-8", "surrogatepass"), b""
        self._parts += (head, data)
        size = len(data)
        self.chunk_to = row[0]
        self.bytes += size
        self._held += size + len(head)
        self.rows += 1
        if self._held > _PIECE:
            self._flush()

    def packed(self, heads: list[bytes], data: list[bytes], last: int) -> None:
        """Rows whose heads are made already, up to the one with that id; their bytes."""
        parts = [b""] * (2 * len(heads))
        parts[::2], parts[1::2] = heads, data
        self._flush()
        self._parts = parts
        self._flush()
        self.chunk_to = last
        self.rows += len(heads)

    def _flush(self) -> None:
        self._hashing.update(self._chunks, b"".join(self._parts))
        self._parts.clear()
        self._held = 0

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

    def close(self) -> None:
        """No row follows: all that is left goes to what hashes."""
        self._flush()

    def sealed(self, utc_us: int, state: str = "") -> Segment:
        """`state` is what else the book said when the segment ended, empty where that is as it was."""
        self._flush()
        self._hashing.settle()
        whole = hashlib.sha256()
        whole.update(f"{self.before.sha256}\x1f{self.chunk_to}\x1f{self.event_to}\x1f{utc_us}\x1e".encode())
        whole.update(self._chunks.digest() + self._events.digest())
        if state:
            whole.update(hashlib.sha256(state.encode("utf-8", "surrogatepass")).digest())
        return Segment(self.before.id + 1, self.chunk_to, self.event_to, utc_us, whole.hexdigest())
