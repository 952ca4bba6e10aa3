"""A job that the device leads through: which thing it is about, what was there before, and what is another then."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Mapping
from typing import Any

from ordolex.core.sheet.procedures import PlanField, Procedure


def which_of(procedure: Procedure, values: Mapping[str, str]) -> dict[str, str]:
    """What says which of several things is meant, field → value; nothing where there is one."""
    return {field.name: values.get(field.name, "").strip() for field in procedure.field if field.which}


def which_words(procedure: Procedure, values: Mapping[str, str]) -> str:
    """Such as ` number 3`; nothing where there is one thing only."""
    return "".join(f" {field.label} {values.get(field.name, '').strip()}" for field in procedure.field if field.which)


def found_first(details: Iterable[Mapping[str, Any]], procedure: Procedure, which: Mapping[str, str]) -> dict[str, str]:
    """What was read before anything was changed, out of the events of a record, oldest first; empty where nothing was.
    A value that a later reading saw first, such as one that did not apply before, counts as found then."""
    out: dict[str, str] = {}
    for detail in details:
        if detail.get("procedure") == procedure.name and detail.get("which", {}) == dict(which):
            for name, value in detail.get("found", {}).items():
                out.setdefault(name, value)
    return out


def same_value(field: PlanField, one: str, other: str) -> bool:
    """Whether two texts are one value: numbers as numbers, all else without regard to capitals."""
    one, other = one.strip().lower(), other.strip().lower()
    if field.kind == "number":
        with contextlib.suppress(ValueError):
            return float(one) == float(other)
    return one == other


def changed(procedure: Procedure, before: Mapping[str, str], after: Mapping[str, str]) -> list[tuple[str, str, str]]:
    """(label, before, after) of the values that both hold and that differ, in the form's order."""
    return [
        (field.label, before[field.name], after[field.name].strip())
        for field in procedure.field
        if field.name in before and after.get(field.name, "").strip()
        and not same_value(field, before[field.name], after[field.name])
    ]  # fmt: skip


def changed_words(procedure: Procedure, before: Mapping[str, str], after: Mapping[str, str]) -> str:
    return ", ".join(f"{label} {old} → {new}" for label, old, new in changed(procedure, before, after))
