"""What the bytes of a link show, in words, each with the causes that it speaks for and those that it speaks against."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ordolex.core.link.signs import Signs, text_share
from ordolex.core.text import nmea0183
from ordolex.core.text.counts import counted

_OF_THE_LINE = ("rate", "parity", "inverted", "clock")
_OF_THE_CONTENT = ("escapes", "charset", "doubled", "line end", "half", "long lines")


@dataclass(frozen=True, slots=True)
class Fact:
    words: str
    speaks_for: tuple[str, ...] = ()
    against: tuple[str, ...] = ()


def facts(signs: Signs) -> list[Fact]:
    """In the order in which they are worth reading."""
    return [*_errors(signs), *_reading(signs), *_manner(signs)]


def _errors(s: Signs) -> Iterator[Fact]:
    if s.errors is None:
        if s.data:
            yield Fact("this port tells no line errors")
        return
    count = max(1, len(s.data))
    for kind, one, speaks_for, against in (
        ("framing", "framing error", ("rate", "inverted", "clock", "two answers"), ("missing", "charset", "half")),
        ("parity", "parity error", ("parity",), ("missing", "charset")),
        ("breaks", "break", ("inverted", "rate"), ("charset", "missing")),
        ("overruns", "overrun", ("overrun",), ("missing",)),
    ):
        number = getattr(s.errors, kind)
        if number:
            yield Fact(f"{counted(number, one)} in the last {counted(count, 'byte')}", speaks_for, against)
    if not s.errors.total and s.data:
        yield Fact(f"no line error in the last {counted(count, 'byte')}", _OF_THE_CONTENT, _OF_THE_LINE)


def _reading(s: Signs) -> Iterator[Fact]:
    if len(s.data) < 4:
        return
    share = s.readable
    words = f"{share * 100:.0f} % of it reads as text"
    if share >= 0.9:
        yield Fact(words, ("clock", "half", "long lines", "doubled", "line end"),
                   ("rate", "parity", "inverted", "floating"))  # fmt: skip
    elif share < 0.6:
        yield Fact(words, ("rate", "parity", "inverted", "floating"), ("clock", "half", "long lines"))
    else:
        yield Fact(words)
    if share < 0.9 and text_share(bytes(byte & 0x7F for byte in s.data)) > 0.95:
        yield Fact("without its eighth bit all of it reads as text", ("parity",), ("rate", "floating"))
    turned = bytes(~byte & 0xFF for byte in s.data)
    if share < 0.7 and max(text_share(turned), text_share(bytes(byte >> 1 for byte in turned))) > 0.8:
        yield Fact("with every bit turned over it reads as text", ("inverted",), ("rate", "floating"))
    right, wrong = nmea0183.census(s.data)
    if right or wrong:
        yield Fact(
            f"{right} checksums right, {wrong} wrong",
            ("missing", "two sources") if wrong else (),
            _OF_THE_LINE if right else (),
        )


def _manner(s: Signs) -> Iterator[Fact]:
    if not s.data:
        return
    if s.unasked and s.bursts >= 4 and len(s.data) / s.bursts <= 4:
        yield Fact(
            f"it comes unasked, {counted(s.bursts, 'time')}, a few bytes each", ("floating",), ("two answers", "half")
        )
    elif s.unasked:
        yield Fact("it came without a question", ("joined late", "two sources"), ("two answers",))
    else:
        yield Fact("it came after a question", ("two answers", "half"), ("floating",))
