"""Who else speaks on a line: another master's questions, and answers that are somebody else's.

A device's answer to a question is tied to the unit that was asked by what it says: where most answers name their own
unit in the same place, one that names another there is no answer of the unit that was asked."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

from ordolex.core.bus.roll_call import Called
from ordolex.core.bus.units import around_unit
from ordolex.core.text.charsets import text_of

_ENOUGH = 2  # answers that must name their own unit in one place before others are held against that


_NAMES_ANOTHER = "somebody else's answer, it names"
_UNASKED_TOO = "such lines come unasked too, whether it answers is not known"


def asked_by_another(template: bytes, heard: bytes, unit: str) -> str:
    """Another master's question in what was heard: one like ours to another unit, that we did not send; or nothing."""
    before, behind = around_unit(template)
    if not before.strip():
        return ""
    number = rb"[0-9A-Za-z]{1,3}"
    rest = re.escape(behind.strip()[:1]) if not behind.strip()[:1].isalnum() else rb""
    for line in re.split(rb"[\r\n]+", heard):
        found = re.search(re.escape(before) + rb"(" + number + rb")" + rest, line)
        if found is not None and not _is_unit(text_of(found[1]), unit):
            return text_of(line).strip()
    return ""


def _is_unit(said: str, unit: str) -> bool:
    digits = re.match(r"\d+", said)
    if unit.isdecimal() and digits is not None:
        return int(digits[0]) == int(unit)
    return said.upper().startswith(unit.upper())


def shape_of(line: str) -> str:
    """A line with its figures taken out, to tell whether two are of one kind."""
    return re.sub(r"\d+", "0", line.strip())


def tied(called: Sequence[Called], strays: Sequence[str]) -> list[Called]:
    """The same, with answers that are somebody else's as what they are. `strays` are lines that came while nobody was
    asked."""
    places = [place for one in called if one.right and (place := _names_unit(one)) is not None]
    usual = max(set(places), key=places.count) if places else ""
    known = places.count(usual) >= _ENOUGH
    shapes = {shape_of(line) for line in strays if line.strip()}
    said = [one.said for one in called if one.right]
    return [_one(one, usual if known else "", shapes, said) for one in called]


def _names_unit(one: Called) -> str | None:
    """What stands before its own unit in an answer; None where that is not named."""
    found = re.search(rf"(?<![\w.]){_number(one.unit)}(?![\w.]*\d)", one.said)
    return one.said[: found.start()] if found is not None else None


def _number(unit: str) -> str:
    return rf"0*{int(unit)}" if unit.isdecimal() else re.escape(unit)


def _one(one: Called, usual: str, shapes: set[str], said: Sequence[str]) -> Called:
    if not one.right:
        return one
    own = _names_unit(one)
    named = re.match(rf"{re.escape(usual)}(\w+)", one.said) if usual else None
    if usual and own != usual and named is not None:
        return replace(
            one, right=False, said=f"{one.said[:40]}: it names {named[1]}, not {one.unit}: somebody else's answer"
        )
    lines = [line for line in one.said.splitlines() if line.strip()]
    stray = [line for line in lines if shape_of(line) in shapes and _names_unit(replace(one, said=line)) is None]
    if stray and len(stray) == len(lines):
        return replace(
            one, right=False, said=f"{one.said[:40]}: such lines come unasked too; whether it answers is not known"
        )
    if len(lines) > 1 and len(set(lines)) == 1:
        return replace(one, doubled=f"{len(lines)} times the same line: a second unit may have this address")
    if own is None and said.count(one.said) > 1 and re.search(r"\d", one.said):
        return replace(
            one, doubled=f"{one.said[:40]!r} came for {said.count(one.said)} units: whose it is cannot be told"
        )
    return one
