"""What a pressed key sends to a device that is worked key by key: ECMA-48 and DEC VT100 codes for those without a
character of their own."""

from __future__ import annotations

from ordolex.core.text.charsets import encoded

ENTER = {"CR": b"\r", "LF": b"\n", "CR LF": b"\r\n", "none": b"\r"}
"""What Enter sends, by the link's line end; a device worked key by key wants something, so none means CR."""
BACKSPACE = {"DEL": b"\x7f", "BS": b"\x08"}
_CODES = {
    "up": b"\x1b[A", "down": b"\x1b[B", "right": b"\x1b[C", "left": b"\x1b[D", "home": b"\x1b[H", "end": b"\x1b[F",
    "pageup": b"\x1b[5~", "pagedown": b"\x1b[6~", "insert": b"\x1b[2~", "delete": b"\x1b[3~",
    "tab": b"\t", "shift+tab": b"\x1b[Z", "escape": b"\x1b",
    "ctrl+space": b"\0", "ctrl+@": b"\0", "ctrl+left_square_bracket": b"\x1b", "ctrl+backslash": b"\x1c",
    "ctrl+right_square_bracket": b"\x1d", "ctrl+circumflex_accent": b"\x1e", "ctrl+underscore": b"\x1f",
}  # fmt: skip
_DEC = (b"\x1bOP", b"\x1bOQ", b"\x1bOR", b"\x1bOS", *(b"\x1b[%d~" % n for n in (15, 17, 18, 19, 20, 21, 23, 24)))
"""F1 to F12 as DEC VT100 (PF1 to PF4) and VT220 terminals send them."""
_FUNCTION = {name: code for n, code in enumerate(_DEC, 1) for name in (f"shift+f{n}", f"f{n + 12}")}
"""With Shift they are the device's; many terminals give that as F13 to F24."""


def key_bytes(key: str, character: str | None, *, line_end: str, backspace: str, charset: str) -> bytes:
    """The bytes of one key; none for a key that has no meaning to a device. `key` is its name, `character` what it
    would type, `charset` the device's character set. Raises CharsetError for a character that it has not."""
    if key == "enter":
        return ENTER.get(line_end, b"\r")
    if key in ("backspace", "ctrl+h"):
        return BACKSPACE[backspace]
    if key in _CODES:
        return _CODES[key]
    if key in _FUNCTION:
        return _FUNCTION[key]
    if key.startswith("ctrl+") and len(key) == 6 and "a" <= key[5] <= "z":
        return bytes([ord(key[5]) - 96])
    if character is not None and character.isprintable():
        return encoded(character, charset, which="this key")
    return b""
