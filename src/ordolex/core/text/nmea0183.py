"""Sentences after NMEA 0183: `$`, address, fields, `*`, checksum, CR LF; at most 82 characters."""

from __future__ import annotations

import re
from functools import reduce
from operator import xor

_SENTENCE = re.compile(rb"[$!]([\x20-\x29\x2b-\x7e]*)\*([0-9A-Fa-f]{2})")

_ADDRESSED = re.compile(rb"[A-Z][A-Z0-9]*,")
_WITHIN = re.compile(rb"[$!]([\x20-\x7e]{3,90}?)\*([0-9A-Fa-f]{2})")


def checksum(body: bytes) -> int:
    """Exclusive or of all characters between the start character and the asterisk."""
    return reduce(xor, body, 0)


def sentence(body: bytes) -> bytes:
    """A whole sentence around `body`, with its line end."""
    return b"$%s*%02X\r\n" % (body, checksum(body))


def verdict(line: bytes) -> bool | None:
    """Whether the line's checksum is right; None where the line is no sentence with a checksum."""
    found = _SENTENCE.fullmatch(line)
    return None if found is None else checksum(found[1]) == int(found[2], 16)


def census(data: bytes) -> tuple[int, int]:
    """How many sentences that stand anywhere in the data have a right checksum, and how many a wrong one. What has no
    address with a field behind it is none: a prompt may be a `$`, and a value have a `*` before it."""
    found = [(body, checksum(body) == int(check, 16)) for body, check in _WITHIN.findall(data)]
    right = sum(fits for _, fits in found)
    return right, sum(not fits and _ADDRESSED.match(body) is not None for body, fits in found)
