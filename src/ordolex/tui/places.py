"""The desks: their words, their keys, what each is for, and where it is found. To import one takes longer than the
first screen may, so it is done by name, once that stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ordolex.tui.desks.base import Desk


@dataclass(frozen=True, slots=True)
class Place:
    """word     as in the bar
    asks     what it answers, in a few words
    purpose  what it is for and how one begins there, in a sentence
    where    module:class of its desk
    """

    word: str
    key: str
    asks: str
    purpose: str
    where: str

    def kind(self) -> type[Desk]:
        module, _, name = self.where.partition(":")
        kind: type[Desk] = getattr(import_module(module), name)
        return kind


PLACES: tuple[Place, ...] = (
    Place(
        "Find",
        "f2",
        "Which port is it? The live survey.",
        "Find: which port is it? Choose one, press Enter, give the line settings on its sticker; it is opened.",
        "ordolex.tui.desks.find.desk:FindDesk",
    ),
    Place(
        "Wire",
        "f3",
        "Will the cable work?",
        "Wire: will the cable work? The shortest chain from the bag between two ends, or the one in your hand.",
        "ordolex.tui.desks.wire.desk:WireDesk",
    ),
    Place(
        "Match",
        "f4",
        "What are the line settings? Found by reasoning.",
        "Match: what are the line settings? m finds them; the map shows how likely each is.",
        "ordolex.tui.desks.match.desk:MatchDesk",
    ),
    Place(
        "Talk",
        "f5",
        "Ask the device; the conversation on the chosen link.",
        "Talk: ask the device. Enter sends what you typed with its line end, and waits for the answer.",
        "ordolex.tui.desks.talk.desk:TalkDesk",
    ),
    Place(
        "Set",
        "f6",
        "The device's settings: read, change, read back.",
        "Set: the device's settings. r reads them, Enter says what one is to be, a applies it.",
        "ordolex.tui.desks.set.desk:SetDesk",
    ),
    Place(
        "Watch",
        "f7",
        "Values again and again: live, charted, with limits, kept.",
        "Watch: values again and again. n makes a round of what the sheets offer, Enter starts it, d shows the demo's.",
        "ordolex.tui.desks.watch.desk:WatchDesk",
    ),
    Place(
        "Keep",
        "f8",
        "The record: everything that passed in this book.",
        "Keep: everything that passed on every link of this book, with its time. It is always on.",
        "ordolex.tui.desks.keep.desk:KeepDesk",
    ),
    Place(
        "Relay",
        "f9",
        "Serial over the network, virtual ports, two ends joined.",
        "Relay: a program that knows serial ports only gets a device on the network. n joins two ends, s finds boxes.",
        "ordolex.tui.desks.relay.desk:RelayDesk",
    ),
)
"""In the order of the bar; the first is there at once."""


def behind_the_first(places: Sequence[Place]) -> list[type[Desk]]:
    """The desks behind the first screen, and all that they stand on. Ends when all of it is imported."""
    from ordolex.io.link import runner  # noqa: F401 - so that the first port that is opened does not wait for it
    from ordolex.io.transport import rfc2217, serial_port, tcp  # noqa: F401

    return [place.kind() for place in places[1:]]
