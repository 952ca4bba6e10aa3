"""Our own signs for a terminal or file whose character set lacks them: an ASCII sign that reads alike."""

from __future__ import annotations

import codecs
import unicodedata

_SIGNS = {
    "→": "->", "←": "<-", "↔": "<->", "⇄": "<->", "↓": "v", "↵": "<CR>", "⇠": "<ESC>", "·": "-", "…": "...",
    "–": "-", "—": "-", "−": "-", "×": "x", "✓": "ok", "✗": "x", "▸": ">", "◂": "<", "≠": "!=", "±": "+/-",
    "µ": "u", "°": " deg ", "●": "*", "○": "o", "◦": "o", "•": "*", "∙": "-", "◆": "*", "◌": "?", "▲": "^",
    "▾": "v", "█": "#", "░": ".", "▌": "|", "■": "#", "□": "[]", "▯": "[]", "☑": "[x]", "☐": "[ ]", "“": '"',
    "”": '"', "’": "'", "»": ">>", "›": ">", "Ω": "ohm", "Σ": "sum", "²": "2", "³": "3", "¹": "1",
}  # fmt: skip


def plain(text: str) -> str:
    """ASCII for signs that read alike; letters lose their marks, what is left is written as its code, `\\u4e2d`."""
    return "".join(map(_plain, text))


def _plain(sign: str) -> str:
    if sign.isascii():
        return sign
    if sign in _SIGNS:
        return _SIGNS[sign]
    name = unicodedata.name(sign, "")
    if name.startswith("BOX DRAWINGS"):
        return "-" if name.endswith("HORIZONTAL") else "|" if name.endswith("VERTICAL") else "+"
    bare = unicodedata.normalize("NFKD", sign).encode("ascii", "ignore").decode()
    return bare or sign.encode("ascii", "backslashreplace").decode()


def _replaced(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return plain(error.object[error.start : error.end]), error.end


codecs.register_error(__name__, _replaced)
"""`errors=plain_signs.__name__` for a stream."""
