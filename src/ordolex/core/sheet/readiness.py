"""What must be ready before the work, and put back at its end."""

from __future__ import annotations

import re

from ordolex.core.sheet.parts import Jumper
from ordolex.core.sheet.sheet import Sheet


def to_restore(sheet: Sheet, ticked: list[str]) -> list[str]:
    """What must be put back at the end, because the step that moved it was ticked; and how what was given power is
    powered down, in its order."""
    jumpers = sheet.ready.jumper if sheet.ready is not None else []
    moved = [f"{j.what}: {j.restore}" for j in jumpers if any(step.startswith(f"{j.what}:") for step in ticked)]
    powered = sheet.ready is not None and any(step.startswith("Power:") for step in ticked)
    steps = sheet.ready.power_down if powered and sheet.ready is not None else []
    return moved + [f"{sheet.device}, step {number}: {step}" for number, step in enumerate(steps, 1)]


def jumper_drawing(jumper: Jumper) -> list[str]:
    """The jumper or switch with its positions, for the work and afterwards: `■` where it stands, `□` where not.

    A position is taken to be meant where its printed word stands in the sheet's sentence; none drawn without words.
    """
    rows = []
    for when, sentence in (("for the work", jumper.for_work), ("afterwards", jumper.restore)):
        at = [word for word in jumper.positions if re.search(rf"(?<!\w){re.escape(word)}(?!\w)", sentence)]
        if len(at) == 1:
            rows.append(
                f"{when:14}" + "   ".join(f"{'■' if word == at[0] else '□'} {word}" for word in jumper.positions)
            )
    return rows


def checklist(sheet: Sheet) -> list[str]:
    """The readiness list in the order of the work."""
    ready = sheet.ready
    if ready is None:
        return []
    steps = [f"Saved project: {ready.project}"] if ready.project else []
    steps.append(f"Power: {ready.power}")
    steps += [f"Plugging, step {number}: {step}" for number, step in enumerate(ready.order, 1)]
    steps += [f"{jumper.what}: {jumper.for_work} (put back at the end: {jumper.restore})" for jumper in ready.jumper]
    if ready.boot_s:
        steps.append(f"Booted: up to {ready.boot_s:g} s after power; c counts down")
    steps.append(f"Ready: {ready.sign}")
    if ready.credentials:
        steps.append(f"Credentials in hand: {ready.credentials}")
    return steps
