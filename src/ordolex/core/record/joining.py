"""Two books of one site as one: which links are the same device, and where the two say different things of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ordolex.core.port.endpoint import endpoint_or_none
from ordolex.core.record.items import LinkRecord

_SAID = (
    "name",
    "line",
    "sheet",
    "unit",
    "line_end",
    "charset",
    "identity",
    "outputs",
    "endpoint",
    "first_question",
)
_NOTHING = ("", -1)


@dataclass(frozen=True, slots=True)
class Conflict:
    """What the two books say differently; the first one's holds, the other's is kept as a fact."""

    link: str
    what: str
    first: str
    second: str

    @property
    def words(self) -> str:
        what = "character set" if self.what == "charset" else self.what.replace("_", " ")
        return f"{self.link}: {what} is {self.first} in the first book, {self.second} in the second"


@dataclass(frozen=True, slots=True)
class Paired:
    """A link of the second book, which link of the first it is, and why; None for one that the first has not."""

    link: LinkRecord
    same_as: LinkRecord | None
    why: str = ""


def paired(first: Sequence[LinkRecord], second: Sequence[LinkRecord], copied: Sequence[int] = ()) -> list[Paired]:
    """By what the device itself says that it is, else by an address that only one device of a network can have.

    `copied` are links that are in both because one book was begun as a copy of the other. A port's name is no identity:
    the same adapter stood before several devices. No link of the first is taken twice."""
    left = list(first)
    out = []
    for link in second:
        same, why = _same(left, link, copied)
        if same is not None:
            left.remove(same)
        out.append(Paired(link, same, why))
    return out


def _same(links: Sequence[LinkRecord], link: LinkRecord, copied: Sequence[int]) -> tuple[LinkRecord | None, str]:
    for one in links:
        if link.id in copied and one.id == link.id:
            return one, "one book began as a copy of the other"
    if link.identity:
        said = [one for one in links if (one.identity, one.sheet, one.unit) == (link.identity, link.sheet, link.unit)]
        if len(said) == 1:
            return said[0], f"both say that they are {link.identity}"
    if _is_an_address(link.endpoint):
        there = [one for one in links if one.endpoint == link.endpoint and not _contradict(one, link)]
        if len(there) == 1:
            return there[0], f"both are at {link.endpoint}"
    return None, ""


def _is_an_address(endpoint: str) -> bool:
    """Whether it names one place for everybody: of a network, and not of one computer."""
    read = endpoint_or_none(endpoint)
    return read is not None and bool(read.elsewhere)


def _contradict(one: LinkRecord, other: LinkRecord) -> bool:
    return bool(one.identity and other.identity and one.identity != other.identity)


def conflicts(one: LinkRecord, other: LinkRecord) -> list[Conflict]:
    """Of two that are the same device: what both say, and not alike."""
    return [
        Conflict(one.name, what, str(getattr(one, what)), str(getattr(other, what)))
        for what in _SAID
        if getattr(one, what) not in _NOTHING and getattr(other, what) not in _NOTHING
        and getattr(one, what) != getattr(other, what)
    ]  # fmt: skip


def filled(one: LinkRecord, other: LinkRecord) -> LinkRecord:
    """The first, with what only the other knows."""
    missing = {
        what: getattr(other, what)
        for what in (*_SAID, "source", "adapter")
        if getattr(one, what) in _NOTHING and getattr(other, what) not in _NOTHING
    }
    return replace(one, **missing)
