"""What stands on the terminal, cell by cell, and what must be sent so that it shows something else.

The framework says what widgets look like, again and again, whether it changed or not. Here it is held against what the
terminal shows, and the difference alone is sent (ECMA-48: CUP, CUF, SGR, EL, ECH).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import NamedTuple
from unicodedata import category

from rich.cells import get_character_cell_size
from rich.color import ColorSystem
from rich.style import Style
from textual.strip import Strip

_BRIDGED = 4  # so many cells that stay are written again, rather than gone around
_MARKS = 8  # code points of one cell, with all that is written over it
_ERASED = 12  # from so many blanks on they are erased, not written
_SHOWS_BLANK = frozenset(["4", "7", "9", "21", "53"])  # underlined, reversed, struck, overlined: a blank is seen then


class Pen(NamedTuple):
    """How characters are drawn, as SGR parameters: attributes, colour, and ground."""

    attributes: str = ""
    colour: str = ""
    ground: str = ""

    @property
    def only_ground(self) -> bool:
        """Whether a blank of it is nothing but its ground, as what is erased is."""
        return not self.attributes and not self.colour

    @property
    def blank(self) -> Pen:
        """The same for a blank, of which only the ground is seen."""
        return self if _SHOWS_BLANK & set(self.attributes.split(";")) else Pen("", "", self.ground)


PLAIN = Pen()


@dataclass(slots=True)
class Row:
    """characters  one for each cell; empty for the right half of a wide one
    pens        how each is drawn
    """

    characters: list[str]
    pens: list[Pen]

    def copy(self) -> Row:
        return Row(self.characters[:], self.pens[:])


class Pens:
    """Pens of the framework's styles, for a terminal of so many colours; None for none."""

    def __init__(self, colours: ColorSystem | None) -> None:
        self._colours = colours
        self._known: dict[Style | None, Pen] = {None: PLAIN}

    def __call__(self, style: Style | None) -> Pen:
        found = self._known.get(style)
        if found is None:
            assert style is not None
            if len(self._known) > 4096:
                self._known = {None: PLAIN}
            found = self._known[style] = self._of(style)
        return found

    def _of(self, style: Style) -> Pen:
        bits = style._attributes & style._set_attributes
        attributes = ";".join(_SGR[bit] for bit in range(13) if bits & (1 << bit))
        if self._colours is None:
            return Pen(attributes)
        front, back = style.color, style.bgcolor
        return Pen(
            attributes,
            ";".join(front.downgrade(self._colours).get_ansi_codes()) if front is not None else "",
            ";".join(back.downgrade(self._colours).get_ansi_codes(foreground=False)) if back is not None else "",
        )


_OFF = {"1": "22", "2": "22", "3": "23", "4": "24", "5": "25", "6": "25", "7": "27", "8": "28", "9": "29", "21": "24",
        "51": "54", "52": "54", "53": "55"}  # fmt: skip
_SGR = ("1", "2", "3", "4", "5", "6", "7", "8", "9", "21", "51", "52", "53")


@dataclass(slots=True)
class Wanted:
    """What shall stand there. `touched` are the rows that may have changed since they were sent."""

    width: int
    height: int
    rows: list[Row] = field(default_factory=list)
    touched: set[int] = field(default_factory=set)
    cursor: tuple[int, int] = (0, 0)

    def __post_init__(self) -> None:
        self.rows = [Row([" "] * self.width, [PLAIN] * self.width) for _ in range(self.height)]

    def put(self, x: int, y: int, strips: Iterable[Strip], pens: Pens) -> None:
        """From this cell on; what is beyond the edge is cut."""
        if not 0 <= y < self.height:
            return
        row, width = self.rows[y], self.width
        self.touched.add(y)
        if 0 < x < width and row.characters[x] == "":  # of what is covered by half, the other half goes
            row.characters[x - 1] = " "
        for strip in strips:
            for text, style, control in strip:
                if control or not text:
                    continue
                pen = pens(style)
                if text.isspace():
                    pen, text = pen.blank, " " * len(text)
                if text.isascii() and text.isprintable():
                    count = min(len(text), width - x)
                    if count > 0:
                        row.characters[x : x + count] = text[:count]
                        row.pens[x : x + count] = [pen] * count
                    x += len(text)
                else:
                    x = _put_wide(row, x, width, text, pen)
        if x < width and row.characters[x] == "":
            row.characters[x] = " "


def _put_wide(row: Row, x: int, width: int, text: str, pen: Pen) -> int:
    for character in text:
        size = get_character_cell_size(character)
        if size == 0:
            if 0 < x <= width and category(character) != "Cc":  # a code of a device reaches no terminal
                at = x - 1 if row.characters[x - 1] else x - 2
                if not row.characters[at].endswith(character):  # a strip may be put again without what stands before it
                    row.characters[at] = (row.characters[at] + character)[:_MARKS]
            continue
        if x + size <= width:
            row.characters[x], row.pens[x] = character, pen
            if size == 2:
                row.characters[x + 1], row.pens[x + 1] = "", pen
        x += size
    return x


class Shown:
    """What the terminal shows, as far as is known. `erases_in_colour`: what is erased takes the ground that is set."""

    def __init__(self, erases_in_colour: bool) -> None:
        self._erases = erases_in_colour
        self._rows: list[Row | None] = []
        self._pen: Pen | None = None
        self._at: tuple[int, int] | None = None

    def forget(self) -> None:
        """Nothing is known any more: all of it is sent anew."""
        self._rows, self._pen, self._at = [], None, None

    def changes(self, wanted: Wanted, most: int) -> str:
        """What brings the terminal nearer to what is wanted, the cursor's row first; about `most` characters of it, and
        empty when all is done. Whole rows only, so that nothing stands there half."""
        if len(self._rows) != wanted.height or any(row and len(row.pens) != wanted.width for row in self._rows):
            self.forget()
            self._rows = [None] * wanted.height
            wanted.touched.update(range(wanted.height))
        out: list[str] = []
        size = 0
        first = wanted.cursor[1]
        for y in sorted(wanted.touched, key=lambda y: (y != first, y)):
            wanted.touched.discard(y)
            size += self._row(y, wanted.rows[y], out.append)
            if size >= most:
                break
        if not wanted.touched and self._at != wanted.cursor and (out or self._at is not None):
            out.append(self._move(*wanted.cursor))
        return "".join(out)

    def _row(self, y: int, row: Row, send: Callable[[str], None]) -> int:
        """Sends what is different in one row; how many characters that were."""
        shown = self._rows[y]
        if shown is not None and shown.characters == row.characters and shown.pens == row.pens:
            return 0
        changed = _changed(shown, row)
        if not changed:
            self._rows[y] = row.copy()
            return 0
        size, at = 0, 0
        blank_from = self._blank_end(row)
        while at < len(changed):
            x = changed[at]
            if self._erases and x >= blank_from and len(row.pens) - x > _BRIDGED:
                text = self._move(x, y) + self._as(row.pens[-1], blank=True) + "\x1b[K"
                send(text)
                size += len(text)
                break
            end = x + 1
            while at + 1 < len(changed) and changed[at + 1] - end <= _BRIDGED and (changed[at + 1] < blank_from):
                at += 1
                end = changed[at] + 1
            at += 1
            text = self._move(x, y) + self._run(row, x, end)
            send(text)
            size += len(text)
            # behind the last column a terminal may stand on it or behind it
            self._at = (end, y) if end < len(row.pens) else None
        self._rows[y] = row.copy()
        return size

    def _blank_end(self, row: Row) -> int:
        """Where the blanks of one ground begin that go on to the row's end; its length for none."""
        pen, at = row.pens[-1], len(row.pens)
        if not pen.only_ground:
            return at
        while at and row.characters[at - 1] == " " and row.pens[at - 1] == pen:
            at -= 1
        return at

    def _run(self, row: Row, begin: int, end: int) -> str:
        out: list[str] = []
        x = begin
        while x < end:
            pen, character = row.pens[x], row.characters[x]
            count = 1
            while (
                x + count < end
                and row.pens[x + count] == pen
                and (character != " " or row.characters[x + count] == " ")
            ):
                count += 1
            out.append(self._as(pen, blank=character == " " and pen.only_ground))
            if self._erases and character == " " and count >= _ERASED and pen.only_ground:
                out.append(f"\x1b[{count}X\x1b[{count}C")
            else:
                out += row.characters[x : x + count]
            x += count
        return "".join(out)

    def _as(self, pen: Pen, *, blank: bool = False) -> str:
        """`blank` for blanks, of which only the ground is seen."""
        before, self._pen = self._pen, pen
        if before == pen:
            return ""
        if before is None:
            parts = ["0", *(part for part in pen if part)]
        else:
            parts = _turned(before.attributes, pen.attributes)
            if blank:
                self._pen = Pen("", before.colour, pen.ground)
            elif before.colour != pen.colour:
                parts.append(pen.colour or "39")
            if before.ground != pen.ground:
                parts.append(pen.ground or "49")
        return f"\x1b[{';'.join(parts)}m" if parts else ""

    def _move(self, x: int, y: int) -> str:
        before, self._at = self._at, (x, y)
        if before == (x, y):
            return ""
        if before is not None and before[1] == y and x > before[0]:
            return f"\x1b[{x - before[0]}C"
        return f"\x1b[{y + 1};{x + 1}H" if x else f"\x1b[{y + 1}H"


def _turned(before: str, after: str) -> list[str]:
    """The parameters that turn attributes off and on (ECMA-48 8.3.117)."""
    had, has = set(before.split(";")) - {""}, set(after.split(";")) - {""}
    off = {_OFF[one] for one in had - has}
    on = [one for one in after.split(";") if one and (one not in had or _OFF[one] in off)]
    return [*sorted(off), *on]


def _changed(shown: Row | None, row: Row) -> list[int]:
    """The cells that must be sent. Half of a wide character cannot be: around one, all cells between are."""
    if shown is None:
        return list(range(len(row.pens)))
    out = [
        x
        for x, (a, b, p, q) in enumerate(zip(shown.characters, row.characters, shown.pens, row.pens, strict=True))
        if a != b or p != q
    ]
    if out and ("" in shown.characters or "" in row.characters):
        first, last = out[0], out[-1]
        while first and (shown.characters[first] == "" or row.characters[first] == ""):
            first -= 1
        while last + 1 < len(row.pens) and "" in (shown.characters[last + 1], row.characters[last + 1]):
            last += 1
        return list(range(first, last + 1))
    return out
