"""The report of a visit as data: one model from which page and file are made. Every sentence in it is built from what
the record holds."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import IntEnum

from ordolex.core.visit.cable import Cable
from ordolex.core.visit.facts import Fact


class Urgency(IntEnum):
    """SOON would be lost or wrong, LATER is not finished, NOTE is to be known."""

    SOON = 1
    LATER = 2
    NOTE = 3

    @property
    def words(self) -> str:
        return {1: "now", 2: "to finish", 3: "to know"}[self.value]


@dataclass(frozen=True, slots=True)
class OpenPoint:
    urgency: Urgency
    link: str
    words: str


@dataclass(frozen=True, slots=True)
class Proof:
    """A question and the right answer to it, as they passed."""

    when: str
    asked: str
    answered: str
    asked_hex: str
    answered_hex: str
    ms: str
    right: int
    """How many right answers there were in all."""


@dataclass(frozen=True, slots=True)
class Changed:
    """A setting: as found, as left, with its unit; `state` says what remains, `changed` whether it was set and held."""

    name: str
    found: str
    left: str
    state: str
    changed: bool = False


@dataclass(frozen=True, slots=True)
class DeviceSettings:
    """Those of one device behind the link, which several can be."""

    device: str
    rows: list[Changed]


@dataclass(frozen=True, slots=True)
class Told:
    """Something that was done, with its time."""

    when: str
    words: str
    effect: str = ""


@dataclass(frozen=True, slots=True)
class Exchange:
    when: str
    asked: str
    answered: str
    verdict: str
    asked_hex: str
    answered_hex: str


@dataclass(frozen=True, slots=True)
class Reached:
    """A layer between the PC and the device. `good` is None where the record does not tell."""

    layer: str
    good: bool | None
    words: str

    @property
    def state(self) -> str:
        return "not told" if self.good is None else "reached" if self.good else "not reached"


@dataclass(slots=True)
class LinkPart:
    """heard, sent  bytes in all
    hidden  what does not show on this way, whatever is asked
    """

    name: str
    endpoint: str
    line: str
    rung: str
    heard: int = 0
    sent: int = 0
    reached: list[Reached] = field(default_factory=list)
    """From the PC outwards."""
    facts: list[tuple[Fact, str]] = field(default_factory=list)
    """With their time in words."""
    contradictions: list[str] = field(default_factory=list)
    proof: Proof | None = None
    settings: list[DeviceSettings] = field(default_factory=list)
    procedures: list[Told] = field(default_factory=list)
    measured: list[Told] = field(default_factory=list)
    watched: list[Told] = field(default_factory=list)
    """Limits that values passed, and what else began and ended while they were watched."""
    tried: list[Told] = field(default_factory=list)
    hidden: list[str] = field(default_factory=list)
    cable: Cable | None = None
    exchanges: list[Exchange] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class TablePart:
    title: str
    words: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    more: int = 0
    """Rows that are in the CSV file only."""


@dataclass(frozen=True, slots=True)
class ChartPart:
    """points are (microseconds UTC, lowest, highest); None where nothing came."""

    title: str
    unit: str
    words: str
    points: list[tuple[int, float | None, float | None]]
    low: float | None = None
    high: float | None = None
    from_words: str = ""
    to_words: str = ""


@dataclass(slots=True)
class Report:
    """site, period   what and when
    by           who made it, where that was said
    zone         in which time zone times are given
    summary      sentences
    to_restore   what is to be put back, or may be, as far as notes and sheets say
    chain        what is said of the record's own chain, and the hash of its last segment
    """

    site: str
    period: str
    made: str
    by: str
    zone: str
    program: str
    visits: list[Told] = field(default_factory=list)
    summary: list[str] = field(default_factory=list)
    links: list[LinkPart] = field(default_factory=list)
    open_points: list[OpenPoint] = field(default_factory=list)
    restored: list[Told] = field(default_factory=list)
    to_restore: list[str] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    tables: list[TablePart] = field(default_factory=list)
    charts: list[ChartPart] = field(default_factory=list)
    chain: str = ""
    chain_hash: str = ""
    bag: list[str] = field(default_factory=list)

    def outline(self) -> list[tuple[int, str]]:
        """(depth, heading) of the report's parts, in their order."""
        out = [(0, "Summary"), (0, f"Open points ({len(self.open_points)})")]
        for link in self.links:
            out.append((0, link.name))
            parts = [
                ("how far it came", link.reached), ("what is known", link.facts), ("proof", link.proof),
                ("settings", link.settings), ("procedures", link.procedures), ("measurements", link.measured),
                ("what was tried", link.tried),
            ]  # fmt: skip
            out += [(1, words) for words, there in parts if there]
        out += [(0, f"Tables ({len(self.tables)})")] if self.tables else []
        out += [(0, f"Charts ({len(self.charts)})")] if self.charts else []
        out += [(0, "Put back at the end")] if self.restored else []
        return [*out, (0, "Appendix: exchanges"), (0, "How to check this")]
