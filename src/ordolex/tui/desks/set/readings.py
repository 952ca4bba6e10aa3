"""Set: how a typed line is understood, for the sentence below its prompt."""

from __future__ import annotations

import re
from collections.abc import Callable

from ordolex.core.device.image import decode
from ordolex.core.device.ratios import doubts, read_ratio
from ordolex.core.protocols.modbus.address import Place, read_place
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_file, path_of, read_given_text, write_new

__all__ = [
    "image_reading", "number_reading", "range_reading", "ratio_reading", "read_range",
    "read_ratio", "read_text", "times_reading", "write_text",
]  # fmt: skip
_MOST = 120


def read_range(text: str) -> tuple[Place, int]:
    """`holding 0 10` or `40001 10`. Raises ValueError."""
    found = re.fullmatch(r"\s*(.*\S)\s+(\d{1,3})\s*", text)
    if found is None:
        raise ValueError("give the first address and how many, such as: holding 0 10")
    count = int(found[2])
    if not 1 <= count <= _MOST:
        raise ValueError(f"1 to {_MOST} at once")
    return read_place(found[1]), count


def range_reading(text: str) -> str:
    place, count = read_range(text)
    return f"{count} from {place.text}"


_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d{1,2})?", re.ASCII | re.IGNORECASE)


def number_reading(text: str) -> str:
    """A number, or nothing. Raises ValueError."""
    if text.strip() and not _NUMBER.fullmatch(text.strip()):
        raise ValueError("give a number, with a point before its fraction, such as -8.4")
    return text.strip() or "nothing"


def ratio_reading(kind: str) -> Callable[[str], str]:
    def read(text: str) -> str:
        ratio = read_ratio(text)
        return "; ".join([f"× {ratio.factor:g}", *doubts(ratio, kind)])

    return read


def times_reading(text: str) -> str:
    if not text.isdecimal() or not 1 <= int(text) <= 10_000:
        raise ValueError("a number from 1 to 10000")
    return f"{text} times"


def read_text(name: str) -> str:
    """Raises a Fault."""
    return read_given_text(path_of(name), "an image")


def write_text(name: str, text: str) -> None:
    write_new(path_of(name), [text.encode()])


def image_reading(text: str) -> str:
    path = path_of(text)
    if not is_file(path):
        raise ValueError("there is no such file")
    try:
        image = decode(read_given_text(path, "an image"))
    except Fault as error:
        raise ValueError(str(error)) from error
    return f"{image.device}, sheet {image.sheet}, unit {image.unit}, {image.when}: {len(image.values)} values"
