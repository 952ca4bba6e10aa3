"""Facts of a device: what, since when, from where it is known, and what proves it. What contradicts another is shown as
such; none takes the place of another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ordolex.core.device.setting import shown
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.sheet import Sheet

TYPED = "fact"
"""The kind of event by which a technician notes one."""
SUBJECTS = (
    "identity", "maker's number", "firmware", "place", "line settings", "unit", "address", "connector", "cable",
    "hardware revision", "jumpers and switches", "credentials with", "needed from others",
)  # fmt: skip
"""What is usually noted; any other subject may be."""
_MANY_VALUES = frozenset({"needed from others", "note", "cable"})
"""Subjects of which several may hold at once."""
_READ, _MATCHED = "read from the device", "Match"
_LAST_COUNTS = frozenset({_READ, _MATCHED})
"""Sources of which a later value takes the place of an earlier one: what was changed in between is no contradiction."""


@dataclass(frozen=True, slots=True)
class Fact:
    """proof  what shows it, in words; empty for what was only said"""

    subject: str
    value: str
    source: str
    at_us: int
    proof: str = ""

    def as_dict(self) -> dict[str, object]:
        return {
            "subject": self.subject, "value": self.value, "source": self.source, "at_us": self.at_us,
            "proof": self.proof,
        }  # fmt: skip


class _Found:
    """Facts as they are found; of each value from each source the last time counts."""

    def __init__(self) -> None:
        self.all: dict[tuple[str, str, str], Fact] = {}

    def add(self, subject: str, value: object, source: str, at_us: int = 0, proof: str = "") -> None:
        text = str(value).strip()
        if text:
            self.all.pop((subject, text, source), None)
            self.all[subject, text, source] = Fact(subject, text, source, at_us, proof)


def facts_of(link: LinkRecord, events: Sequence[Event], sheet: Sheet | None = None) -> list[Fact]:
    """What a book knows of a link, by subject, each with its last value from each source. Events are of this link, in
    order."""
    found = _Found()
    found.add("place", link.endpoint, "chosen in Find")
    found.add("adapter", link.adapter, "the operating system")
    if sheet is not None:
        _of_sheet(found, sheet)
    if link.unit >= 0:
        found.add("unit", link.unit, "chosen in Set")
    found.add("line settings", link.line, link.source or "no source", proof=_proof_of_line(link, events))
    found.add("character set", link.charset, "chosen in Talk")
    found.add("identity", link.identity, "the device, when it was asked")
    for event in events:
        _of_event(found, event, sheet)
    return sorted(found.all.values(), key=lambda fact: (_rank(fact.subject), fact.subject, fact.at_us))


def _of_sheet(found: _Found, sheet: Sheet) -> None:
    source = f"sheet {sheet.name}"
    found.add("device", sheet.device, source)
    found.add("maker and model", f"{sheet.maker} {sheet.model}", source)
    if sheet.ready is not None:
        found.add("credentials with", sheet.ready.credentials, source)


def _of_event(found: _Found, event: Event, sheet: Sheet | None) -> None:
    detail = event.detail
    if event.kind == TYPED:
        subject, source = str(detail.get("subject", "note")), str(detail.get("source", ""))
        found.add(subject, detail.get("value", ""), source, event.utc_us)
    elif event.kind == "match" and detail.get("line"):
        found.add("line settings", detail["line"], _MATCHED, event.utc_us, str(detail.get("words", "")))
    elif event.kind == "scan":
        for unit, words in dict(detail.get("found", {})).items():
            found.add(f"unit {unit}", words or "answered", "a unit scan", event.utc_us, "it answered")
    elif event.kind == "found" and sheet is not None and detail.get("sheet") == sheet.name:
        for name, value in dict(detail.get("values", {})).items():
            parameter = sheet.parameter_named(name)
            if parameter is not None and (parameter.name == "unit" or parameter.changes_line):
                said = f"{shown(parameter, value)} {parameter.unit}"
                of = f"unit {detail.get('unit')}: " if sheet.family.addressed and detail.get("unit", -1) >= 0 else ""
                found.add(f"{of}{parameter.means or name}", said, _READ, event.utc_us, "it was read")


def _rank(subject: str) -> int:
    return SUBJECTS.index(subject) if subject in SUBJECTS else len(SUBJECTS)


def _proof_of_line(link: LinkRecord, events: Iterable[Event]) -> str:
    """What shows that the line settings in use are right: an answered question since they were set."""
    proof, line = "", ""
    for event in events:
        if event.kind == "opened" and " at " in event.text:
            line = event.text.rpartition(" at ")[2]
        elif event.kind == "settings" and event.detail.get("to"):
            line = str(event.detail["to"])
        elif event.kind == "rung" and event.detail.get("to") == "Proven" and line == link.line:
            proof = "a question was answered rightly with them"
    return proof


def contradictions(facts: Sequence[Fact]) -> list[str]:
    """Subjects that two sources give different values."""
    out = []
    for subject in dict.fromkeys(fact.subject for fact in facts):
        told = [fact for fact in facts if fact.subject == subject]
        last = {fact.source: fact for fact in told}
        same = [fact for fact in told if fact.source not in _LAST_COUNTS or last[fact.source] is fact]
        if subject not in _MANY_VALUES and len({fact.value.lower() for fact in same}) > 1:
            out.append(f"{subject}: " + " ≠ ".join(f"{fact.value} ({fact.source})" for fact in same))
    return out


def search(facts: Iterable[tuple[str, Fact]], words: str) -> list[tuple[str, Fact]]:
    """(link, fact) of those in which all the words stand, in the link's name or in any part of it."""
    wanted = words.lower().split()
    return [
        (name, fact) for name, fact in facts
        if all(word in f"{name} {fact.subject} {fact.value} {fact.source}".lower() for word in wanted)
    ]  # fmt: skip
