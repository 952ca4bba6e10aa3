"""What makes a reading credible as a whole: checksums that are right, lines, result codes, things that come again.

A check over many bits that is right by chance is rare, so one right sentence or frame weighs more than any habit.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ordolex.core.match.content import text_in
from ordolex.core.protocols.modbus.crc import frames_in
from ordolex.core.text import nmea0183
from ordolex.core.text.counts import counted
from ordolex.core.text.patterns import search

_RESULT = re.compile(rb"(?:^|[\r\n])(OK|ERROR|READY|CONNECT|BUSY|NO CARRIER|\+C\w\w ERROR: \d+)\r?(?=[\r\n])")
_WIDE = re.compile(rb"[\xc2-\xdf][\x80-\xbf]|[\xe1-\xef][\x80-\xbf]{2}")  # RFC 3629, of two and three bytes
_PROMPT = re.compile(rb"[\w)\]] ?[>#:$?] ?$")
_NOISE, _ENOUGH = -6.0, 20
_SPOKEN, _SPOKEN_AT_ALL = 0.8, 0.4  # nats a byte, see `text_in`
_PARTED = 0.05
_FRAME = 7  # bytes of the answer to a question for one register
_MOST, _MOST_CHECKED = 14.0, 40.0  # no shapes are worth more, in nats; right checks are less often chance


@dataclass(frozen=True, slots=True)
class Shape:
    """A device's own shape, as a sheet gives it: a pattern for a piece of its talk, and its worth in nats."""

    name: str
    pattern: re.Pattern[bytes]
    worth: float = 6.0


def like_noise(reading: bytes) -> bool:
    """Neither text nor the small numbers that come again in binary data: a line read at a wrong rate looks so."""
    if len(reading) < _ENOUGH:
        return False
    plain = sum(32 <= byte < 127 or byte in b"\r\n" or byte < 16 for byte in reading)
    strange = plain < 0.6 * len(reading) and len(set(reading)) > 0.4 * len(reading)
    return strange and text_in(reading) < _SPOKEN_AT_ALL


def like_text(reading: bytes) -> bool:
    """Nearly all of it can be read, in ASCII, in UTF-8, or in the letters of another alphabet; characters may be cut
    off at the ends."""
    plain = sum(32 <= byte < 127 or byte in b"\r\n\t\x02\x03\x1b" for byte in reading)
    plain += sum(len(found) for found in _WIDE.findall(reading))
    return plain >= 0.85 * len(reading) or (len(reading) >= _ENOUGH and text_in(reading) >= _SPOKEN)


def parted(reading: bytes) -> bool:
    """Whether blanks, commas or line ends part it, as they do in what devices say: letters alone are what the middle of
    a faster sender's frames looks like."""
    return len(reading) < _ENOUGH or sum(byte in b" ,;:=/\r\n\t\x02\x03" for byte in reading) >= _PARTED * len(reading)


def checked_in(reading: bytes) -> str:
    """Sentences and frames whose check is right, in words; empty where there are none, or some are wrong. One check of
    16 bits is right by chance once in 65,536; of 8 bits it takes two."""
    right, wrong = nmea0183.census(reading)
    if right >= 2 and not wrong:
        return f"{right} sentences with a right checksum"
    frames = frames_in(reading)
    if frames and sum(end - begin for begin, end in frames) >= 0.8 * len(reading) and len(reading) >= _FRAME:
        return f"{counted(len(frames), 'frame')} with a right CRC"
    return ""


def seen_in(reading: bytes, own: Sequence[Shape] = ()) -> tuple[float, str]:
    """What the reading's shapes are worth, in nats, and in words; (0, "") for none."""
    found: list[tuple[float, str]] = []
    right, wrong = nmea0183.census(reading)
    if right:
        found.append((5.0 * right - 4.0 * wrong, f"{counted(right, 'sentence')} with a right checksum"))
    elif wrong:
        found.append((-3.0, f"{counted(wrong, 'sentence')} with a wrong checksum"))
    frames = frames_in(reading)
    if frames:
        covered = sum(end - begin for begin, end in frames) / len(reading)
        # one alone in much else is there by chance now and then: so many windows are looked at
        worth = 4.0 * len(frames) + 2.0 if len(frames) > 1 or covered > 0.5 else 1.0
        found.append((worth, f"{counted(len(frames), 'frame')} with a right CRC"))
    if _RESULT.search(reading):
        found.append((5.0, f"result code {_RESULT.findall(reading)[0].decode()}"))
    ends = len(re.findall(rb"[\x20-\x7e]\r?\n|[\x20-\x7e]\r", reading))
    if ends >= 2 and reading.isascii():
        found.append((1.5, f"{ends} lines of text"))
    elif _PROMPT.search(reading) and reading.isascii():
        found.append((1.0, "a prompt"))
    found += [(shape.worth, shape.name) for shape in own if search(shape.pattern.pattern, reading)]
    if not found:
        return (_NOISE, "") if like_noise(reading) else (0.0, "")
    most = _MOST_CHECKED if right or frames else _MOST
    worth = min(most, sum(value for value, _ in found))
    return worth, max(found)[1]
