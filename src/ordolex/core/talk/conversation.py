"""Turns what passed on a link into the rows that a person reads: who spoke, when, how long after, and what.

It takes chunks in the order of the record, live or from a book, and gives finished rows. Times are UTC microseconds.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.charsets import UNCHOSEN
from ordolex.core.text.lines import MAX_LINE, LineCutter
from ordolex.core.text.visible import visible

_TEXT = bytes(range(0x20, 0x7F)) + b"\r\n\t\x02\x03\x06"
SILENCE_US = 250_000
"""A line without an end that has been silent this long is shown as it is."""


class Passes(Protocol):
    """Who reads frames out of what passes, and knows words for them (`core/protocols/passing.py`)."""

    holding: bytearray

    @property
    def waits(self) -> bool: ...

    def sent(self, data: bytes) -> str: ...

    def heard(self, data: bytes) -> tuple[bytes, str, bytes] | None: ...

    def give_up(self) -> bytes: ...

    def words_of(self, data: bytes) -> str: ...

    def frames_of(self, data: bytes) -> list[bytes]: ...

    def has_lines_with_words(self, data: bytes) -> bool: ...


class Direction(StrEnum):
    SENT = "tx"
    HEARD = "rx"
    NOTE = "note"  # not on the wire: what the program saw or did


@dataclass(frozen=True, slots=True)
class Row:
    """One line of the conversation.

    at_us          UTC microseconds of its first byte
    after_ms       for the first row heard after something sent: its response time
    errors         line errors that came with it, in words
    words          what a frame says, where its protocol is known
    charset        in which its bytes are read, a name of CHARSETS
    """

    direction: Direction
    at_us: int
    data: bytes = b""
    text: str = ""
    after_ms: float | None = None
    errors: str = ""
    words: str = ""
    charset: str = UNCHOSEN

    @property
    def shown(self) -> str:
        return self.text or (self.words if self.words and not self.is_text else visible(self.data, self.charset))

    @property
    def is_text(self) -> bool:
        """Whether its bytes are read as they are; a frame's words stand in their place, a text's behind it."""
        return not self.data.translate(None, _TEXT)


class Conversation:
    """`passes` reads frames; without it all is lines. `charset` is the device's."""

    def __init__(self, passes: Passes | None = None, charset: str = UNCHOSEN) -> None:
        self._passes, self._charset = passes, charset
        self._held_us = 0
        self._cutter = LineCutter()
        self._asked_us: int | None = None
        self._errors = LineErrors()

    def sent(self, data: bytes, at_us: int) -> list[Row]:
        rows = self.flush()
        self._asked_us = at_us
        words = self._passes.sent(data) if self._passes is not None else ""
        return [*rows, Row(Direction.SENT, at_us, data, words=words, charset=self._charset)]

    def heard(self, data: bytes, at_us: int, errors: LineErrors | None = None) -> list[Row]:
        """The errors that came with the bytes are summed up for the row that they end in."""
        rows = self._silence(at_us)
        if errors is not None:
            self._errors.add(errors)
        if self._passes is not None and data and not self._cutter.pending:
            framed, data, at_us = self._framed(self._passes, data, at_us)
            rows += framed
        return rows + [self._row(line.data, line.first_s) for line in self._cutter.receive(data, at_us / 1e6)]

    def _framed(self, passes: Passes, data: bytes, at_us: int) -> tuple[list[Row], bytes, int]:
        """Rows of whole frames, and what is left for lines, with its time. An answer that is due is held until it is
        whole, or cannot be one."""
        if not passes.waits:
            frames = passes.frames_of(data)
            return [self._row(frame, at_us / 1e6) for frame in frames], b"" if frames else data, at_us
        if not passes.holding:
            self._held_us = at_us
        if self._errors.total:
            return [], passes.give_up() + data, self._held_us
        found = passes.heard(data)
        if found is None:
            return [], b"", at_us
        frame, words, rest = found
        if not frame:
            return [], rest, self._held_us
        return [self._row(frame, self._held_us / 1e6, words)], rest, at_us

    def plain_lines(self, data: bytes, at_us: int) -> tuple[bytes, int, list[bytes], bytes]:
        """Cuts what was heard without errors into what is to be given to `heard`, whole lines behind it with the time
        of the first of them, and the rest, for `goes_on`. The lines in between are rows with nothing but their bytes
        and a time: whoever reads a whole record takes them all at once. A line that began before is the first one."""
        if self._passes is not None and self._passes.waits:
            return data, at_us, [], b""
        pending, first_us = self._cutter.pending, at_us
        busy = self._asked_us is not None or self._errors.total
        late = pending and at_us - round(self._cutter.last_s * 1e6) > SILENCE_US
        if busy or late:
            begin, whole = data.find(b"\n") + 1, data
        else:
            begin, whole = 0, pending + data
        end = whole.rfind(b"\n") + 1
        lines = whole[begin:end].splitlines(keepends=True) if end > begin and (begin or not (busy or late)) else []
        if not lines or (end - begin > MAX_LINE and len(max(lines, key=len)) > MAX_LINE):
            return data, at_us, [], b""
        if self._passes is not None and self._passes.has_lines_with_words(whole):
            return data, at_us, [], b""
        if pending and not begin:
            first_us = round(self._cutter.taken() * 1e6)
        return whole[:begin], first_us, lines, whole[end:]

    def goes_on(self, tail: bytes, at_us: int) -> list[Row]:
        """The same as `heard`, for what is behind whole lines."""
        if self._passes is not None and self._passes.frames_of(tail):
            return self.heard(tail, at_us)
        return [self._row(line.data, line.first_s) for line in self._cutter.receive(tail, at_us / 1e6)]

    def note(self, text: str, at_us: int, *, cut: bool = True) -> list[Row]:
        """`cut` ends a line that is still coming in, as when the port closes; a remark in passing leaves it whole."""
        return [*(self.flush() if cut else []), Row(Direction.NOTE, at_us, text=text)]

    def tick(self, now_us: int) -> list[Row]:
        """Shows an unfinished line once it has been silent for a while."""
        return self._silence(now_us)

    def flush(self) -> list[Row]:
        held = self._passes.give_up() if self._passes is not None and self._passes.holding else b""
        lines = self._cutter.receive(held, self._held_us / 1e6) if held else []
        return [self._row(line.data, line.first_s) for line in [*lines, *self._cutter.flush()]]

    @property
    def unfinished(self) -> bytes:
        """The line that is still coming in."""
        return self._cutter.pending or (bytes(self._passes.holding) if self._passes is not None else b"")

    def _silence(self, now_us: int) -> list[Row]:
        if self._passes is not None and self._passes.holding and now_us - self._held_us > SILENCE_US:
            return self.flush()
        if self._cutter.pending and now_us - round(self._cutter.last_s * 1e6) > SILENCE_US:
            return self.flush()
        return []

    def _row(self, data: bytes, first_s: float, words: str = "") -> Row:
        if not words and self._passes is not None:
            words = self._passes.words_of(data)
        at_us = round(first_s * 1e6)
        after_ms = None
        if self._asked_us is not None:
            after_ms = (at_us - self._asked_us) / 1000
            self._asked_us = None
        errors, self._errors = self._errors, LineErrors()
        told = errors.words()
        return Row(Direction.HEARD, at_us, data, "", after_ms, told, words, self._charset)
