"""What a screen would show of an answer: values are taken from that, never from the codes that colour and place it."""

from __future__ import annotations

import re
from functools import lru_cache

COLUMNS, MOST_COLUMNS, MOST_LINES = 132, 500, 2000
_PLACED = re.compile(r"[\x1b\b\x9b\x9d\x90]")
_NOT_SHOWN = re.compile(r"[\0\x07\x0e\x0f\x11\x13\x7f]")
"""NUL, BEL, shifts, XON and XOFF, DEL: no screen shows anything for them. A BEL may end a control string."""
_CODE = re.compile(r"(?=[\x1b\x9b\x9d\x90])")
_LINE_END = re.compile(r"\r\n|\n\r|\r|\n")


@lru_cache(64)
def shown(text: str) -> str:
    """The text as lines, without control codes (ECMA-48); the same text where it has none. An erased or overwritten
    part is gone, what stands at another place of the screen is on a line of its own."""
    if _PLACED.search(text) is None:
        return _NOT_SHOWN.sub("", text)
    import pyte  # heavy, and seldom wanted

    class Lines(pyte.Screen):
        """Never asks back, and takes no second buffer or margins: a value is to be read, not a screen kept."""

        def write_process_input(self, data: str) -> None:
            pass

    lines = _LINE_END.sub("\r\n", _NOT_SHOWN.sub(lambda found: "\x07" if found[0] == "\x07" else "", text))
    ended = "\n" if lines.endswith("\r\n") else ""
    longest = max(map(len, lines.split("\r\n")))
    screen = Lines(min(MOST_COLUMNS, max(COLUMNS, longest)), min(MOST_LINES, lines.count("\n") + 60))
    stream = pyte.Stream(screen)
    for piece in _CODE.split(lines):
        try:
            stream.feed(piece)
        except Exception:  # a code with numbers that pyte cannot obey: it is left out, and nothing of it is shown
            stream = pyte.Stream(screen)
    rows = (screen.buffer[row] for row in sorted(screen.buffer))
    out = ["".join(row[at].data for at in range(max(row, default=-1) + 1)).rstrip() for row in rows]
    return "\n".join(line for line in out if line) + ended
