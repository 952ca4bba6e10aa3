"""The rows of a long conversation, kept small: a million lines would stay in memory, and are found at once by number.

Rows lie in blocks, each with one run of bytes and packed columns beside it; a `Row` is made when it is looked at.
"""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Sequence
from math import isnan, nan
from typing import overload

from ordolex.core.talk.conversation import Direction, Row

ROWS_KEPT = 100_000
"""Some minutes of the fastest talk that anybody reads, in 10 MB; what is older is in the record, and found in Keep."""
_BLOCK = 4096
_DIRECTIONS = tuple(Direction)


class _Block:
    __slots__ = ("after", "at", "data", "direction", "ends", "words")

    def __init__(self) -> None:
        self.data = bytearray()
        self.ends = array("Q")
        self.at = array("q")
        self.after = array("d")
        self.direction = bytearray()
        self.words: dict[int, tuple[str, str]] = {}  # text and line errors, of the few rows that have any

    def __len__(self) -> int:
        return len(self.ends)

    def add(self, row: Row) -> None:
        if row.text or row.errors:
            self.words[len(self.ends)] = row.text, row.errors
        self.data += row.data
        self.ends.append(len(self.data))
        self.at.append(row.at_us)
        self.after.append(nan if row.after_ms is None else row.after_ms)
        self.direction.append(_DIRECTIONS.index(row.direction))

    def row(self, at: int) -> Row:
        text, errors = self.words.get(at, ("", ""))
        after = self.after[at]
        data = bytes(self.data[self.ends[at - 1] if at else 0 : self.ends[at]])
        return Row(
            _DIRECTIONS[self.direction[at]], self.at[at], data, text, None if isnan(after) else after, errors
        )  # fmt: skip


class Scroll(Sequence[Row]):
    """The newest `kept` rows, a block more or less; the oldest block goes when it is full."""

    def __init__(self, kept: int = ROWS_KEPT) -> None:
        self._kept = kept
        self._blocks: list[_Block] = [_Block()]
        self._before_last = 0

    def __len__(self) -> int:
        return self._before_last + len(self._blocks[-1])

    def extend(self, rows: Iterable[Row]) -> None:
        for row in rows:
            if len(self._blocks[-1]) == _BLOCK:
                self._before_last += _BLOCK
                self._blocks.append(_Block())
                if self._before_last - _BLOCK >= self._kept:
                    del self._blocks[0]
                    self._before_last -= _BLOCK
            self._blocks[-1].add(row)

    def clear(self) -> None:
        self._blocks, self._before_last = [_Block()], 0

    @overload
    def __getitem__(self, at: int) -> Row: ...
    @overload
    def __getitem__(self, at: slice) -> list[Row]: ...

    def __getitem__(self, at: int | slice) -> Row | list[Row]:
        if isinstance(at, slice):
            return [self[one] for one in range(*at.indices(len(self)))]
        if at < 0:
            at += len(self)
        if not 0 <= at < len(self):
            raise IndexError(at)
        return self._blocks[at // _BLOCK].row(at % _BLOCK)

    def __iter__(self) -> Iterator[Row]:
        return (block.row(at) for block in self._blocks for at in range(len(block)))

    def last_with(self, text: str, before: int) -> int | None:
        """The last row before this one that shows a text, in any case; None where there is none.

        Whole blocks are passed over by their bytes where the text is of plain characters.
        """
        wanted = text.lower()
        plain = text.isascii() and text.isalnum()
        for number in range(min(len(self._blocks) - 1, before // _BLOCK), -1, -1):
            block = self._blocks[number]
            if plain and wanted.encode() not in block.data.lower() and not block.words:
                continue
            for at in range(min(len(block), before - number * _BLOCK) - 1, -1, -1):
                if wanted in block.row(at).shown.lower():
                    return number * _BLOCK + at
        return None
