"""What was moved for the work, by the steps that were ticked, and what of it somebody noted as put back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.sheet import Sheet, to_restore

TICKED = "ready, "
"""How the note of ticked steps begins: the sheet, then the steps."""
_BACK = "put back"


def ticked_words(sheet: str, steps: Sequence[str]) -> str:
    """The note of steps that were ticked."""
    return f"{TICKED}{sheet}: {'; '.join(steps)}"


@dataclass(slots=True)
class Moved:
    """back     notes that something was put back, or was not
    owed     what was moved by a ticked step, and of which no later note says that it was put back
    unknown  (link, what its sheet would have put back): no note says whether it was moved
    """

    back: list[Event] = field(default_factory=list)
    owed: list[str] = field(default_factory=list)
    unknown: list[tuple[str, str]] = field(default_factory=list)


def moved(events: Sequence[Event], links: Sequence[LinkRecord], sheets: Mapping[str, Sheet]) -> Moved:
    out = Moved()
    ticked: set[str] = set()
    for event in events:
        if event.text.startswith(TICKED):
            name, _, steps = event.text.removeprefix(TICKED).partition(": ")
            if name in sheets:
                ticked.add(name)
                out.owed += [one for one in to_restore(sheets[name], steps.split("; ")) if one not in out.owed]
        elif _BACK in event.text.lower():
            out.back.append(event)
            if f"NOT {_BACK}" not in event.text:
                out.owed = [one for one in out.owed if one not in event.text]
    for link in links:
        sheet = sheets.get(link.sheet)
        if sheet is not None and sheet.ready is not None and sheet.name not in ticked:
            out.unknown += [(link.name, f"{jumper.what}: {jumper.restore}") for jumper in sheet.ready.jumper]
    return out
