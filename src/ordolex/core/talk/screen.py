"""The device's own screen: what its text and escape codes (ECMA-48, DEC VT100) make of a screen of cells.

Nothing of it reaches the real terminal but cells: each is one printable character with a style.
"""

from __future__ import annotations

import codecs
import copy
import unicodedata
from dataclasses import dataclass
from typing import Any

import pyte

from ordolex.core.text.charsets import CHARSETS
from ordolex.core.text.visible import visible_text

COLUMNS, LINES = 80, 24
KEPT = 64 << 10
"""Bytes that wait to be obeyed; of more, as in a flood, only the last count for a screen."""
_SETTLED = 64  # clean bytes in a row at new settings after which they are taken for right
_OTHER_BUFFER = frozenset({47, 1047, 1049})  # private modes for a second buffer, in which a full-screen program works
_CODES = frozenset("\x07\x08\t\n\v\f\r\x0e\x0f\x1b\0")
_GOES_ON = bytes(range(0x80, 0xC0))  # bytes with which a character of UTF-8 goes on
_MOST_ANSWERS = 256  # bytes of answers that wait; of more, the last


@dataclass(frozen=True, slots=True)
class Run:
    """Neighbouring cells of one style. Colours are names of the eight, `bright…`, six hex digits, or `default`."""

    text: str
    ink: str = "default"
    ground: str = "default"
    bold: bool = False
    underline: bool = False
    reverse: bool = False


class _Watched(pyte.Screen):
    """Notes what changes how everything after it looks, for whoever wonders why a screen is odd; has a second buffer;
    and collects the answers to the device's questions about the terminal (ECMA-48, 8.3.24 DA and 8.3.35 DSR)."""

    def __init__(self, columns: int, lines: int) -> None:
        self.odd = ""
        self.answers = ""
        self._first: tuple[dict[int, dict[int, Any]], Any] | None = None
        super().__init__(columns, lines)

    def define_charset(self, code: str, mode: str) -> None:
        if code != "B":
            self.odd = f"character set {code!r} as G{0 if mode == '(' else 1} (ESC {mode} {code})"
        super().define_charset(code, mode)

    def shift_out(self) -> None:
        self.odd = "shift out to G1 (0E)"
        super().shift_out()

    def set_margins(self, top: int | None = None, bottom: int | None = None) -> None:
        if top or bottom:
            self.odd = (
                f"scrolling only from line {top or 1} to {bottom or self.lines} (ESC [ {top or ''};{bottom or ''} r)"
            )
        super().set_margins(top, bottom)

    def set_mode(self, *modes: int, **kwargs: Any) -> None:
        words = {3: "132 columns", 5: "light and dark swapped", 6: "places counted from the scroll region"}
        if kwargs.get("private"):
            for mode in modes:
                if mode in words:
                    self.odd = f"{words[mode]} (ESC [ ? {mode} h)"
            if _OTHER_BUFFER.intersection(modes) and self._first is None:
                self._first = {y: dict(cells) for y, cells in self.buffer.items()}, copy.copy(self.cursor)
                self.erase_in_display(2)
        super().set_mode(*modes, **kwargs)

    def reset_mode(self, *modes: int, **kwargs: Any) -> None:
        super().reset_mode(*modes, **kwargs)
        if kwargs.get("private") and _OTHER_BUFFER.intersection(modes) and self._first is not None:
            (lines, cursor), self._first = self._first, None
            self.buffer.clear()
            for y, cells in lines.items():
                self.buffer[y].update(cells)
            if 1049 in modes:
                self.cursor = cursor

    def reset(self) -> None:
        self._first = None
        super().reset()

    def write_process_input(self, data: str) -> None:
        self.answers = (self.answers + data)[-_MOST_ANSWERS:]


class DeviceScreen:
    """Feed it all that is heard. `charset` is a name of CHARSETS."""

    def __init__(self, charset: str = "UTF-8") -> None:
        self.charset = charset
        self._waiting = bytearray()
        self._spoilt = False
        self._clean_since: int | None = None
        self._new()

    def _new(self) -> None:
        self._screen = _Watched(COLUMNS, LINES)
        self._stream = _stream(self._screen)
        self._decoder = codecs.getincrementaldecoder(CHARSETS[self.charset])("replace")

    def feed(self, data: bytes, *, with_errors: bool = False) -> None:
        """Takes bytes; they are obeyed when the screen is looked at. After new line settings nothing stays of what came
        spoilt, from the first clean bytes on."""
        clean = not with_errors and self._reads(data)
        if self._clean_since is not None and data:
            if clean and self._spoilt:
                self._waiting.clear()
                self._new()
                self._spoilt = False
            self._clean_since = self._clean_since + len(data) if clean else 0
            if self._clean_since >= _SETTLED:
                self._clean_since = None
        self._spoilt |= not clean
        self._waiting += data
        if len(self._waiting) > KEPT:
            del self._waiting[:-KEPT]

    def retuned(self) -> None:
        """The port has other line settings from now on."""
        self._clean_since = 0

    def take_answers(self) -> bytes:
        """What a VT102 would answer to what the device asked about the terminal since the last call: it is for the
        caller to send it or to let it go."""
        self._obey()
        answers, self._screen.answers = self._screen.answers, ""
        return answers.encode("ascii")

    def _reads(self, data: bytes) -> bool:
        """Whether it is text with a terminal's codes. A character that is cut by an end of `data` counts as whole."""
        if self.charset == "UTF-8":
            data = data[:3].lstrip(_GOES_ON) + data[3:]
        text = codecs.getincrementaldecoder(CHARSETS[self.charset])("replace").decode(data)
        return not any(c == "\ufffd" or (not c.isprintable() and c not in _CODES) for c in text)

    def feed_local(self, data: bytes) -> None:
        """Shows what we sent, underlined, where the cursor stands; the device's own style goes on after it."""
        self._obey()
        cursor = self._screen.cursor
        style = cursor.attrs
        cursor.attrs = style._replace(underscore=True)
        shown = bytes(byte for byte in data if byte >= 32 or byte in b"\r\n\b").replace(b"\r\n", b"\n")
        text = shown.replace(b"\r", b"\n").replace(b"\n", b"\r\n").decode(CHARSETS[self.charset], "replace")
        self._stream.feed(text)
        cursor.attrs = style

    def use(self, charset: str) -> None:
        """Bytes from now on are in this character set."""
        self._obey()
        self.charset = charset
        self._decoder = codecs.getincrementaldecoder(CHARSETS[charset])("replace")

    def reset(self) -> str:
        """An empty screen in its first state; returns which code had changed how everything looks, or nothing."""
        self._obey()
        odd = self._screen.odd
        self._new()
        return odd

    def clear(self) -> None:
        """Takes everything off the screen; modes stay."""
        self._obey()
        self._screen.erase_in_display(2)
        self._screen.cursor_position()

    @property
    def size(self) -> tuple[int, int]:
        self._obey()
        return self._screen.columns, self._screen.lines

    @property
    def cursor(self) -> tuple[int, int] | None:
        """Column and line, from zero; None while the device hides it."""
        self._obey()
        cursor = self._screen.cursor
        return None if cursor.hidden else (min(cursor.x, self._screen.columns - 1), cursor.y)

    def line(self, number: int) -> list[Run]:
        """One line as runs of one style, as many cells as the screen has columns; a broad character has two."""
        self._obey()
        cells = self._screen.buffer[number]
        out: list[Run] = []
        text = ""
        style: tuple[Any, ...] | None = None
        for column in range(self._screen.columns):
            cell = cells[column]
            if cell.data == "" and column and _has_two_cells(cells[column - 1].data):
                continue  # the second cell of the one before it
            now = (cell.fg, cell.bg, cell.bold, cell.underscore, cell.reverse)
            if now != style and style is not None:
                out.append(Run(text, *style))
                text = ""
            style = now
            if _has_two_cells(cell.data) and column + 1 < self._screen.columns and cells[column + 1].data == "":
                text += cell.data[0]
            else:
                text += visible_text(cell.data[:1].replace("\xa0", " ")) or " "
        if style is not None:
            out.append(Run(text, *style))
        return out

    def text(self) -> list[str]:
        """All lines as plain text, without the blanks at their ends."""
        return ["".join(run.text for run in self.line(number)).rstrip() for number in range(self.size[1])]

    def _obey(self) -> None:
        data = bytes(self._waiting)
        self._waiting.clear()
        if not data:
            return
        text = self._decoder.decode(data)
        try:
            self._stream.feed(text)
        except Exception:  # whatever a device sends: what cannot be obeyed is let go, character by character
            self._stream = _stream(self._screen)
            for character in text:
                try:
                    self._stream.feed(character)
                except Exception:
                    self._stream = _stream(self._screen)


def _has_two_cells(data: str) -> bool:
    """Whether it is a letter or sign of a script with broad characters. Pictures are not: terminals differ there."""
    return (
        bool(data) and unicodedata.east_asian_width(data[0]) in ("W", "F") and unicodedata.category(data[0])[0] in "LNP"
    )


def _stream(screen: pyte.Screen) -> pyte.Stream:
    """One that obeys codes for other character sets; they are of use beside UTF-8 too, for lines and corners."""
    stream = pyte.Stream(screen)
    stream.use_utf8 = False
    return stream
