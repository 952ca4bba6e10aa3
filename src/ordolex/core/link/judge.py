"""Judges received bytes: are the latest of them free of line errors, and of the expected shape?

Until a device's sheet says more, the expected shape is readable text, and sentences whose checksum is right. The
judgement looks at a window of the latest bytes only, so that an old fault does not stain a line that is clear now.
"""

from __future__ import annotations

import codecs
import re
from collections import deque
from dataclasses import dataclass

from ordolex.core.text import nmea0183
from ordolex.core.text.charsets import CHARSETS, UNCHOSEN
from ordolex.core.text.readable import MOST_BEYOND, Beyond, beyond_ascii, in_some_set, is_single

WINDOW = 64
"""Bytes that the judgement looks back over: a line or two of text, under a tenth of a second at 9600 baud."""

_ENOUGH_WITHOUT_LINE_END = 16  # readable bytes in a row by chance at a wrong rate: (100/256)^16, one in three million
_ENOUGH_WITH_LINE_END = 2
_ENOUGH_BEYOND = 6  # where characters beyond ASCII are among them, which noise has too
_READABLE = bytes(range(0x20, 0x7F)) + b"\t\r\n\b\x07\x0c\x1b\x01\x02\x03\x04\x06\x11\x13\x15"
_HIGH = bytes(range(0x80, 0x100))
_PRINTABLE = bytes(range(0x21, 0x7F))
_SENTENCE_LINE = re.compile(rb"[$!][\x20-\x7e]{1,90}(?=[\r\n])")
_IN_SENTENCE = bytes(range(0x20, 0x7F))
_TAIL = 96  # the longest sentence is 82 characters
_LOOKED_AT = 2048  # bytes of one large arrival that are searched for sentences: enough to judge, cheap in a flood


@dataclass(slots=True)
class LineErrors:
    """Errors that the port reported with some bytes, by kind."""

    framing: int = 0
    parity: int = 0
    breaks: int = 0
    overruns: int = 0

    @property
    def total(self) -> int:
        return self.framing + self.parity + self.breaks + self.overruns

    def add(self, other: LineErrors) -> None:
        self.framing += other.framing
        self.parity += other.parity
        self.breaks += other.breaks
        self.overruns += other.overruns

    def words(self) -> str:
        """Such as `9 framing errors, 1 break`; empty where there are none."""
        named = (
            (self.framing, "framing error"),
            (self.parity, "parity error"),
            (self.breaks, "break"),
            (self.overruns, "overrun"),
        )
        return ", ".join(f"{n} {word}{'s' if n != 1 else ''}" for n, word in named if n)


_OUTWEIGHED_BY = round(1 / MOST_BEYOND) - 1
"""Plain characters that one beyond ASCII needs beside it, where nearly any byte would be a character."""
_NO_TEXT = 16
_JUDGED = 4 * WINDOW
_CONTINUED = bytes(range(0x80, 0xC0))


class Judge:
    """Feed it every arrival; read `bad`, `seen` and `clean` of the window. `charset` is a name of CHARSETS."""

    def __init__(self, charset: str = UNCHOSEN) -> None:
        self.charset = charset
        self.checks_right = 0
        self.checks_wrong = 0
        self.reset()

    def reset(self) -> None:
        """Starts a new window, as after a change of line settings."""
        self._window: deque[tuple[bytes, int]] = deque()
        self.seen = 0
        self._bad = 0
        self._weight = 0
        self._line_ends = 0
        self._tail = b""
        self._beyond: Beyond | None = None
        self._after_cr = False

    def judged_by_check(self, right: bool, *, counts: bool = True) -> None:
        """An answer was judged by its frame, not by whether it is text. Only a frame with a check `counts` as one."""
        self.reset()
        self.checks_right += right and counts
        self.checks_wrong += counts and not right

    def receive(self, data: bytes, errors: LineErrors | None) -> None:
        sentences = self._wrong_sentences(data)
        if len(data) > _JUDGED:  # of a flood its end tells enough
            data = data[-_JUDGED:]
        bad = sentences + len(_without_nul_behind_cr(data, self._after_cr).translate(None, _READABLE + _HIGH))
        self._after_cr = data.endswith(b"\r") or (self._after_cr and not data)
        if errors is not None:
            bad = min(bad + errors.total, max(1, len(data)))
        self._window.append((data, bad))
        self.seen += len(data)
        self._bad += bad
        while len(self._window) > 1 and self.seen - len(self._window[0][0]) >= WINDOW:
            old, old_bad = self._window.popleft()
            self.seen -= len(old)
            self._bad -= old_bad
        self._beyond = None
        self._count_text(data, bad)

    @property
    def bad(self) -> int:
        """Errors and bytes that are no text among those in the window."""
        found = self._found_beyond()
        if not (found.read or found.unread):
            return self._bad
        outweighed = _OUTWEIGHED_BY * found.read - self._plain() >= _NO_TEXT
        return self._bad + found.unread + (found.read if outweighed or found.read > MOST_BEYOND * self.seen else 0)

    @property
    def clean(self) -> bool:
        """No fault in the window, and enough of the expected shape to say so."""
        enough = _ENOUGH_WITH_LINE_END if self._line_ends else _ENOUGH_WITHOUT_LINE_END
        beyond = self._found_beyond().read
        if beyond:
            enough = max(enough, _ENOUGH_BEYOND) + (_OUTWEIGHED_BY + 1) * beyond
        return self._weight >= enough and self.bad == 0

    def _count_text(self, data: bytes, bad: int) -> None:
        if bad:
            self._weight = self._line_ends = 0
            return
        self._weight = min(self._weight + len(data) - len(data.translate(None, _PRINTABLE + _HIGH)), 4 * WINDOW)
        self._line_ends |= b"\n" in data or b"\r" in data

    def _plain(self) -> int:
        data = self._text()
        return len(data) - len(data.translate(None, _PRINTABLE)) + self._found_beyond().words

    def _text(self) -> bytes:
        return b"".join(data for data, _ in self._window)

    def _found_beyond(self) -> Beyond:
        """What is beyond ASCII in the window, looked at as a whole: where it was cut into arrivals does not count."""
        if self._beyond is None:
            plain = all(data.isascii() for data, _ in self._window)
            self._beyond = _NONE if plain else self._beyond_in(self._text())
        return self._beyond

    def _beyond_in(self, data: bytes) -> Beyond:
        single = is_single(self.charset)
        if not single:
            data = data[:3].lstrip(_CONTINUED) + data[3:]  # the window may begin within a character, and end in one
        decoder = codecs.getincrementaldecoder(CHARSETS[self.charset])("surrogateescape")
        found = beyond_ascii(decoder.decode(data), single=single)
        return in_some_set(data) if self.charset == UNCHOSEN and found.unread else found

    def _wrong_sentences(self, data: bytes) -> int:
        if not self._tail and b"$" not in data and b"!" not in data:
            return 0
        look = self._tail + data[:_LOOKED_AT]
        wrong = 0
        end = 0
        for found in _SENTENCE_LINE.finditer(look):
            verdict = nmea0183.verdict(found[0])
            self.checks_right += verdict is True
            wrong += verdict is False
            end = found.end()
        self.checks_wrong += wrong
        rest = look[end:] if len(data) <= _LOOKED_AT else b""
        start = max(rest.rfind(b"$"), rest.rfind(b"!"))
        begun = rest[start:] if start >= 0 and len(rest) - start <= _TAIL else b""
        self._tail = begun if not begun.translate(None, _IN_SENTENCE) else b""
        return wrong


_NONE = Beyond(0, 0)


def _without_nul_behind_cr(data: bytes, after_cr: bool) -> bytes:
    """Some devices end a line with CR NUL."""
    return (data[1:] if after_cr and data[:1] == b"\0" else data).replace(b"\r\0", b"\r") if b"\0" in data else data
