"""Makes text from outside safe to show. Everything that a device sends passes through here before it is drawn.

Control characters (C0, C1, DEL), bytes that are no UTF-8, marks that reorder text and characters without a cell of
their own are replaced by something that shows what they are. What leaves these functions has one line and one cell a
character, so that it can neither command the terminal nor disturb a column.
"""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from ordolex.core.text.charsets import CHARSETS
from ordolex.core.text.escapes import ASCII_NAMES

_MARKS = {
    0x00: "·", 0x07: "◦", 0x08: "←", 0x09: "→", 0x0A: "↓", 0x0D: "↵", 0x1B: "⇠",
}  # fmt: skip
_NAMES = {code: f"<{name}>" for code, name in enumerate(ASCII_NAMES) if code not in _MARKS} | {0x7F: "<DEL>"}
"""The other control bytes, as they are typed."""
_OTHER_CONTROL = "◌"
_BAD_BYTE = "×"
_FEW = 4
_PRINTABLE = bytes(range(0x20, 0x7F))
_PLAIN = re.compile(r"[ -~]*")
_ODD = re.compile(r"[^ -~]+")


def visible(data: bytes, charset: str = "UTF-8") -> str:
    """One line of text for `data`, read in that character set (a name of CHARSETS), as many cells as it has
    characters."""
    odd = data.translate(None, _PRINTABLE)
    if not odd:
        return data.decode("ascii")
    if not odd.isascii():
        return _ODD.sub(_shown_run, data.decode(CHARSETS[charset], "surrogateescape"))
    text = data.decode("ascii")
    for character in set(odd.decode("ascii")):
        text = text.replace(character, _shown(character))
    return text


def visible_text(text: str) -> str:
    """The same for text that came as text, such as an adapter's name or a file's."""
    return text if _PLAIN.fullmatch(text) else _ODD.sub(_shown_run, text)


def _shown_run(found: re.Match[str]) -> str:
    run = found[0]
    return _shown_few(run) if len(run) <= _FEW else "".join(map(_shown, run))


@lru_cache(4096)
def _shown_few(run: str) -> str:
    """Line ends and the like, which come again and again."""
    return "".join(map(_shown, run))


@lru_cache(4096)
def _shown(character: str) -> str:
    code = ord(character)
    if 32 <= code < 127:
        return character
    if code < 160:
        return _MARKS.get(code) or _NAMES.get(code, _OTHER_CONTROL)
    if 0xD800 <= code < 0xE000:
        return _BAD_BYTE
    category = unicodedata.category(character)
    if category in ("Cf", "Cc", "Cs", "Co", "Cn", "Zl", "Zp", "Mn", "Me", "Mc"):
        return _OTHER_CONTROL
    return "□" if unicodedata.east_asian_width(character) in ("W", "F") else character


def hex_pairs(data: bytes) -> str:
    return data.hex(" ")


_CODES = re.compile(
    rb"\x1b(?:\[[0-?]*[ -/]*[@-~]"
    rb"|[\]PX^_][^\x07\x1b]*(?:\x07|\x1b\\)?"
    rb"|[ -/]*[0-OQ-WYZ\\`-~])|[\x0e\x0f]"
)
"""Control sequences, control strings and escape sequences (ECMA-48, 5.3, 5.4, 5.6), and the shifts SO and SI."""


def without_codes(data: bytes) -> bytes:
    """The text alone; a code that is not whole stays, so that nothing is hidden by a piece of one."""
    return _CODES.sub(b"", data)
