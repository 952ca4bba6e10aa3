"""Documents of commands that work with a device: settings, questions, values, lists, a bring-up."""

from __future__ import annotations

from pydantic import Field

from ordolex.cli.documents.base import Document, Value


class Line(Document):
    baud: int
    data_bits: int
    parity: str
    stop_bits: int | float
    flow: str
    text: str
    assumed: list[str] = Field(description="what was not said, and is taken to be usual")
    bits_per_frame: int | float
    characters_per_s: float


class Port(Document):
    endpoint: str
    name: str
    what: str
    serial: str
    state: str = Field(description="free, held, no-rights, no-driver, gone, or unknown")
    holder: str
    identity: str = Field(description="what the port is called across replugging and renumbering")
    sticker: str
    first_question: str
    bench: bool
    usb_id: str
    place: str
    driver: str
    uart: str
    pair: str
    kind: str


class Tried(Port):
    answered: bool
    reply: str | None
    line_errors: int
    why: str
    unit: str = ""


class Asked(Document):
    sent_hex: str
    reply: str
    reply_hex: str
    ms: float | None = Field(description="from the question to the last byte of the answer")
    first_ms: float | None
    line_errors: int
    line: str
    verdict: str
    rung: str
    ended: str


class Recorded(Document):
    book: str
    bytes: int
    seconds: float
    line_errors: int
    rung: str
    kept: bool
    books: list[str] | None = Field(None, description="with --rotate: all of them")


class ReadValue(Document):
    name: str
    value: Value
    unit: str
    raw_hex: str
    outcome: str
    words: str


class WrittenValue(Document):
    name: str
    before: Value
    wanted: Value
    after: Value = Field(description="as it was read back")
    verdict: str
    words: str


class PanelRow(Document):
    name: str
    computed: float | None = Field(description="from what was read and the ratios; null where that was not to be had")
    unit: str
    shown: float | None = Field(description="as the technician sees it there; null where that was not given")
    fits: bool | None
    words: str


class Unit(Document):
    unit: int | str
    answer: str
    ms: float | None
    right: bool
    standing: str = Field(description="answers, not expected, moved here, another device, two at once?, missing")
    identity: str


class KeptItem(Document):
    round: str
    item: str
    unit: str
    first: str | None
    last: str | None
    count: int = 0
    missing: int = 0
    low: float | None = None
    high: float | None = None
    mean: float | None = None
    deviation: float | None = None


class ComparedItem(Document):
    item: str
    against: str
    count: int = Field(description="times of the other at which both have a value")
    alone: int
    mean: float | None = Field(description="of the differences, this less the other")
    deviation: float | None
    largest: float | None


class ImportedTable(Document):
    name: str
    values: int
    left_out: int


class PulledList(Document):
    name: str
    columns: list[str]
    rows: list[list[str]]
    odd: list[tuple[int, str]] = Field(description="line and text of what fits no row")
    missing: list[int]
    twice: list[int]
    ended: str


class RankedSetting(Document):
    line: str
    polarity: str
    probability: float
    text: str
    hex: str
    exact_baud: float
    shape: str


class Solved(Document):
    verdict: str
    words: str
    listen_at: str | None
    apart: list[str]
    ranked: list[RankedSetting]


class Trial(Document):
    line: str
    sent_hex: str
    heard_hex: str
    line_errors: int
    verdict: str
    seconds: float


class Matched(Document):
    found: bool
    line: str | None
    polarity: str
    evidence: str
    answered: bool
    reads_alike: list[str]
    seconds: float
    trials: list[Trial]


class StageDone(Document):
    stage: str
    standing: str = Field(description="seen, only said, not sure, failed, skipped")
    words: str
    at_us: int


class WeighedCause(Document):
    words: str
    share: float
    test: str


class BroughtUp(Document):
    proven: bool
    verdict: str
    rung: str
    link: str | None
    line: str | None
    sheet: str | None
    stages: list[StageDone] = Field(description="everything that was tried, in order")
    causes: list[WeighedCause] = Field(description="where it is not proven, the likeliest first")
    bundle: list[str] = Field(description="files of the support bundle; empty where none was written")
