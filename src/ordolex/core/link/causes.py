"""Why what arrives looks wrong: ranked causes from the evidence, with the one cheap test that separates the first two.

Each cause has one function that says how strongly the evidence speaks for it, from 0 to 1. Nothing is said that the
evidence does not support: a cause without any stays out of the list.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

from ordolex.core.link.judge import LineErrors
from ordolex.core.text import nmea0183

LOOKED_AT = 512
"""Bytes, the latest, that are looked at."""


@dataclass(frozen=True, slots=True)
class Signs:
    """What is known of the bytes that arrive.

    data      the latest of them, LOOKED_AT at the most
    errors    line errors among them; None where the port reports none
    sent      what was sent last, without an answer of known shape since
    unasked   whether they came without a question
    bursts    how many separate arrivals they came in
    """

    data: bytes
    errors: LineErrors | None = None
    sent: bytes = b""
    unasked: bool = False
    bursts: int = 1

    def __post_init__(self) -> None:
        object.__setattr__(self, "data", self.data[-LOOKED_AT:])

    @property
    def readable(self) -> float:
        """Share of bytes that stand in a text."""
        good = sum(32 <= byte < 127 or byte in b"\r\n\t\x1b\x0e\x0f\x08\x07" for byte in self.data)
        return good / len(self.data) if self.data else 0.0

    def rate(self, kind: str) -> float:
        """Line errors of one kind for each byte."""
        return getattr(self.errors, kind) / max(1, len(self.data)) if self.errors is not None else 0.0

    @property
    def lines(self) -> list[bytes]:
        return [line for line in re.split(rb"[\r\n]+", self.data) if line]


@dataclass(frozen=True, slots=True)
class Cause:
    """name: short, stable; words: the cause; test: the cheap test for it; likely: 0 to 1."""

    name: str
    words: str
    test: str
    likely: float


def _overrun(s: Signs) -> float:
    return min(1.0, 0.9 + s.rate("overruns")) if s.rate("overruns") else 0.0


def _inverted(s: Signs) -> float:
    broken = s.rate("breaks")
    if not s.data or s.readable > 0.7:
        return 0.0
    turned = bytes(~byte & 0xFF for byte in s.data)
    shifted = bytes((~byte >> 1) & 0x7F for byte in s.data)
    looks = max(_text_share(turned), _text_share(shifted))
    stands = 0.35 if broken > 0.95 else 0.3 if broken and s.rate("framing") + broken > 0.5 else 0.0
    return min(0.95, 0.5 * min(1.0, 2 * broken) + (0.5 if looks > 0.8 else 0.0) + stands)


def _wrong_rate(s: Signs) -> float:
    if s.errors is None:
        return 0.6 if s.data and s.readable < 0.6 else 0.0
    # a sender that is much slower gives characters of zeros: those are counted as breaks
    return 0.82 if s.rate("framing") + s.rate("breaks") > 0.08 and s.readable < 0.85 else 0.0


def _parity(s: Signs) -> float:
    if s.rate("framing") > 0.05:
        return 0.0
    if s.rate("parity") > 0.1:
        return 0.9
    if len(s.data) < 8:
        return 0.0
    high = sum(byte >= 0x80 for byte in s.data) / len(s.data)
    masked = _text_share(bytes(byte & 0x7F for byte in s.data))
    even = sum((byte.bit_count() & 1) == 0 for byte in s.data) / max(1, len(s.data))
    if 0.2 < high < 0.8 and masked > 0.95 and max(even, 1 - even) > 0.95:
        return 0.92
    return 0.9 if high >= 0.8 and masked > 0.95 else 0.0


def _clock(s: Signs) -> float:
    return 0.85 if 0 < s.rate("framing") <= 0.12 and s.readable > 0.8 else 0.0


def _missing(s: Signs) -> float:
    right, wrong = nmea0183.census(s.data)
    if s.errors is not None and s.errors.total:
        return 0.0
    whole = s.readable > 0.95
    return 0.8 if whole and wrong and wrong >= right else 0.45 if whole and s.data and _cut_words(s) else 0.0


def _escapes(s: Signs) -> float:
    return 0.95 if re.search(rb"\x1b\[[0-9;?]*[A-Za-z]", s.data) else 0.0


def _charset(s: Signs) -> float:
    high = sum(byte >= 0x80 for byte in s.data) / max(1, len(s.data))
    clean = s.rate("framing") == 0 and s.rate("parity") == 0
    if b"\x0e" in s.data and clean:
        return 0.93  # with line errors it is a byte like any other
    sure = 0.7 if s.errors is not None else 0.5  # where no errors are told, a wrong rate looks the same
    return sure if clean and 0.02 < high < 0.5 and _text_share(s.data) > 0.5 and not _parity(s) else 0.0


def _doubled(s: Signs) -> float:
    line = max(s.lines, key=len, default=b"")
    if len(line) < 6:
        return 0.0
    twice = sum(a == b for a, b in zip(line[::2], line[1::2], strict=False)) / (len(line) // 2)
    return 0.95 if twice > 0.9 else 0.0


def _staircase(s: Signs) -> float:
    bare_lf = len(re.findall(rb"(?<!\r)\n", s.data))
    bare_cr = len(re.findall(rb"\r(?!\n)", s.data))
    mixed = s.data.count(b"\r\n")
    return 0.6 if s.readable > 0.95 and not mixed and (bare_lf >= 2) != (bare_cr >= 2) else 0.0


def _two_sources(s: Signs) -> float:
    if s.readable < 0.9:
        return 0.0
    right, wrong = nmea0183.census(s.data)
    begun = len(re.findall(rb"[$!][A-Z]{4,6},", s.data))
    ends = len(re.findall(rb"[\r\n]+", s.data))
    if begun >= 2 and ends >= begun and right + wrong < 0.6 * begun:
        return 0.82
    if right and wrong and wrong < right:
        return 0.82
    return 0.0


def _joined_late(s: Signs) -> float:
    first, _, rest = s.data.partition(b"\n")
    if len(rest) < 12 or len(first) < 3:
        return 0.0
    return 0.88 if _text_share(first) < 0.6 and _text_share(rest) > 0.97 else 0.0


def _two_answers(s: Signs) -> float:
    if s.unasked or not s.sent or s.readable < 0.6:
        return 0.0
    answers = [line for line in s.lines if line.strip() and line.strip() != s.sent.strip()]
    collided = s.rate("framing") > 0 and len(answers) >= 1
    twice = len(answers) >= 2 and s.bursts <= 1 and _alike(answers[0], answers[1:])
    return 0.84 if len(answers) >= 2 and (collided or twice) else 0.0


def _floating(s: Signs) -> float:
    if not s.data or s.readable > 0.75:
        return 0.0
    small = len(s.data) / max(1, s.bursts) <= 4
    different = len(set(s.data)) / len(s.data)
    return 0.88 if s.unasked and small and s.bursts >= 4 and different > 0.6 else 0.0


def _cut(s: Signs) -> float:
    longest = max((len(line) for line in s.lines), default=0)
    return 0.6 if longest > 132 and s.readable > 0.95 else 0.0


def _half(s: Signs) -> float:
    if s.readable < 0.95 or len(s.data) < 6 or s.data[-1:] in (b"\n", b"\r", b">"):
        return 0.0
    return 0.7 if b"\n" not in s.data and b"\r" not in s.data else 0.3


_CAUSES: tuple[tuple[str, str, str, Callable[[Signs], float]], ...] = (
    ("inverted", "polarity turned: logic levels at an RS-232 port, or A and B swapped",
     "Match (F4) tells; so does the idle voltage: 3 to 5 V is logic, negative RS-232", _inverted),
    ("rate", "wrong baud", "Match (F4) finds it from what came",
     _wrong_rate),
    ("parity", "wrong parity, or seven data bits for eight",
     "Match (F4) tells the format; by hand, try 7E1 and 8N1 at the same rate", _parity),
    ("clock", "its clock is a little off, it wants two stop bits, or the line is noisy",
     "Try two stop bits, then a lower rate at both ends", _clock),
    ("overrun", "bytes are lost at this PC: the port was not emptied in time",
     "Ask for the same long answer at a lower rate and compare the lengths; or use flow control", _overrun),
    ("missing", "bytes are lost on the way, without a line error: no flow control, or an adapter that drops them",
     "Ask for the same long answer at two rates and compare the lengths", _missing),
    ("escapes", "it draws a screen of its own: every byte is right",
     "Ctrl+D in Talk shows that screen; Ctrl+T shows the bytes: 1b 5b … are screen codes", _escapes),
    ("charset", "another character set: a shift code, or another code page",
     "Look for 0e (shift out) in the bytes; send 0f (shift in), or choose the code page", _charset),
    ("doubled", "two echoes: one from here and one from the device", "Turn one of the two echoes off", _doubled),
    ("line end", "the line ends differ: LF or CR alone", "Ctrl+T shows them; Ctrl+N changes what is sent", _staircase),
    ("two sources", "two senders on one line: a late message, or a second device",
     "Wait until it is quiet before asking; then see whether the piece in the middle still comes", _two_sources),
    ("joined late", "the listening began in the middle, or while it booted at another rate",
     "Wait for a pause and look at the lines after it", _joined_late),
    ("two answers", "two devices answer at once: the same address twice, or a second master",
     "Ask one address at a time, with all others off the bus", _two_answers),
    ("floating", "a floating line: no common ground, or nothing drives it",
     "Measure the idle voltage; join the grounds; see whether it stops with the plug pulled", _floating),
    ("long lines", "long lines on a narrow screen", "Make the window wider, or look in Keep", _cut),
    ("half", "half a message: its end is still missing",
     "Look at the age of the last byte and wait; then ask again with a longer wait", _half),
)  # fmt: skip


def causes(signs: Signs) -> list[Cause]:
    """The causes that the evidence speaks for, the likeliest first; none for no bytes."""
    if not signs.data and not (signs.errors is not None and signs.errors.total):
        return []
    found = [Cause(name, words, test, speaks(signs)) for name, words, test, speaks in _CAUSES]
    return sorted((cause for cause in found if cause.likely > 0), key=lambda cause: -cause.likely)


def _text_share(data: bytes) -> float:
    good = sum(32 <= byte < 127 or byte in b"\r\n\t" for byte in data)
    return good / len(data) if data else 0.0


def _cut_words(s: Signs) -> bool:
    """Two arrivals of the same kind of line whose lengths differ by a few bytes."""
    lengths = [len(line) for line in s.lines if len(line) > 10]
    return len(lengths) >= 3 and any(0 < abs(a - b) <= 2 for a, b in pairwise(lengths))


def _alike(line: bytes, others: list[bytes]) -> bool:
    """Whether another line begins with the same kind of characters."""

    def shape(text: bytes) -> bytes:
        return re.sub(rb"[0-9]+", b"0", re.sub(rb"[A-Za-z]+", b"a", text.strip()))[:4]

    return sum(shape(other) == shape(line) for other in others) > (line in others)
