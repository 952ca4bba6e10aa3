"""What the desk Keep gives its jobs, besides what every desk gives."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.io.system.faults import Fault
from ordolex.session.session import Session
from ordolex.tui.desks.at import At
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.keep.timeline import Timeline
from ordolex.tui.widgets.rows import Shown


@dataclass(slots=True)
class Looked:
    """What was searched for last, how bytes are shown, and who hands over."""

    sought: str = ""
    by: str = ""
    shown: Shown = Shown.BOTH


class KeepAt(At):
    """timeline  the rows shown, and how they are sifted
    looked    what was searched for, how bytes are shown
    """

    def __init__(self, desk: Desk, timeline: Timeline, looked: Looked) -> None:
        super().__init__(desk)
        self.timeline, self.looked = timeline, looked

    @property
    def names(self) -> dict[int, str]:
        return names_of(self.session)

    async def write(self, job: Callable[[], str]) -> None:
        """Writes in a thread, and says what was written."""
        try:
            words = await asyncio.to_thread(job)
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self.say(words, "good")


def names_of(session: Session) -> dict[int, str]:
    """What the links are called, and the book as a whole."""
    return {link.id: link.name for link in session.links} | {0: "book"}
