"""Text that a person types, with control bytes written out, and the bytes it stands for.

Understood are `\\r \\n \\t \\0 \\e \\xHH`, a doubled backslash, and the ASCII names in angle brackets, such as `<CR>`
or `<STX>` (ISO/IEC 646, names as in ITU-T T.50). A `<` that begins no such name stands for itself.
"""

from __future__ import annotations

import re
import unicodedata

from ordolex.core.text.charsets import CHARSETS, UNCHOSEN, encoded

ASCII_NAMES = [
    "NUL",
    "SOH",
    "STX",
    "ETX",
    "EOT",
    "ENQ",
    "ACK",
    "BEL",
    "BS",
    "HT",
    "LF",
    "VT",
    "FF",
    "CR",
    "SO",
    "SI",
    "DLE",
    "DC1",
    "DC2",
    "DC3",
    "DC4",
    "NAK",
    "SYN",
    "ETB",
    "CAN",
    "EM",
    "SUB",
    "ESC",
    "FS",
    "GS",
    "RS",
    "US",
]
BYTE_OF_NAME = {name: code for code, name in enumerate(ASCII_NAMES)} | {
    "DEL": 127, "SP": 32, "XON": 17, "XOFF": 19, "TAB": 9,
}  # fmt: skip
_SHORT = {"r": 13, "n": 10, "t": 9, "0": 0, "e": 27, "a": 7, "b": 8, "\\": 92, "<": 60}
_SHORT_OF = {13: "r", 10: "n", 9: "t", 27: "e"}
_LIKE_A_NAME = re.compile(rf"<(?=(?:{'|'.join(BYTE_OF_NAME)})>)".encode(), re.I)
"""A `<` that stands for itself, and would be read as the beginning of a name."""
_BEYOND = re.compile(rb"([\x80-\xff]+)")
_UNSEEN = frozenset(("Cc", "Cf", "Cs", "Zl", "Zp"))
_LINE_END = re.compile(r"\r\n|\r|\n")
_TOKEN = re.compile(r"\\(?:x([0-9A-Fa-f]{2})|(.)?)|<([A-Za-z][A-Za-z0-9]{1,4})>", re.S)


class EscapeError(ValueError):
    """A control byte that is written in a way that cannot be read. The message says which and how to write it."""


def to_bytes(text: str, charset: str = UNCHOSEN) -> bytes:
    """The bytes that `text` stands for. Raises EscapeError for an unfinished or unknown escape, and CharsetError for a
    character that the set has not."""
    out = bytearray()
    at = 0
    for found in _TOKEN.finditer(text):
        out += encoded(text[at : found.start()], charset)
        out += _one(found)
        at = found.end()
    out += encoded(text[at:], charset)
    return bytes(out)


def _one(found: re.Match[str]) -> bytes:
    if found[1]:
        return bytes((int(found[1], 16),))
    if found[3]:
        code = BYTE_OF_NAME.get(found[3].upper())
        return found[0].encode() if code is None else bytes((code,))
    if found[2] in _SHORT:
        return bytes((_SHORT[found[2]],))
    raise EscapeError(
        f"{found[0]!r} is no control byte; write \\r \\n \\t \\xHH or a name like <CR>, and \\\\ for a backslash"
    )


def written_out(text: str) -> str:
    """The text with each character that cannot be seen, and could command a terminal or reorder a line, written as
    `to_bytes` understands it; one line."""
    if text.isprintable():
        return text
    return "".join(_written_out(character) for character in text)


def _written_out(character: str) -> str:
    if unicodedata.category(character) not in _UNSEEN:
        return character
    short = _SHORT_OF.get(ord(character))
    if short:
        return f"\\{short}"
    return "".join(f"\\x{byte:02x}" for byte in character.encode("utf-8", "surrogatepass"))


def lines_of(text: str) -> list[str]:
    """Its lines, as they end where text comes from: by CR, LF or both, and by nothing else."""
    lines = _LINE_END.split(text)
    return lines if lines[-1] else lines[:-1]


def named(data: bytes) -> str:
    """Bytes as a person would type them: control bytes by name, everything else readable or as \\xHH. `to_bytes` of it
    are the same bytes."""
    return "\\<".join("".join(map(_name, part)) for part in _LIKE_A_NAME.split(data))


def typed(data: bytes, charset: str = UNCHOSEN) -> str:
    """The same, with the letters of a character set as themselves, as they were typed. `to_bytes` of it in that set are
    the same bytes."""
    return "".join(_letters(part, charset) if part[:1] >= b"\x80" else named(part) for part in _BEYOND.split(data))


def _letters(data: bytes, charset: str) -> str:
    try:
        text = data.decode(CHARSETS[charset])
    except UnicodeDecodeError:
        return named(data)
    return text if text.isprintable() and encoded(text, charset) == data else named(data)


def _name(byte: int) -> str:
    if byte < 32:
        return f"<{ASCII_NAMES[byte]}>"
    if byte == 127:
        return "<DEL>"
    if byte == 0x5C:
        return "\\\\"
    return chr(byte) if byte < 127 else f"\\x{byte:02x}"
