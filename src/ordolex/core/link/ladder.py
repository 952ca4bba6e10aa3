"""The proof ladder: the five rungs that a link climbs, and what lifts or drops it.

The whole of it is one table. A rung is a claim, and the claim is never stronger than its evidence: bytes lift a held
link to Heard and no further, however many they are; a right answer proves only a link that is Clear.
"""

from __future__ import annotations

from enum import Enum, IntEnum


class Rung(IntEnum):
    ABSENT = 0
    PRESENT = 1
    HELD = 2
    HEARD = 3
    CLEAR = 4
    PROVEN = 5

    @property
    def word(self) -> str:
        return self.name.capitalize()


RUNGS = (Rung.PRESENT, Rung.HELD, Rung.HEARD, Rung.CLEAR, Rung.PROVEN)


class Happening(Enum):
    """What can happen to a link, with the sentence that the documentation prints."""

    SEEN = "the port is there"
    GONE = "the port is gone"
    OPENED = "we opened it"
    RELEASED = "we let it go, or could not open it"
    BYTES = "bytes arrived"
    CLEAN = "the latest bytes are free of errors and of the expected shape"
    UNCLEAN = "errors or unreadable bytes among the latest"
    RIGHT = "a known question got a right answer, or a device without ears said what its sheet expects"
    WRONG = "a known question got a wrong answer"
    UNANSWERED = "a question that should be answered got nothing"
    QUIET = "a device that talks by itself is overdue"
    RETUNED = "the line settings were changed"


_A, _P, _H, _D, _C, _V = Rung.ABSENT, Rung.PRESENT, Rung.HELD, Rung.HEARD, Rung.CLEAR, Rung.PROVEN

_ROWS: dict[Happening, tuple[Rung, ...]] = {
    #                       ABSENT PRESENT HELD HEARD CLEAR PROVEN
    Happening.SEEN: (_P, _P, _H, _D, _C, _V),
    Happening.GONE: (_A, _A, _A, _A, _A, _A),
    Happening.OPENED: (_H, _H, _H, _H, _H, _H),
    Happening.RELEASED: (_A, _P, _P, _P, _P, _P),
    Happening.BYTES: (_A, _P, _D, _D, _C, _V),
    Happening.CLEAN: (_A, _P, _H, _C, _C, _V),
    Happening.UNCLEAN: (_A, _P, _H, _D, _D, _D),
    Happening.RIGHT: (_A, _P, _H, _D, _V, _V),
    Happening.WRONG: (_A, _P, _H, _D, _C, _C),
    Happening.UNANSWERED: (_A, _P, _H, _H, _H, _H),
    Happening.QUIET: (_A, _P, _H, _H, _H, _H),
    Happening.RETUNED: (_A, _P, _H, _H, _H, _H),
}

TABLE: dict[tuple[Rung, Happening], Rung] = {
    (rung, happening): row[rung] for happening, row in _ROWS.items() for rung in Rung
}


def next_rung(rung: Rung, happening: Happening) -> Rung:
    return TABLE[rung, happening]
