"""Which rows of the record are wanted: by text, pattern, bytes, time, link, direction or change of the rung."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.text.visible import visible

_SIGNS = frozenset("()[]{}.^$*+?#|")
"""What means something else than itself in a pattern."""
_CLASS = re.compile(r"\[\^?\]?[^\]]*\]")
_QUANTITY = re.compile(r"\{\d*,?\d*\}")
_BEYOND = re.compile(r"\\|\(\?(?!P<|[:=!<])")
"""Signs behind a backslash and flags: then nothing is said of a pattern."""
_ERROR_WORDS = ("framing errors", "parity errors", "breaks", "overruns", "framing error", "parity error", "overrun")
_TIME = re.compile(r"(?:(\d{4}-\d\d-\d\d)[ T])?(\d{1,2}):(\d\d)(?::(\d\d)(?:\.(\d{1,3}))?)?")


class Sieve:
    """`text` may begin with `hex:` (bytes), `re:` (a pattern), `at:` (times of day `10:40..10:55`, with a date before
    them where wanted) or `rung:`. Raises ValueError for what cannot be read."""

    def __init__(self, text: str = "", link: int | None = None, direction: Direction | None = None) -> None:
        self.text, self.link, self.direction = text, link, direction
        self._bytes: bytes | None = None
        self._pattern: re.Pattern[str] | None = None
        self._first: tuple[str, timedelta] = ("", timedelta())
        self._last: tuple[str, timedelta] | None = None
        if text.startswith("hex:"):
            try:
                self._bytes = bytes.fromhex(text[4:])
            except ValueError:
                raise ValueError("hex: wants pairs of hex digits, such as hex:0d 0a") from None
        elif text.startswith("re:"):
            try:
                self._pattern = re.compile(text[3:], re.I)
            except re.error as error:
                raise ValueError(f"re: cannot be read: {error}") from None
        elif text.startswith("at:"):
            first, dots, last = text[3:].partition("..")
            self._first, self._last = read_time(first), read_time(last) if last.strip() else None
            if not dots:
                raise ValueError("at: wants two times, such as at:10:40..10:55, or one with .. behind it")
        elif text.startswith("rung:"):
            self._pattern = re.compile(r"^rung " + re.escape(text[5:].strip()), re.I)

    @property
    def wanted(self) -> tuple[bytes, bool] | None:
        """Bytes that every row must hold, and whether case does not matter; None where it takes more than bytes."""
        if self._bytes is not None:
            return (self._bytes, False) if self._bytes else None
        if not self.text or self._pattern is not None or self.text.startswith("at:") or not self.text.isascii():
            return None  # of a pattern see `literal`
        if not self.text.isprintable() or any(self.text.lower() in words for words in _ERROR_WORDS):
            return None  # a row's line errors are no bytes of it
        return self.text.encode(), True

    @property
    def literal(self) -> bytes | None:
        """Of a pattern the longest text that stands in everything it fits, in any case; None where none is seen. It is
        no more than a help for who looks in bytes that are all text: it may be shorter than it could be."""
        if self._pattern is None or not self.text.startswith("re:") or _BEYOND.search(self.text):
            return None
        best = run = ""
        depth = 0
        pattern = _QUANTITY.sub("*", _CLASS.sub(".", self.text[3:]))
        for sign, behind in zip(pattern, [*pattern[1:], ""], strict=True):
            depth += (sign == "(") - (sign == ")")
            if sign == "|" and depth == 0:
                return None
            if depth == 0 and sign not in _SIGNS and sign.isascii() and sign.isprintable():
                run += sign if behind not in ("?", "*") else ""
                best = max(best, run, key=len)
                run = "" if behind in ("?", "*", "+") else run
            else:
                run = ""
        return best.encode() if len(best) > 1 else None

    @property
    def times(self) -> tuple[tuple[str, timedelta], tuple[str, timedelta] | None]:
        """The first and the last time that `at:` names, each as (date or nothing, time of day)."""
        return self._first, self._last

    @property
    def everything(self) -> bool:
        return not self.text and self.link is None and self.direction is None

    def may_pass(self, line: bytes, charset: str) -> bool:
        """Whether a line that was heard may pass, of which only its bytes are known: cheaper than a row."""
        if self._bytes is not None:
            return self._bytes in line
        if self._pattern is not None:
            return self._pattern.search(visible(line, charset)) is not None
        return self.text.startswith("at:") or self.text.lower() in visible(line, charset).lower()

    def passes(self, link: int, row: Row) -> bool:
        if self.link is not None and link != self.link:
            return False
        if self.direction is not None and row.direction is not self.direction:
            return False
        if self._bytes is not None:
            return self._bytes in row.data
        if self.text.startswith("at:"):
            return _within(row.at_us, self._first, self._last)
        if self._pattern is not None:
            return self._pattern.search(row.shown) is not None
        return self.text.lower() in row.shown.lower() or self.text.lower() in row.errors.lower()


def read_time(text: str) -> tuple[str, timedelta]:
    """A local time of day, (date or nothing, time since midnight). Raises ValueError."""
    found = _TIME.fullmatch(text.strip())
    if found is None or int(found[2]) > 23 or int(found[3]) > 59 or int(found[4] or 0) > 59:
        raise ValueError(f"{text.strip()[:20]!r} is no time; write such as 10:40, 10:40:05 or 2026-11-23 10:40")
    ms = int((found[5] or "0").ljust(3, "0"))
    return found[1] or "", timedelta(
        hours=int(found[2]), minutes=int(found[3]), seconds=int(found[4] or 0), milliseconds=ms
    )


def since_midnight(at_us: int) -> tuple[str, timedelta]:
    """The local date and time of day of a UTC time in microseconds."""
    moment = datetime.fromtimestamp(at_us / 1e6)
    return f"{moment:%Y-%m-%d}", moment - moment.replace(hour=0, minute=0, second=0, microsecond=0)


def _within(at_us: int, first: tuple[str, timedelta], last: tuple[str, timedelta] | None) -> bool:
    day, time = since_midnight(at_us)
    if (first[0] or day, first[1]) > (day, time):
        return False
    return last is None or (day, time) <= (last[0] or day, last[1])
