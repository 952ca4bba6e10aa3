"""What the desk Wire gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable

from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.wire.wiring import Wiring


class WireAt(At):
    """wiring    what is worked on
    work_out  works it out anew, beside the desk, and shows it
    """

    def __init__(self, desk: Desk, wiring: Wiring, work_out: Callable[[], None]) -> None:
        super().__init__(desk)
        self.wiring, self.work_out = wiring, work_out
