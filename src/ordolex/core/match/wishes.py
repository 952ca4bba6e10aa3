"""How a match is to be done, as a technician writes it."""

from __future__ import annotations

import re

from ordolex.core.line.settings import SettingsError


def read_data_bits(text: str) -> tuple[int, ...]:
    """Numbers of data bits, like `7 8` or `5,6`. Raises SettingsError."""
    words = re.split(r"[\s,;]+", text.strip())
    if not text.strip() or any(word not in ("5", "6", "7", "8") for word in words):
        raise SettingsError("data bits", f"data bits {text.strip()[:20]!r}: give some of 5 6 7 8, such as 7 8")
    return tuple(sorted({int(word) for word in words}))


def read_units(text: str) -> list[int]:
    """Unit IDs, like `1-32` or `1-4 17`. Raises SettingsError."""
    out: list[int] = []
    for part in re.split(r"[\s,;]+", text.strip()):
        found = re.fullmatch(r"(\d{1,3})(?:-(\d{1,3}))?", part)
        first, last = (int(found[1]), int(found[2] or found[1])) if found else (1, 0)
        if first > last or last > 255:
            raise SettingsError("units", f"units {part[:20]!r}: give numbers from 0 to 255 or a range, such as 1-32")
        out += range(first, last + 1)
    return list(dict.fromkeys(out))
