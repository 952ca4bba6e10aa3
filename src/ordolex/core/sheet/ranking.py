"""Which sheets fit what a device says that it is, the likeliest first, each with what speaks for it."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from ordolex.core.sheet.sheet import Sheet
from ordolex.core.text.patterns import search


@dataclass(frozen=True, slots=True)
class Ranked:
    sheet: Sheet
    points: int
    words: str


def fits(sheet: Sheet, identity: str) -> bool:
    """Whether nothing that the device says speaks against the sheet: it names the sheet's model, where it has one."""
    return not sheet.model or sheet.model.lower() in identity.lower()


def ranked(sheets: Iterable[Sheet], identity: str, speaks: str = "") -> list[Ranked]:
    """Those for which anything speaks: the model that it names (8), a pattern for its identity (6), words of its
    description (1 each), the protocol in use on the line (2; another one counts 4 against)."""
    out = []
    said = {word for word in re.split(r"[^a-z0-9-]+", identity.lower()) if len(word) > 2}
    for sheet in sheets:
        points, why = 0, []
        if sheet.model and sheet.model.lower() in identity.lower():
            points += 8
            why.append(f"it names the model {sheet.model}")
        question = next((one for one in sheet.question if one.name == "identity" and one.like), None)
        if question is not None and search(question.like, identity) is not None:
            points += 6
            why.append("its identity reads as the sheet expects")
        common = said & {
            word for word in re.split(r"[^a-z0-9-]+", f"{sheet.device} {sheet.maker}".lower()) if len(word) > 2
        }
        if common:
            points += len(common)
            why.append(f"both say {', '.join(sorted(common))}")
        if not points:
            continue
        if speaks and sheet.speaks != speaks:
            points -= 4
            why.append(f"but it speaks {sheet.family.words}")
        elif speaks:
            points += 2
        out.append(Ranked(sheet, points, "; ".join(why)))
    return sorted(out, key=lambda one: (-one.points, one.sheet.name))
