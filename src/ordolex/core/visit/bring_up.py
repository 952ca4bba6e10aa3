"""A guided bring-up: from a device on the table to a proven link, one stage after the other.

Each stage ends with an outcome in words. What was tried stays; a stage can be skipped, told instead of done, and gone
back to, and then those behind it are open again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any


class Standing(StrEnum):
    OPEN = "not done"
    GOOD = "seen"
    SAID = "only said"
    UNSURE = "not sure"
    BAD = "failed"
    SKIPPED = "skipped"


@dataclass(frozen=True, slots=True)
class Stage:
    """`about` says in one sentence what is done there, before it is."""

    name: str
    title: str
    about: str


STAGES = (
    Stage("powered", "Powered and booted", "What a lamp, a display or the device itself shows"),
    Stage("port", "Port", "The one that is known, the only free one, unplug it, or ask all"),
    Stage("cable", "Cable", "The chain from the PC to the device, and what shows that it is right"),
    Stage("settings", "Line settings", "As the sticker has them, else Match"),
    Stage("wake", "Wake", "What the device's sheet says wakes it"),
    Stage("proof", "Proof", "A question whose right answer is known"),
    Stage("identity", "Identity", "What the device says that it is"),
    Stage("sheet", "Sheet", "Which fits what it says, with what speaks for each"),
    Stage("found", "As found", "Its settings, read before anything is changed"),
)
STAGE = {stage.name: stage for stage in STAGES}
_ORDER = [stage.name for stage in STAGES]
KIND = "bring-up"
"""The kind of event by which an outcome is kept."""


@dataclass(frozen=True, slots=True)
class Outcome:
    """`words` are the evidence, or why there is none."""

    stage: str
    standing: Standing
    words: str
    utc_us: int = 0

    @property
    def text(self) -> str:
        return f"{STAGE[self.stage].title}: {self.standing.value}, {self.words}"

    def as_dict(self) -> dict[str, Any]:
        return {"stage": self.stage, "standing": self.standing.value, "words": self.words, "at_us": self.utc_us}


@dataclass(slots=True)
class BringUp:
    """`tried` is every outcome in the order in which it came, also of what was done again."""

    tried: list[Outcome] = field(default_factory=list)
    _now: dict[str, Outcome] = field(default_factory=dict)

    def take(self, outcome: Outcome) -> None:
        """Raises KeyError for a stage that is none."""
        STAGE[outcome.stage]
        self.tried.append(outcome)
        self._now[outcome.stage] = outcome

    def back_to(self, stage: str) -> None:
        """It and those behind it are to be done again. Raises KeyError for a stage that is none."""
        STAGE[stage]
        for name in _ORDER[_ORDER.index(stage) :]:
            self._now.pop(name, None)

    def standing(self, stage: str) -> Standing:
        outcome = self._now.get(stage)
        return outcome.standing if outcome is not None else Standing.OPEN

    def words(self, stage: str) -> str:
        """What came of it; what it is about, where it was not done."""
        outcome = self._now.get(stage)
        return outcome.words if outcome is not None else STAGE[stage].about

    @property
    def next(self) -> Stage | None:
        """The first that was not done, or that failed; None where all are behind."""
        undone = (Standing.OPEN, Standing.BAD)
        return next((stage for stage in STAGES if self.standing(stage.name) in undone), None)

    @property
    def stopped_at(self) -> Stage | None:
        """The first that failed."""
        return next((stage for stage in STAGES if self.standing(stage.name) is Standing.BAD), None)

    @property
    def proven(self) -> bool:
        return self.standing("proof") is Standing.GOOD

    @property
    def verdict(self) -> str:
        """In one sentence; nothing is called proven that was not seen so."""
        if self.proven:
            return f"Proven: {self.words('proof')}"
        at = self.stopped_at
        if at is not None:
            return f"Not proved; it stands at {at.title.lower()}: {self.words(at.name)}"
        if self.standing("proof") is Standing.SKIPPED:
            return "Not proved: the proof was skipped"
        if self.standing("proof") is not Standing.OPEN:
            return f"Not proved: {self.words('proof')}"
        return "Not proved yet"


def earlier(events: Iterable[tuple[int, Mapping[str, Any]]]) -> list[Outcome]:
    """What a book holds of bring-ups, as (time, detail) of their events; what cannot be read is passed over."""
    out = []
    for utc_us, detail in events:
        stage, standing = str(detail.get("stage")), detail.get("standing")
        if stage in STAGE and standing in [one.value for one in Standing]:
            out.append(Outcome(stage, Standing(str(standing)), str(detail.get("words", "")), utc_us))
    return out
