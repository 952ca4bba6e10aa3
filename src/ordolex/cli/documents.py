"""The documents that commands print with `--json`, as models: what is printed is held against them; their
JSON Schema is what `ordolex schema` prints. A command that fails may print `Failure` instead."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ordolex.core.sheet import Sheet

Value = bool | int | float | str | None


class Document(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Failure(Document):
    error: str


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


class Exported(Document):
    file: str
    form: str
    bytes: int


class Drawn(Document):
    file: str
    characters: int
    line: str


class Visited(Document):
    into: str
    files: list[str]


class VerifiedPath(Document):
    good: bool
    words: str
    intact: int = Field(description="segments of a book, or files of a handover")
    changed: list[str]
    last_sha256: str = Field(description="of the record's last segment; empty for a handover")


class KnownFact(Document):
    link: str
    subject: str
    value: str
    source: str
    at_us: int = Field(description="microseconds UTC; 0 where it is not known when")
    proof: str


class Needed(Document):
    kind: str = Field(description="part, adapter, file, credentials, from others, address, power, or open")
    words: str
    links: list[str]
    missing: bool = Field(description="it is known not to be in the bag")
    ticked_us: int = Field(description="when it was ticked, UTC; 0 where it is not")


class SinceBefore(Document):
    link: str
    what: str
    then: str = Field(description="as the visit before left it")
    now: str = Field(description="as this one found it; empty where it was not read yet")
    state: str = Field(description="differs, as it was left, not read yet, or measured")


class Compared(Document):
    visits: int = Field(description="openings that follow each other within four hours are one")
    rows: list[SinceBefore]


class SameLink(Document):
    link: str
    why: str


class SaidOtherwise(Document):
    link: str
    what: str
    first: str = Field(description="as the first book has it, which holds")
    second: str


class JoinedBooks(Document):
    into: str
    links: int
    chunks: int
    events: int
    doubled: int = Field(description="rows that both books had; each is there once")
    same: list[SameLink] = Field(description="links of the second book that are one of the first")
    conflicts: list[SaidOtherwise]
    notes: list[str]


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


class KnownFacts(Document):
    facts: list[KnownFact]
    contradictions: list[str]


class Place(Document):
    file: str
    at: int
    disguise: str = Field(alias="as")


class Searched(Document):
    searched: list[str]
    found: list[Place]


class Rescued(Document):
    into: str
    links: int
    chunks: int
    bytes: int
    events: int
    skipped: int


class SheetChecked(Document):
    ok: bool
    name: str


class SheetNamed(Document):
    name: str
    device: str
    line: str


class Rule(Document):
    rule: str
    kept: bool
    text: str
    source: str


class BenchDevice(Document):
    name: str
    kind: str
    line: str = Field(description="what stands on the device's sticker")
    polarity: str
    endpoint: str
    pty: str
    state: str = ""
    first_question: str = ""
    holder: str = ""
    pair: str = ""


class Bench(Document):
    pid: int
    site: str
    control: str = Field(description="host:port of the console that sets faults")
    devices: list[BenchDevice]


class BenchList(Document):
    devices: list[BenchDevice]


class Signal(Document):
    name: str
    from_pin: str
    to_pin: str
    ok: bool
    path: list[str]


class Wired(Document):
    works: bool
    parts: list[str]
    signals: list[Signal]
    problems: list[str]
    buy: str | None = Field(description="the part that would help, where no chain from the bag works")
    mend: str | None = Field(description="the change that would help a chain in hand")


class BagPart(Document):
    name: str
    count: int


class EndsAndBag(Document):
    ends: list[str]
    bag: list[BagPart]


class Idle(Document):
    level: str
    means: str
    sure: bool


class RelayEnd(Document):
    endpoint: str
    path: str = Field(description="what a program opens, or where a listener is reached; else as the endpoint")


class RelayReady(Document):
    name: str
    a: RelayEnd
    b: RelayEnd


class BothWays(Document):
    there: int = Field(description="bytes of the program")
    back: int = Field(description="bytes to it")


class RunningRelay(Document):
    pid: int
    name: str
    port: str
    program: str
    far: str
    settings: str
    bytes: BothWays
    fault: str
    age_s: float | None = Field(description="how long the near end has stood")
    book: str


class Stopped(Document):
    stopped: str


class NetService(Document):
    port: int
    means: str = Field(description="what the number mostly means")
    proven: str = Field(description="what it showed by itself; empty where nothing is proven")
    banner: str
    ms: float | None


class Announced(Document):
    type: str
    name: str
    port: int


class SurveyedHost(Document):
    address: str
    name: str
    hardware: str
    services: list[NetService]
    announced: list[Announced]
    proven: str
    ms: float | None


class NetStep(Document):
    step: str
    ok: bool | None = Field(description="null where it says nothing for or against")
    ms: float | None
    words: str
    do: str


class Proposed(Document):
    interface: str
    address: str
    do: str
    undo: str
    asked: list[str] = Field(description="addresses that were asked for")
    made: bool


class AddedAddress(Document):
    interface: str
    address: str
    undo: str
    taken_back: bool


DOCUMENTS: dict[str, Any] = {
    "line": Line,
    "find": list[Port],
    "find --ask": list[Tried],
    "ask": Asked,
    "record": Recorded,
    "read": list[ReadValue],
    "write": list[WrittenValue],
    "panel": list[PanelRow],
    "scan": list[Unit],
    "values": list[KeptItem],
    "values against": list[ComparedItem],
    "values import": ImportedTable,
    "lists": list[PulledList],
    "solve": Solved,
    "match": Matched,
    "export": Exported,
    "wave": Drawn,
    "visit": Visited,
    "handover": Visited,
    "verify": VerifiedPath,
    "facts": KnownFacts,
    "book join": JoinedBooks,
    "bringup": BroughtUp,
    "compare": Compared,
    "prepare": list[Needed],
    "secret": Searched,
    "book rescue": Rescued,
    "sheet check": SheetChecked,
    "sheet list": list[SheetNamed],
    "sheet show": Sheet,
    "bus": list[Rule],
    "bench": Bench,
    "bench --list": BenchList,
    "wire": Wired,
    "wire --list": EndsAndBag,
    "wire --idle": Idle,
    "relay": RelayReady,
    "relay list": list[RunningRelay],
    "relay stop": Stopped,
    "survey": list[SurveyedHost],
    "net check": list[NetStep],
    "net wait": NetStep,
    "net propose": Proposed,
    "net undo": list[AddedAddress],
    "net own": list[str],
    "failure": Failure,
}
"""Command, with the option where another one is printed → its document."""


def document(command: str, value: object) -> Any:
    """The value, as its model has it. Raises pydantic's ValidationError for one that the model does not know."""
    adapter: TypeAdapter[Any] = TypeAdapter(DOCUMENTS[command])
    return adapter.dump_python(adapter.validate_python(value), mode="json", by_alias=True, exclude_unset=True)


def schema(command: str) -> dict[str, Any]:
    """JSON Schema of the command's document."""
    found = TypeAdapter(DOCUMENTS[command]).json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": f"ordolex {command} --json", **found}
