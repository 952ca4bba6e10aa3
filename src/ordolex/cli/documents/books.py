"""Documents of commands that work with a book."""

from __future__ import annotations

from pydantic import Field

from ordolex.cli.documents.base import Document


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
    last_sha256: str = Field(description="of the record's last segment; of a handover as its manifest names it")


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


class PackedBook(Document):
    rows: int = Field(description="rows that were packed now")
    bytes_before: int
    bytes_after: int


class Rescued(Document):
    into: str
    links: int
    chunks: int
    bytes: int
    events: int
    skipped: int
