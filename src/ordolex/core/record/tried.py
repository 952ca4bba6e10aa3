"""What was changed on a link, one thing after the other, and what each change did: the log of trial and error."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ordolex.core.record.items import Event

CHANGES = frozenset({"opened", "settings", "outputs", "sent", "set", "procedure", "back"})
"""Kinds of events that change something."""
EFFECTS = frozenset({"answer", "rung"})
"""Kinds of events that say what came of it."""


@dataclass(slots=True)
class Tried:
    """`rung` is the highest that was reached before the next change."""

    at_us: int
    what: str
    right: int = 0
    wrong: int = 0
    silent: int = 0
    rung: str = ""

    @property
    def effect(self) -> str:
        counts = ((self.right, "right"), (self.wrong, "wrong"), (self.silent, "silent"))
        words = ", ".join(f"{count} {word}" for count, word in counts if count)
        return (
            "; ".join(part for part in (words and f"answers {words}", self.rung and f"to {self.rung}") if part)
            or "nothing asked"
        )


_RUNGS = ("Absent", "Present", "Held", "Heard", "Clear", "Proven")


def tried(events: Iterable[Event]) -> list[Tried]:
    """One row for each change, in order. Events are of one link."""
    out: list[Tried] = []
    for event in events:
        if event.kind in CHANGES:
            out.append(Tried(event.utc_us, event.text))
        elif out and event.kind == "answer":
            verdict = str(event.detail.get("verdict"))
            out[-1].right += verdict == "right"
            out[-1].silent += verdict == "none"
            out[-1].wrong += verdict not in ("right", "none", "unjudged")
        elif out and event.kind == "rung":
            to = str(event.detail.get("to"))
            if to in _RUNGS and (not out[-1].rung or _RUNGS.index(to) > _RUNGS.index(out[-1].rung)):
                out[-1].rung = to
    return out


def last_good(rows: list[Tried]) -> Tried | None:
    """The last change behind which something was answered rightly."""
    return next((row for row in reversed(rows) if row.right), None)
