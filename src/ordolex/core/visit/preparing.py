"""What a visit needs: parts and cables against the bag, adapters with their drivers, files, credentials with their
owner, addresses, the order of powering; out of what the book and the sheets know."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ordolex.core.port.endpoint import endpoint_or_none
from ordolex.core.record.items import LinkRecord
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parts import Ready
from ordolex.core.visit.facts import Fact
from ordolex.core.wiring.connectors import ENDS, End
from ordolex.core.wiring.solve import Bag, Solution, solve

KIND = "prepared"
"""The kind of event by which a tick is kept: `need` and `ticked` in its detail."""


@dataclass(frozen=True, slots=True)
class Need:
    """kind     part, adapter, file, credentials, address, from others, power, or open
    links    for which it is needed
    missing  it is known not to be at hand
    """

    kind: str
    words: str
    links: tuple[str, ...]
    missing: bool = False

    @property
    def key(self) -> str:
        """What a tick is kept by: it holds for the same need in the next visit."""
        return f"{self.kind}: {self.words}"

    @property
    def text(self) -> str:
        lacks = ", not in the bag" if self.missing else ""
        return f"{self.kind:12} {self.words}{lacks}   ({', '.join(self.links)})"

    def as_dict(self) -> dict[str, object]:
        return {"kind": self.kind, "words": self.words, "links": list(self.links), "missing": self.missing}


def needs(
    links: Sequence[LinkRecord], sheets: Mapping[str, Sheet], bag: Bag, facts: Mapping[int, Sequence[Fact]],
    left_open: Sequence[tuple[str, str]] = (),
) -> list[Need]:  # fmt: skip
    """In the order of packing. `facts` by link; `left_open` are (link, what the last visit left to be settled)."""
    found = _Found(bag)
    for link in links:
        sheet = sheets.get(link.sheet)
        if _is_serial(link):
            found.of_cable(link, sheet)
        if sheet is not None and sheet.ready is not None:
            found.of_readiness(link, sheet.ready)
        found.of_facts(link, facts.get(link.id, ()))
    for name, words in left_open:
        found.add("open", words, name)
    return found.in_order()


class _Found:
    """Needs as they are found; one that several links have is one."""

    def __init__(self, bag: Bag) -> None:
        self._bag = bag
        self._all: dict[tuple[str, str], tuple[list[str], bool]] = {}
        self._solved: dict[tuple[str, str], Solution] = {}

    def add(self, kind: str, words: str, link: str, *, missing: bool = False) -> None:
        if words.strip():
            names, lacks = self._all.get((kind, words.strip()), ([], False))
            self._all[kind, words.strip()] = ([*names, link] if link not in names else names), lacks or missing

    def of_cable(self, link: LinkRecord, sheet: Sheet | None) -> None:
        if sheet is not None and sheet.wiring_end:
            near, far = "usb" if link.adapter else "dte-de9", sheet.wiring_end
            if (near, far) not in self._solved:
                self._solved[near, far] = solve(ENDS[near], ENDS[far], self._bag)
            for words, missing in _parts(ENDS[near], self._solved[near, far]):
                self.add("part", words, link.name, missing=missing)
        if link.adapter:
            words = f"{link.adapter}; on a computer that never saw it, look in Find whether a driver takes it"
            self.add("adapter", words, link.name)

    def of_readiness(self, link: LinkRecord, ready: Ready) -> None:
        self.add("file", ready.project, link.name)
        self.add("credentials", ready.credentials if ready.credentials != "none" else "", link.name)
        for number, step in enumerate((ready.power, *ready.order), 1):
            self.add("power", f"{link.name}, step {number}: {step}", link.name)

    def of_facts(self, link: LinkRecord, facts: Sequence[Fact]) -> None:
        kinds = {"credentials with": "credentials", "address": "address", "needed from others": "from others"}
        for fact in facts:
            if fact.subject in kinds and not fact.source.startswith("sheet "):
                self.add(kinds[fact.subject], fact.value, link.name)
        host = _host(link)
        if host:
            self.add("address", f"one in the network of {host}, free to be used", link.name)

    def in_order(self) -> list[Need]:
        order = ("part", "adapter", "file", "credentials", "from others", "address", "power", "open")
        out = [Need(kind, words, tuple(names), missing) for (kind, words), (names, missing) in self._all.items()]
        return sorted(out, key=lambda need: order.index(need.kind))


def _is_serial(link: LinkRecord) -> bool:
    return not _host(link)


def _host(link: LinkRecord) -> str:
    """The host of a link over a network; empty for a port, and for one on this computer."""
    end = endpoint_or_none(link.endpoint)
    return end.elsewhere if end is not None else ""


def _parts(near: End, solution: Solution) -> list[tuple[str, bool]]:
    if solution.finding is not None:
        return [(part.name, False) for part in solution.finding.chain]
    if solution.buy is not None:
        part, finding = solution.buy
        return [(one.name, one.name == part.name) for one in finding.chain]
    return [(solution.why or f"no chain from {near.name} is known", True)]


def ticked(events: Sequence[tuple[int, Mapping[str, object]]]) -> dict[str, int]:
    """Need → when it was ticked, of those that are; from events in order, as (time, detail)."""
    out: dict[str, int] = {}
    for utc_us, detail in events:
        key = str(detail.get("need", ""))
        if detail.get("ticked"):
            out[key] = utc_us
        else:
            out.pop(key, None)
    return out
