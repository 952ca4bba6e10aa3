"""Documents of relays and networks."""

from __future__ import annotations

from pydantic import Field

from ordolex.cli.documents.base import Document


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
