"""Numbered lists and menus in what a device says: each line's own number, wherever it counts from."""

from __future__ import annotations

import re
from collections.abc import Sequence

_ITEM = re.compile(r"^\W{0,3}\(?(\d{1,4})\)?[ .:)\]=-]{1,4}(\S.*)$")


def numbered(lines: Sequence[str]) -> list[tuple[str, str]]:
    """(number as the device writes it, name) of the last list among `lines`, oldest first; empty where there is none.

    Numbers rise; they may begin at zero or one and leave some out. One line of another kind may stand between.
    """
    best: list[tuple[str, str]] = []
    group: list[tuple[str, str]] = []
    others = 0
    for line in lines:
        found = _ITEM.match(line.rstrip())
        if found is None:
            others += 1
            if others > 1:
                best, group = (group if len(group) > 1 else best), []
            continue
        if group and int(found[1]) <= int(group[-1][0]):
            best, group = (group if len(group) > 1 else best), []
        group.append((found[1], found[2].strip()))
        others = 0
    return group if len(group) > 1 else best
