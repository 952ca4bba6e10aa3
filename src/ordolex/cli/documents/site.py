"""Documents of sheets, the bench and wiring."""

from __future__ import annotations

from pydantic import Field

from ordolex.cli.documents.base import Document


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
