"""How much of what came can be read, in the character set of its device.

In a set with a byte for each character nearly any byte is one, so that noise can be "read" too. Languages that are
written in such a set have few letters beyond ASCII: what has more of them than `MOST_BEYOND` is no text by them.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.text.charsets import CHARSETS, UNCHOSEN

MOST_BEYOND = 0.25
"""Share of characters beyond ASCII up to which bytes can be text in a set with a byte for each."""
_ASCII = bytes(range(0x80))
_FRAMES = re.compile("[\u2500-\u259f]{2,}")
_UNREADABLE = re.compile("[\x80-\x9f\udc80-\udcff]")
"""C1 controls, and bytes that are no character (as surrogateescape has them)."""


@dataclass(frozen=True, slots=True)
class Beyond:
    """Bytes beyond ASCII: how many are characters, and how many cannot be read. The lines that a device draws around
    its screen (U+2500 to U+259F) count once for each stroke."""

    read: int
    unread: int


def beyond_ascii(text: str, *, single: bool) -> Beyond:
    """Of a text that was decoded with surrogateescape; `single` says that each of its characters was one byte.
    Characters of more bytes show by themselves that they were meant: they do not count."""
    unread = len(_UNREADABLE.findall(text))
    if not single:
        return Beyond(0, unread)
    strokes = sum(len(found[0]) - 1 for found in _FRAMES.finditer(text))
    return Beyond(len(text) - len(text.encode("ascii", "ignore")) - unread - strokes, unread)


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
    text = data.decode(CHARSETS[charset], "surrogateescape")
    found = beyond_ascii(text, single=is_single(charset))
    if is_single(charset) and found.read > MOST_BEYOND * len(text):
        return good / len(data)
    return (good + high - found.unread) / len(data)
