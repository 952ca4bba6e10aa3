"""What each rate gave, on the way to the fastest clean one: a question is asked again and again, and every answer is
compared, byte for byte, with what came at the rate in use before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from ordolex.core.tables.table import Table


@dataclass(frozen=True, slots=True)
class Faults:
    """Bytes of one answer that were wrong, missing, or came twice."""

    wrong: int = 0
    missing: int = 0
    doubled: int = 0

    def plus(self, other: Faults) -> Faults:
        return Faults(self.wrong + other.wrong, self.missing + other.missing, self.doubled + other.doubled)

    @property
    def total(self) -> int:
        return self.wrong + self.missing + self.doubled


def faults_of(right: bytes, heard: bytes) -> Faults:
    """How an answer differs from the right one. What is inserted and equals what stands beside it came twice; all else
    that is inserted is wrong."""
    wrong = missing = doubled = 0
    for kind, a, b, c, d in SequenceMatcher(None, right, heard, autojunk=False).get_opcodes():
        if kind == "equal":
            continue
        wrong += min(b - a, d - c)
        missing += max(0, (b - a) - (d - c))
        more = heard[c + (b - a) : d]
        if more and more in (heard[d : d + len(more)], heard[max(0, c - len(more)) : c]):
            doubled += len(more)
        else:
            wrong += len(more)
    return Faults(wrong, missing, doubled)


@dataclass(frozen=True, slots=True)
class RateRow:
    """bytes     that were to come, in all answers
    seconds   from the first question to the last answer's end
    errors    line errors that came with them
    trouble   why nothing was compared: both did not come to this rate
    """

    baud: int
    bytes: int = 0
    faults: Faults = Faults()
    errors: int = 0
    seconds: float = 0.0
    trouble: str = ""

    @property
    def clean(self) -> bool:
        return not (self.trouble or self.faults.total or self.errors)

    @property
    def margin(self) -> str:
        """What so many bytes without a fault say of the share of wrong ones: with a chance of 19 in 20 it is less than
        3 in as many as came (the rule of three)."""
        if self.trouble or not self.bytes:
            return ""
        if not self.clean:
            return "none"
        return f"under {300 / self.bytes:.2g} %"

    @property
    def words(self) -> str:
        if self.trouble:
            return f"{self.baud}: {self.trouble}"
        faults = self.faults
        parts = [f"{faults.wrong} wrong", f"{faults.missing} missing", f"{faults.doubled} doubled"]
        parts += [f"{self.errors} line errors"] if self.errors else []
        return f"{self.baud}: {self.bytes} bytes, {', '.join(parts)}, {self.seconds:.1f} s"


COLUMNS = ("bit/s", "bytes", "wrong", "missing", "doubled", "line errors", "seconds", "margin", "")


def rates_table(rows: Sequence[RateRow]) -> Table:
    """The rates that were tried, in order."""
    cells = [
        (
            str(row.baud), str(row.bytes), str(row.faults.wrong), str(row.faults.missing), str(row.faults.doubled),
            str(row.errors), f"{row.seconds:.1f}", row.margin, row.trouble or ("clean" if row.clean else "not clean"),
        )
        for row in rows
    ]  # fmt: skip
    return Table("rates tried", COLUMNS, tuple(cells))


def fastest_clean(rows: Sequence[RateRow]) -> int | None:
    return max((row.baud for row in rows if row.clean), default=None)
