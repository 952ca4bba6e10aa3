"""How much of what came can be read, in the character set of its device.

In a set with a byte for each character nearly any byte is one, so that noise can be "read" too. Languages with Latin
letters have few beyond ASCII: what has more of them than `MOST_BEYOND` is no text by them. Cyrillic letters count as
plain ones where they stand as words do: noise mixes capitals and small letters.
"""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass

from ordolex.core.text.charsets import CHARSETS, UNCHOSEN

MOST_BEYOND = 0.25
"""Share of characters beyond ASCII up to which bytes can be text in a set with a byte for each."""
_ASCII = bytes(range(0x80))
_CONTINUED = bytes(range(0x80, 0xC0))
_FRAMES = re.compile("[\u2500-\u259f]{2,}")
_WORDS = re.compile(
    r"(?<![\u0400-\u045f])(?![\u0400-\u045f]*([\u0400-\u045f])\1\1)"
    r"(?:[\u0401\u0410-\u042f]?[\u0430-\u044f\u0451]{3,19}|[\u0401\u0410-\u042f]{4,20})(?![\u0400-\u045f])"
)
_UNREADABLE = re.compile("[\x80-\x9f\udc80-\udcff]")
"""C1 controls, and bytes that are no character (as surrogateescape has them)."""


@dataclass(frozen=True, slots=True)
class Beyond:
    """Bytes beyond ASCII: how many are characters that noise has too, how many cannot be read, and how many stand as
    letters of words. The lines that a device draws around its screen (U+2500 to U+259F) count once for each stroke."""

    read: int
    unread: int
    words: int = 0


def beyond_ascii(text: str, *, single: bool) -> Beyond:
    """Of a text that was decoded with surrogateescape; `single` says that each of its characters was one byte.
    Characters of more bytes show by themselves that they were meant: they do not count."""
    unread = len(_UNREADABLE.findall(text))
    if not single:
        return Beyond(0, unread)
    strokes = sum(len(found[0]) - 1 for found in _FRAMES.finditer(text))
    words = sum(len(found[0]) for found in _WORDS.finditer(text))
    return Beyond(len(text) - len(text.encode("ascii", "ignore")) - unread - strokes - words, unread, words)


def in_some_set(data: bytes) -> Beyond:
    """The same of bytes that are no UTF-8 and whose set nobody chose, in the set in which they read best."""
    ways = [beyond_ascii(data.decode(CHARSETS[name], "surrogateescape"), single=True) for name in _SINGLE]
    several = {byte for byte in data if byte >= 0x80} - _OF_WRONG_RATES
    if len(several) < _LETTERS:
        ways = [Beyond(way.read + way.words, way.unread) for way in ways]
    return min(ways, key=lambda way: (4 * way.unread + way.read, way.unread))


_OF_WRONG_RATES = {0x80, 0xC0, 0xE0, 0xF0, 0xF8, 0xFC, 0xFE, 0xFF}
"""What a sender at half the rate or less reads as, whatever it says: ones after zeros."""
_LETTERS = 6  # that a text in words has at least
_SINGLE = tuple(name for name in CHARSETS if name != UNCHOSEN)


def is_single(charset: str) -> bool:
    """Whether each character of that set is one byte."""
    return charset != UNCHOSEN


def readable_share(data: bytes, charset: str, controls: bytes) -> float:
    """Share of bytes that stand in a text: `controls` are those below 20 hex that do."""
    if not data:
        return 0.0
    plain = bytes(range(0x20, 0x7F)) + controls
    good = len(data) - len(data.translate(None, plain))
    high = len(data.translate(None, _ASCII))
    if not high:
        return good / len(data)
    if not is_single(charset):
        data = data[:3].lstrip(_CONTINUED) + data[3:]  # what is looked at may begin within a character, and end in one
    text = codecs.getincrementaldecoder(CHARSETS[charset])("surrogateescape").decode(data)
    good, high = len(data) - len(data.translate(None, plain)), len(data.translate(None, _ASCII))
    found = beyond_ascii(text, single=is_single(charset))
    single = is_single(charset)
    if not single and found.unread:
        found, single = in_some_set(data), True
    if single and found.read > MOST_BEYOND * len(data):
        return good / len(data)
    return (good + high - found.unread) / len(data)


def parity_left_in(data: bytes) -> str:
    """`7E1` or `7O1` where these are characters of seven bits whose parity bit was taken for an eighth; else nothing.
    Such bytes are no text: a digit with its parity bit is a sign in one set, a letter in another."""
    if (
        len(data) < _FOR_PARITY
        or data.isascii()
        or readable_share(bytes(b & 0x7F for b in data), UNCHOSEN, _CONTROLS) < 1
    ):
        return ""
    odd = {byte.bit_count() & 1 for byte in data}
    return ("7O1" if odd.pop() else "7E1") if len(odd) == 1 else ""


_FOR_PARITY = 4
_CONTROLS = b"\r\n\t\0\x02\x03\x06\x07\x08\x11\x13\x15\x1b"
