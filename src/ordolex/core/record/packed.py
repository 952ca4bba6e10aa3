"""Rows of bytes packed: their numbers as columns, their bytes by link and direction. docs/book.md describes the form.

zlib: RFC 1950. Numbers have a sign, the lowest byte first.
"""

from __future__ import annotations

import sys
import zlib
from array import array
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from operator import sub
from typing import Any

from ordolex.core.record.grams import grams_of

COLUMNS = 12
"""id, visit, link, direction (0 rx, 1 tx), mono_us, utc_us - mono_us, last_mono_us - mono_us, framing, parity, breaks,
overruns, number of bytes."""
EDGE = 32
"""Bytes at both ends of a piece that stand beside it unpacked: what is looked for may lie across two pieces."""
_PIECE = 128 << 10
_LEVEL = 4
_TRIAL = 8 << 10  # of a large piece so much shows whether packing pays
_PAYS = 0.95
_CODES = (("b", 7), ("h", 15), ("i", 31))
_MOST_ROWS = 1 << 20
_WAYS = ("rx", "tx")
_TEXT = bytes({9, 10, 13, *range(32, 127)})
Row = tuple[Any, ...]
"""id, visit, link, direction, utc_us, mono_us, last_mono_us, framing, parity, breaks, overruns, data."""


class PackError(ValueError):
    """What is packed does not hold what it should."""


@dataclass(frozen=True, slots=True)
class Piece:
    """Bytes of one link and direction, in order; `at` is where they begin among those of the pack. `text`: all of them
    are printable ASCII, tabs and line ends. `packed`: `data` is zlib; else as they are. `head` and `tail` are their
    first and last EDGE bytes as they are. `grams`: see core/record/grams.py."""

    link: int
    direction: str
    at: int
    size: int
    text: bool
    packed: bool
    head: bytes
    tail: bytes
    grams: bytes
    data: bytes


def pieces_of(rows: Iterable[Row]) -> Iterator[Piece]:
    """The bytes of rows by link and direction; the pieces of each in order. A piece ends with a row."""
    streams: dict[tuple[int, str], list[bytes]] = {}
    begins: dict[tuple[int, str], int] = {}
    ends: dict[tuple[int, str], int] = {}
    for row in rows:
        stream, data = (row[2], row[3]), row[11]
        streams.setdefault(stream, []).append(data)
        end = ends[stream] = ends.get(stream, 0) + len(data)
        if end - begins.get(stream, 0) >= _PIECE:
            yield _piece(stream, begins.get(stream, 0), b"".join(streams.pop(stream)))
            begins[stream] = end
    for stream, parts in streams.items():
        yield _piece(stream, begins.get(stream, 0), b"".join(parts))


def _piece(stream: tuple[int, str], at: int, data: bytes) -> Piece:
    packed = _packed(data)
    return Piece(
        *stream, at, len(data), is_text(data), packed is not None, data[:EDGE], data[-EDGE:],
        grams_of(data), data if packed is None else packed,
    )  # fmt: skip


def is_text(data: bytes) -> bool:
    """Whether all of them are printable ASCII, tabs or line ends."""
    return not data.translate(None, _TEXT)


def _packed(data: bytes) -> bytes | None:
    """None where it does not pay."""
    if len(data) > 2 * _TRIAL:
        middle = len(data) // 2
        if len(zlib.compress(data[middle : middle + _TRIAL], 1)) > _PAYS * _TRIAL:
            return None
    packed = zlib.compress(data, _LEVEL)
    return packed if len(packed) < _PAYS * len(data) else None


def unpacked(size: int, packed: int, data: bytes) -> bytes:
    """The bytes of a piece. Raises PackError."""
    if packed:
        data = _unpacked(data, size)
    if not isinstance(data, bytes) or len(data) != size:
        raise PackError(f"packed bytes are not the {size} that they should be")
    return data


def _unpacked(data: bytes, size: int) -> bytes:
    """No more than `size` bytes, whatever a damaged book holds."""
    reading = zlib.decompressobj()
    try:
        out = reading.decompress(data, size + 1)
    except (zlib.error, TypeError) as error:
        raise PackError(f"what is packed cannot be read: {error}") from error
    if not reading.eof and len(out) <= size:
        out += reading.flush()  # the checksum at its end
    if not reading.eof:
        raise PackError("what is packed is not whole")
    return out


def heads_of(rows: Sequence[Row]) -> bytes:
    """The numbers of rows, column by column, each as its difference from the one before it, packed. Raises PackError
    for a row that cannot be packed: with a direction or a number that no recorder wrote."""
    ids, visits, links, ways, utc, mono, last, *errors, data = zip(*rows, strict=True)
    try:
        columns: list[Iterable[int]] = [
            ids, visits, links, [_WAYS.index(way) for way in ways], mono,
            map(sub, utc, mono), map(sub, last, mono), *errors, map(len, data),
        ]  # fmt: skip
        narrow = [_as_differences(column) for column in columns]
        return zlib.compress(
            b"".join([bytes(one.itemsize for one in narrow), *(one.tobytes() for one in narrow)]), _LEVEL
        )
    except (TypeError, ValueError, OverflowError) as error:
        raise PackError(f"a row cannot be packed: {error}") from error


def _as_differences(numbers: Iterable[int]) -> array[int]:
    """As narrow as they fit, the lowest byte first."""
    values = list(numbers)
    differences = [values[0], *map(sub, values[1:], values)]
    least, most = min(differences), max(differences)
    code = next((code for code, bits in _CODES if -(1 << bits) <= least and most < 1 << bits), "q")
    out = array(code, differences)
    if sys.byteorder == "big":
        out.byteswap()
    return out


class Heads:
    """The numbers of rows, as arrays of int64: `ids`, `visits`, `links`, `ways` (0 rx, 1 tx), `utc`, `mono`, `last`,
    `errors` (four rows), `sizes`. `begins` is where the bytes of each row begin among those of its link and direction.
    Raises PackError."""

    def __init__(self, heads: bytes, count: int) -> None:
        import numpy as np

        if not 0 < count <= _MOST_ROWS:
            raise PackError(f"{count} rows cannot be in one pack")
        data = _unpacked(heads, COLUMNS + 8 * COLUMNS * count)
        widths = data[:COLUMNS]
        if not {*widths} <= {1, 2, 4, 8} or len(data) != COLUMNS + count * sum(widths) or len(widths) != COLUMNS:
            raise PackError(f"the packed numbers are not those of {count} rows")
        columns, at = np.empty((COLUMNS, count), np.int64), COLUMNS
        for column, width in zip(columns, widths, strict=True):
            np.frombuffer(data, f"<i{width}", count, at).cumsum(dtype=np.int64, out=column)
            at += width * count
        self.ids, self.visits, self.links, self.ways, self.mono, utc, last = columns[:7]
        self.errors, self.sizes = columns[7:11], columns[11]
        self.utc, self.last = utc + self.mono, last + self.mono
        if self.ways.min() < 0 or self.ways.max() > 1 or self.sizes.min() < 0:
            raise PackError("the packed numbers are those of no rows")
        self._streams = self.links * 2 + self.ways
        self.begins = self._begun()

    def __len__(self) -> int:
        return len(self.ids)

    def _begun(self) -> Any:
        """The bytes of each link and direction before the row: all before it in a sequence by link and direction, less
        those of the links and directions before."""
        import numpy as np

        order = np.argsort(self._streams, kind="stable")
        streams, sizes = self._streams[order], self.sizes[order]
        before = sizes.cumsum() - sizes
        firsts = np.flatnonzero(np.concatenate(([True], streams[1:] != streams[:-1])))
        counts = np.diff(np.append(firsts, len(order)))
        begins = np.empty_like(before)
        begins[order] = before - np.repeat(before[firsts], counts)
        return begins

    def places(self, link: int | None, direction: str | None, first: int = 0, last: int | None = None) -> Any:
        """Which of the rows from `first` on and before `last` are of a link and direction, as an array."""
        import numpy as np

        end = len(self) if last is None else last
        if link is None and direction is None:
            return np.arange(first, end)
        wanted = np.ones(end - first, np.bool_)
        if link is not None:
            wanted &= self.links[first:end] == link
        if direction is not None:
            wanted &= self.ways[first:end] == _WAYS.index(direction)
        return np.flatnonzero(wanted) + first

    def hashable(self) -> list[bytes]:
        """What the chain takes of each row beside its bytes (core/record/chain.py)."""
        import numpy as np

        row = np.dtype([("ids", ">i8", 3), ("way", "S2"), ("rest", ">i8", 8)])
        table = np.empty(len(self), row)
        table["ids"] = np.array([self.ids, self.visits, self.links]).T
        table["way"] = np.array(_WAYS, "S2")[self.ways]
        table["rest"] = np.array([self.utc, self.mono, self.last, *self.errors, self.sizes]).T
        data, width = table.tobytes(), row.itemsize
        return [data[at : at + width] for at in range(0, len(data), width)]

    def columns(self, places: Any) -> list[list[Any]]:
        """The numbers of the rows at these places, in the order of a row without its bytes."""
        ways = [_WAYS[way] for way in self.ways[places].tolist()]
        before, behind = (self.ids, self.visits, self.links), (self.utc, self.mono, self.last, *self.errors)
        return [*(c[places].tolist() for c in before), ways, *(c[places].tolist() for c in behind)]
