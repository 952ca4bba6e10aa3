"""Character sets that devices use, and the bytes of one text read in each of them side by side."""

from __future__ import annotations

CHARSETS = {"UTF-8": "utf-8", "Latin-1": "latin-1", "CP437": "cp437", "CP850": "cp850", "Latin-9": "iso8859-15"}
"""Names as a technician knows them, and Python's."""


class CharsetError(ValueError):
    """A character that a set has not. The message says which, and what to do."""


def encoded(text: str, charset: str, which: str = "") -> bytes:
    """Its bytes in the character set of that name. Raises CharsetError, which says `which` it is in place of a
    character that nobody is to see."""
    try:
        return text.encode(CHARSETS[charset], "surrogateescape")
    except UnicodeEncodeError as error:
        raise CharsetError(
            f"{which or repr(text[error.start])} is not in {charset}; Ctrl+B, Character set, chooses another"
        ) from None


def side_by_side(data: bytes) -> list[tuple[str, str]]:
    """(name, text) for each; what is none in a set is shown as `\N{REPLACEMENT CHARACTER}`."""
    return [(name, data.decode(codec, "replace")) for name, codec in CHARSETS.items()]
