"""Character sets that devices use, and the bytes of one text read in each of them side by side."""

from __future__ import annotations

import codecs

CHARSETS = {
    "UTF-8": "utf-8", "Latin-1": "latin-1", "CP437": "cp437", "CP850": "cp850", "Latin-9": "iso8859-15",
    "CP1251": "cp1251", "CP866": "cp866",
}  # fmt: skip
"""Names as a technician knows them, and Python's."""
UNCHOSEN = "UTF-8"
"""The one that holds until somebody chooses."""
UNREAD = "\N{REPLACEMENT CHARACTER}"
"""Stands for a character that could not be read."""


class CharsetError(ValueError):
    """A character that a set has not. The message says which, and what to do."""


def readings_of(data: bytes, charset: str = "") -> list[str]:
    """The ways to read what a device says, likeliest first: one where its character set is known, or where all that
    came is plain; else one for each set that reads it differently."""
    first = text_of(data, charset)
    if charset in CHARSETS or data.isascii():
        return [first]
    return list(dict.fromkeys([first, *(data.decode(codec, "replace") for codec in CHARSETS.values())]))


def encoded(text: str, charset: str, which: str = "") -> bytes:
    """Its bytes in the character set of that name. Raises CharsetError, which says `which` it is in place of a
    character that nobody is to see."""
    try:
        return text.encode(CHARSETS[charset], "surrogateescape")
    except UnicodeEncodeError as error:
        said = f"{which or repr(text[error.start])} is not in {charset}"
        raise CharsetError(f"{said}; Character set under Ctrl+B in Talk (F5) chooses another") from None


def text_of(data: bytes, charset: str = "") -> str:
    """As a person would read what a device says. Where its character set is not known (a name that is none of
    CHARSETS) what is UTF-8 is read as that, and another byte as the character of Latin-1; what is none is UNREAD.
    A piece of a character at either end changes nothing in between."""
    return data.decode(CHARSETS[charset], "replace") if charset in CHARSETS else data.decode("utf-8", _OR_LATIN_1)


def _latin_1(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeDecodeError):
        raise error
    bad = error.object[error.start : error.end]
    return "".join(chr(byte) if byte >= _FIRST_OF_LATIN_1 else UNREAD for byte in bad), error.end


_OR_LATIN_1 = "ordolex.or_latin_1"
_FIRST_OF_LATIN_1 = 0xA0  # below stand its control characters (ISO/IEC 6429), some of which end a line
codecs.register_error(_OR_LATIN_1, _latin_1)


def surely_read(part: str, data: bytes, charset: str = "") -> str:
    """A part of `text_of(data, charset)`, with UNREAD for what is not surely that character: what a device is to have
    back must be the bytes that it gave."""
    if charset in CHARSETS or part in data.decode("utf-8", "replace"):
        return part
    return "".join(character if character.isascii() else UNREAD for character in part)


def side_by_side(data: bytes) -> list[tuple[str, str]]:
    """(name, text) for each; what is none in a set is UNREAD."""
    return [(name, data.decode(codec, "replace")) for name, codec in CHARSETS.items()]
