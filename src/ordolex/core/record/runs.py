"""Measurements of a link that are compared: one question asked many times, under conditions that are written down."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from statistics import median
from typing import Any


@dataclass(frozen=True, slots=True)
class Run:
    """`times_ms` of the right answers; `asked` counts all."""

    name: str
    conditions: str
    question: str
    asked: int
    wrong: int
    silent: int
    times_ms: tuple[float, ...]

    @property
    def right(self) -> int:
        return len(self.times_ms)

    @property
    def median_ms(self) -> float | None:
        return median(self.times_ms) if self.times_ms else None

    @property
    def words(self) -> str:
        ms = (
            f"median {median(self.times_ms):.0f} ms, worst {max(self.times_ms):.0f} ms"
            if self.times_ms
            else "no answer"
        )
        return f"{self.right} of {self.asked} right, {self.wrong} wrong, {self.silent} silent, {ms}"

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)

    @staticmethod
    def of(detail: dict[str, Any]) -> Run:
        return Run(**{**detail, "times_ms": tuple(detail["times_ms"])})


def compare(before: Run, after: Run) -> str:
    """What changed, in a sentence."""
    parts = []
    if before.asked and after.asked:
        first, second = before.right / before.asked, after.right / after.asked
        parts.append(f"right answers {first:.0%} → {second:.0%}")
    if before.median_ms and after.median_ms:
        factor = after.median_ms / before.median_ms
        parts.append(f"median {before.median_ms:.0f} → {after.median_ms:.0f} ms ({factor:.2f} times)")
    return ", ".join(parts) or "nothing that can be compared"
