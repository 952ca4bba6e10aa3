"""Cuts a stream of bytes into lines: at CR, LF or CR LF, at a length limit, and at a silence."""

from __future__ import annotations

import re
from dataclasses import dataclass

MAX_LINE = 2048
"""Bytes after which a line is cut although no line end came: a screenful, and small enough to draw at once."""

_END = re.compile(rb"\r\n|\n|\r(?!\Z)")
"""A CR at the very end may be the first half of CR LF: it waits for the next byte, or for the flush after a silence."""


@dataclass(frozen=True, slots=True)
class TextLine:
    """One line with its line end, if any. `end` is b"" where a limit or a silence cut it. Times are the caller's."""

    body: bytes
    end: bytes
    first_s: float
    last_s: float

    @property
    def data(self) -> bytes:
        return self.body + self.end


class LineCutter:
    """Feed it bytes with their time of arrival; it gives the lines that are complete."""

    def __init__(self, max_line: int = MAX_LINE) -> None:
        self._max = max_line
        self._rest = b""
        self._first_s = 0.0
        self._last_s = 0.0

    @property
    def pending(self) -> bytes:
        return self._rest

    @property
    def last_s(self) -> float:
        """When the latest byte came."""
        return self._last_s

    def taken(self) -> float:
        """When what is pending began; it is taken out."""
        self._rest = b""
        return self._first_s

    def receive(self, data: bytes, at_s: float) -> list[TextLine]:
        if not data:
            return []
        if not self._rest:
            self._first_s = at_s
        self._last_s = at_s
        whole = self._rest + data
        if len(whole) <= self._max and b"\n" not in whole and b"\r" not in whole:
            self._rest = whole
            return []
        lines: list[TextLine] = []
        at = 0
        for found in _END.finditer(whole):
            self._cut(lines, whole[at : found.start()], found[0], at_s)
            at = found.end()
        rest = whole[at:]
        while len(rest) > self._max:
            self._cut(lines, rest[: self._max], b"", at_s)
            rest = rest[self._max :]
        self._rest = rest
        return lines

    def flush(self) -> list[TextLine]:
        """What waits for its end, as a line without one: called when the line has been silent, or at the end."""
        if not self._rest:
            return []
        end = b"\r" if self._rest.endswith(b"\r") else b""
        line = TextLine(self._rest.removesuffix(end), end, self._first_s, self._last_s)
        self._rest = b""
        return [line]

    def _cut(self, lines: list[TextLine], body: bytes, end: bytes, at_s: float) -> None:
        while len(body) > self._max:
            lines.append(TextLine(body[: self._max], b"", self._first_s, at_s))
            body = body[self._max :]
        lines.append(TextLine(body, end, self._first_s, at_s))
        self._first_s = at_s
