"""Units on a line as a technician writes them, and a question with a unit in it."""

from __future__ import annotations

import re
from collections.abc import Sequence

MOST = 512
"""Units of one call."""
_PLACE = re.compile(r"\{unit(?::(0?\d?)([dXx]?))?\}")


class UnitsError(ValueError):
    """Units, or a question, that cannot be read; the message says what would be right."""


def read_callees(text: str) -> list[str]:
    """`1-32`, `A-F`, `A B 17` or names of up to 8 characters. Raises UnitsError."""
    out: list[str] = []
    for part in re.split(r"[\s,;]+", text.strip()):
        numbers = re.fullmatch(r"(\d{1,5})-(\d{1,5})", part)
        letters = re.fullmatch(r"([A-Z])-([A-Z])|([a-z])-([a-z])", part)
        if numbers:
            first, last = int(numbers[1]), int(numbers[2])
            if first > last or last - first >= MOST:
                raise UnitsError(f"{part}: give the lower number first, and at most {MOST} units")
            width = len(numbers[1]) if numbers[1].startswith("0") else 0
            out += [f"{number:0{width}}" for number in range(first, last + 1)]
        elif letters:
            first, last = (ord(letter) for letter in letters.groups() if letter)
            if first > last:
                raise UnitsError(f"{part}: give the earlier letter first")
            out += [chr(code) for code in range(first, last + 1)]
        elif re.fullmatch(r"[!-~]{1,8}", part):
            out.append(part)
        else:
            raise UnitsError("give units such as 1-32, A-F or A B 17, with blanks between")
    out = list(dict.fromkeys(out))
    if len(out) > MOST:
        raise UnitsError(f"{len(out)} units; at most {MOST} are called at once")
    return out


def has_place(template: bytes) -> bool:
    """Whether a question says where its unit belongs."""
    return _PLACE.search(template.decode("latin-1")) is not None


def with_unit(template: bytes, unit: str) -> bytes:
    """`{unit}` becomes the unit as it is, `{unit:02}` with two digits, `{unit:02X}` in hexadecimal. Raises UnitsError
    where a number is wanted and the unit is none."""

    def put(found: re.Match[str]) -> str:
        width, kind = found[1] or "", found[2] or ""
        if not width and not kind:
            return unit
        if not unit.isdecimal():
            raise UnitsError(f"{found[0]} wants a number, and {unit} is none")
        return format(int(unit), f"{width}{kind or 'd'}")

    return _PLACE.sub(put, template.decode("latin-1")).encode("latin-1")


def as_ranges(units: Sequence[str]) -> str:
    """The shortest way to write them that `read_callees` reads."""
    out: list[list[str]] = []
    for unit in units:
        last = out[-1][-1] if out else ""
        follows = (
            (unit.isdecimal() and last.isdecimal() and len(unit) >= len(last) and int(unit) == int(last) + 1)
            and not (unit.startswith("0") or last.startswith("0"))
        ) or (len(unit) == len(last) == 1 and unit.isalpha() and ord(unit) == ord(last) + 1)
        if follows:
            out[-1].append(unit)
        else:
            out.append([unit])
    return " ".join(f"{run[0]}-{run[-1]}" if len(run) > 2 else " ".join(run) for run in out)


def around_unit(template: bytes) -> tuple[bytes, bytes]:
    """What stands before and behind the unit in a question."""
    text = template.decode("latin-1")
    found = _PLACE.search(text)
    if found is None:
        return template, b""
    return text[: found.start()].encode("latin-1"), text[found.end() :].encode("latin-1")
