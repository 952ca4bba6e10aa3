"""Set: how a typed line is understood, for the sentence below its prompt."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from ordolex.core.device.image import decode
from ordolex.core.device.ratios import doubts, read_ratio
from ordolex.core.protocols.modbus.address import Place, read_place
from ordolex.io.system.files import write_new

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


def number_reading(text: str) -> str:
    if text.strip():
        float(text)
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
    return Path(name).expanduser().read_text(encoding="utf-8")


def write_text(name: str, text: str) -> None:
    write_new(Path(name).expanduser(), [text.encode()])


def image_reading(text: str) -> str:
    path = Path(text).expanduser()
    if not path.is_file():
        raise ValueError("there is no such file")
    try:
        image = decode(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise ValueError(f"it cannot be read: {error}") from error
    return f"{image.device}, sheet {image.sheet}, unit {image.unit}, {image.when}: {len(image.values)} values"
