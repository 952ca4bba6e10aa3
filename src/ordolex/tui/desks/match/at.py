"""What the desk Match gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ordolex.core.link.question import Question
from ordolex.core.record.items import LinkRecord
from ordolex.io.match import asks
from ordolex.io.match.options import Options
from ordolex.session.matches import Matches
from ordolex.session.session import Session
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.match.board import Board, Seen

NO_LINK = "No link is chosen. F2 shows the ports; Enter there opens one, at any settings, then F4."
HINTS = {
    "": "nothing",
    "7": "it has 7 data bits",
    "8": "it has 8 data bits",
    "modbus-rtu": "it speaks Modbus RTU",
    "modbus-ascii": "it speaks Modbus ASCII",
    "at": "it takes AT commands",
    "meter": "it is a meter with sign-on (IEC 62056-21)",
}
"""What a technician can know beforehand, as the list shows it."""
_FAMILIES = ("modbus-rtu", "modbus-ascii", "at", "meter")


def a_link(at: At) -> str:
    return "" if at.chosen is not None else NO_LINK


@dataclass(slots=True)
class Wishes:
    """How the technician wants it done.

    asks   what may be asked, as typed; None for what sheet or hint give
    hint   what is known beforehand, a key of HINTS
    moved  the cell was chosen by hand, and stays
    """

    options: Options = field(default_factory=Options)
    asks: list[bytes] | None = None
    units: list[int] = field(default_factory=lambda: [1])
    hint: str = ""
    moved: bool = False

    def questions(self, session: Session, link: LinkRecord) -> list[Question]:
        units = self.units if self.units != [1] else []  # else the sheet's own
        if self.asks is None and self.hint in _FAMILIES:
            return asks.of_family(self.hint)
        return asks.chosen(session.devices.sheet_of(link), units, self.asks)


class MatchAt(At):
    """matches  what runs
    board    which cell of the map is chosen
    seen     what was heard and inferred, by link
    show     draws the desk anew
    """

    def __init__(
        self, desk: Desk, matches: Matches, board: Board, wishes: Wishes, seen: dict[int, Seen],
        show: Callable[[], None],
    ) -> None:  # fmt: skip
        super().__init__(desk)
        self.matches, self.board, self.wishes, self.seen, self.show = matches, board, wishes, seen, show
