"""Turns what passed on a link into the rows that a person reads: who spoke, when, how long after, and what.

It takes chunks in the order of the record, live or from a book, and gives finished rows. Times are UTC microseconds.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.lines import MAX_LINE, LineCutter
from ordolex.core.text.visible import visible

_SILENCE_S = 0.25
"""A line without an end that has been silent this long is shown as it is."""


class Direction(StrEnum):
    SENT = "tx"
    HEARD = "rx"
    NOTE = "note"  # not on the wire: what the program saw or did


@dataclass(frozen=True, slots=True)
class Row:
    """One line of the conversation.

    at_us          UTC microseconds of its first byte
    after_ms       for the first row heard after something sent: its turn-round
    errors         line errors that came with it, in words
    """

    direction: Direction
    at_us: int
    data: bytes = b""
    text: str = ""
    after_ms: float | None = None
    errors: str = ""

    @property
    def shown(self) -> str:
        return self.text or visible(self.data)


class Conversation:
    def __init__(self) -> None:
        self._cutter = LineCutter()
        self._asked_us: int | None = None
        self._errors = LineErrors()

    def sent(self, data: bytes, at_us: int) -> list[Row]:
        rows = self.flush()
        self._asked_us = at_us
        return [*rows, Row(Direction.SENT, at_us, data)]

    def heard(self, data: bytes, at_us: int, errors: LineErrors | None = None) -> list[Row]:
        """The errors that came with the bytes are summed up for the row that they end in."""
        rows = self._silence(at_us)
        if errors is not None:
            self._errors.add(errors)
        return rows + [self._row(line.data, line.first_s) for line in self._cutter.receive(data, at_us / 1e6)]

    def plain_lines(self, data: bytes) -> tuple[bytes, list[bytes], bytes]:
        """Cuts what was heard without errors into what is to be given to `heard`, whole lines behind it, and the rest,
        for `heard` again. The lines in between are rows with nothing but their bytes and the time of the chunk: whoever
        reads a whole record takes them all at once."""
        busy = self._cutter.pending or self._asked_us is not None or self._errors.total
        begin = data.find(b"\n") + 1 if busy else 0
        end = data.rfind(b"\n") + 1
        lines = data[begin:end].splitlines(keepends=True) if begin or not busy else []
        if not lines or (end - begin > MAX_LINE and len(max(lines, key=len)) > MAX_LINE):
            return data, [], b""
        return data[:begin], lines, data[end:]

    def note(self, text: str, at_us: int, *, cut: bool = True) -> list[Row]:
        """`cut` ends a line that is still coming in, as when the port closes; a remark in passing leaves it whole."""
        return [*(self.flush() if cut else []), Row(Direction.NOTE, at_us, text=text)]

    def tick(self, now_us: int) -> list[Row]:
        """Shows an unfinished line once it has been silent for a while."""
        return self._silence(now_us)

    def flush(self) -> list[Row]:
        return [self._row(line.data, line.first_s) for line in self._cutter.flush()]

    @property
    def unfinished(self) -> bytes:
        """The line that is still coming in."""
        return self._cutter.pending

    def _silence(self, now_us: int) -> list[Row]:
        if self._cutter.pending and now_us / 1e6 - self._cutter.last_s > _SILENCE_S:
            return self.flush()
        return []

    def _row(self, data: bytes, first_s: float) -> Row:
        at_us = round(first_s * 1e6)
        after_ms = None
        if self._asked_us is not None:
            after_ms = (at_us - self._asked_us) / 1000
            self._asked_us = None
        errors, self._errors = self._errors, LineErrors()
        return Row(Direction.HEARD, at_us, data, after_ms=after_ms, errors=errors.words())
