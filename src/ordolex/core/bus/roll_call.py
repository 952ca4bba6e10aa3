"""A unit scan: who answers on a line, against who should."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum


class Standing(Enum):
    ANSWERS = "answers"
    NEW = "not expected"
    MOVED = "moved here"
    OTHER = "another device"
    DOUBLED = "two at once?"
    UNCLEAR = "unclear answer"
    MISSING = "missing"


@dataclass(frozen=True, slots=True)
class Called:
    """What came of calling one unit.

    said      the answer in words, or what is wrong with it; empty for silence
    ms        until its last byte; None for silence
    right     a whole and right answer, or a clean one of unknown shape
    identity  what it says that it is; empty where it was not asked or does not say
    doubled   why two may have answered; empty where nothing says so
    """

    unit: str
    said: str = ""
    ms: float | None = None
    right: bool = False
    identity: str = ""
    doubled: str = ""


@dataclass(frozen=True, slots=True)
class Row:
    called: Called
    standing: Standing
    words: str = ""


def roll_call(expected: Mapping[str, str], called: Sequence[Called]) -> list[Row]:
    """`expected` is unit → identity as it was known, empty for an unknown one; none expected: whoever answers is as it
    should be. Silent units that nobody expects have no row."""
    rows = []
    at = {identity: unit for unit, identity in expected.items() if identity}
    answering = {one.unit: one for one in called if one.said or one.right}
    for one in called:
        row = _row(one, expected, at)
        if row is not None:
            rows.append(row)
    here = {one.identity: one.unit for one in answering.values() if one.identity}
    asked = {one.unit for one in called}
    for place, row in enumerate(rows):
        moved_to = here.get(expected.get(row.called.unit, ""), "")
        if row.standing is Standing.MISSING and moved_to and moved_to != row.called.unit:
            rows[place] = Row(row.called, Standing.MISSING, f"it answers as unit {moved_to} now")
    rows += [
        Row(Called(unit), Standing.MISSING, "it was not called") for unit in expected if unit not in asked
    ]  # fmt: skip
    return rows


def _row(one: Called, expected: Mapping[str, str], at: Mapping[str, str]) -> Row | None:
    if not one.said and not one.right:
        return Row(one, Standing.MISSING, "no answer") if one.unit in expected else None
    if one.doubled:
        return Row(one, Standing.DOUBLED, one.doubled)
    if not one.right:
        return Row(one, Standing.UNCLEAR, one.said)
    was = expected.get(one.unit)
    if was is None and expected:
        before = at.get(one.identity, "") if one.identity else ""
        if before:
            return Row(one, Standing.MOVED, f"it was unit {before}")
        return Row(one, Standing.NEW)
    if was and one.identity and was != one.identity:
        return Row(one, Standing.OTHER, f"it was {was}")
    return Row(one, Standing.ANSWERS)


def summary(rows: Sequence[Row], asked: int, expected: int) -> str:
    """How many of each, in a sentence."""
    counts = {standing: sum(row.standing is standing for row in rows) for standing in Standing}
    here = counts[Standing.ANSWERS] + counts[Standing.NEW] + counts[Standing.MOVED] + counts[Standing.OTHER]
    said = [f"{here} of {asked} answered rightly"]
    words = {
        Standing.MISSING: "missing", Standing.NEW: "not expected", Standing.MOVED: "moved",
        Standing.OTHER: "another device than before", Standing.DOUBLED: "perhaps two at once",
        Standing.UNCLEAR: "unclear",
    }  # fmt: skip
    said += [f"{counts[standing]} {word}" for standing, word in words.items() if counts[standing]]
    if expected and not any(counts[standing] for standing in words):
        said.append(f"all {expected} that should be there")
    return ", ".join(said)


def remembered(rows: Sequence[Row]) -> dict[str, str]:
    """Unit → identity of those that answered, for the next time."""
    return {row.called.unit: row.called.identity for row in rows if row.called.right and not row.called.doubled}
