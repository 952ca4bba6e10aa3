"""What the desk Keep gives its jobs, besides what every desk gives."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.io.system.clock import mono_s
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


_SAID_S = 0.5


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

    async def write(self, job: Callable[[], str], now: Callable[[], str] = lambda: "") -> None:
        """Writes in a thread, and says what was written; what takes longer says meanwhile what is written `now`."""
        began_s = mono_s()
        going = asyncio.create_task(asyncio.to_thread(job))
        while not (await asyncio.wait((going,), timeout=_SAID_S))[0]:
            if now():
                self.say(f"writing {now()}, {mono_s() - began_s:.0f} s")
        try:
            words = going.result()
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self.say(words, "good")


def names_of(session: Session) -> dict[int, str]:
    """What the links are called, and the book as a whole."""
    return {link.id: link.name for link in session.links} | {0: "book"}
