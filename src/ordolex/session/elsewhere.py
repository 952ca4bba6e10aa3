"""Places that no survey of ports finds: those that were opened by their address, and virtual ports of our own."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING

from ordolex.core.port.endpoint import endpoint_or_none
from ordolex.core.record.items import LinkRecord
from ordolex.io.ports.survey import BY_ADDRESS, MADE_HERE, PortFacts

if TYPE_CHECKING:
    from ordolex.io.relay.relay import RelayView


def by_address(
    links: Iterable[LinkRecord], listed: Sequence[PortFacts], is_ours: Callable[[LinkRecord], bool]
) -> list[PortFacts]:
    """Of the book's links, those on the network that no survey lists."""
    known = {port.endpoint for port in listed}
    found: list[PortFacts] = []
    for link in links:
        endpoint = endpoint_or_none(link.endpoint)
        if endpoint is None or endpoint.kind == "serial" or endpoint.is_used or link.endpoint in known:
            continue
        ours = is_ours(link)
        known.add(link.endpoint)
        state, holder = ("held", "us") if ours else (BY_ADDRESS, "")
        name = link.name if link.name != link.endpoint else endpoint.address
        sticker = link.line if endpoint.has_line else ""
        found.append(PortFacts(link.endpoint, name, endpoint.words, "", state, holder, sticker=sticker))
    return found


def made_here(views: Iterable[RelayView]) -> list[PortFacts]:
    """The virtual ports of relays that run."""
    return [
        PortFacts(
            end.endpoint.text, view.plan.name, f"virtual port of a relay, {end.path}", "", MADE_HERE,
            ", ".join(end.users),
        )
        for view in views
        for end in (view.a, view.b)
        if end.endpoint.kind == "virtual" and end.path
    ]  # fmt: skip
