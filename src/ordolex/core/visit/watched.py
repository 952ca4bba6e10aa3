"""What a report tells of values that were watched: limits they passed, and what still stood at the end."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from ordolex.core.record.items import Event
from ordolex.core.text.counts import counted
from ordolex.core.visit.report import OpenPoint, Told, Urgency


def passed(events: Sequence[Event], when: Callable[[int], str], most: int) -> list[Told]:
    """What began and ended while values were watched; how many there were, where not all are told."""
    all_ = [event for event in events if event.kind == "watch" and event.detail.get("what")]
    told = [Told(when(event.utc_us), event.text) for event in all_[-most:]]
    if len(all_) > len(told):
        earlier = counted(len(all_) - len(told), "earlier one")
        told.insert(0, Told(when(all_[0].utc_us), f"{earlier} from here on, in the record"))
    return told


def still_standing(events: Sequence[Event], names: Mapping[int, str]) -> list[OpenPoint]:
    """What stood out of its limits when it was looked at last."""
    standing: dict[tuple[int, object, object], Event] = {}
    for event in events:
        if event.kind == "watch" and event.detail.get("what"):
            standing[event.link, event.detail.get("item"), event.detail["what"]] = event
    return [
        OpenPoint(Urgency.LATER, names.get(event.link, ""), f"at the end of the watch: {event.text}")
        for event in standing.values() if event.detail.get("on")
    ]  # fmt: skip
