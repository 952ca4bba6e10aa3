"""What the desk Find gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ordolex.io.ports.survey import PortFacts
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk


@dataclass(slots=True)
class Asked:
    """What was asked everywhere the last time: the question, the settings, the wait in ms, as typed."""

    lines: tuple[str, ...] = ("*IDN?\\n", "19200 8N1", "")


class FindAt(At):
    """port  the row under the cursor
    show  draws the survey anew
    """

    def __init__(self, desk: Desk, port: PortFacts | None, asked: Asked, show: Callable[[], None]) -> None:
        super().__init__(desk)
        self.port, self.asked, self.show = port, asked, show
