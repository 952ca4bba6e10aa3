"""What every desk is to the application."""

from __future__ import annotations

from collections.abc import Iterator
from inspect import isawaitable
from typing import ClassVar

from textual.containers import Vertical
from textual.message import Message

from ordolex.core.record.items import LinkRecord
from ordolex.io.own.fault_log import written_down
from ordolex.io.system.faults import Fault
from ordolex.session.session import Session
from ordolex.tui.desks.at import At, How
from ordolex.tui.job import Job, fault_said, own_fault
from ordolex.tui.theme import PALETTES, Palette


class Desk(Vertical):
    """A place to do one kind of work for the chosen link. `word` is its name in the bar, JOBS what can be done there;
    a desk sets BINDINGS to `bindings(JOBS)`."""

    DEFAULT_CSS = "Desk { background: $background; padding: 1 1 0 1; } Desk.tight { padding: 0; }"
    word = ""
    JOBS: ClassVar[tuple[Job, ...]] = ()

    class Said(Message):
        """A sentence for the status line."""

        def __init__(self, text: str, how: How = "plain") -> None:
            super().__init__()
            self.text, self.how = text, how

    class Refused(Message):
        """Why a job cannot be done now; what was typed for it is for nobody."""

        def __init__(self, why_not: str) -> None:
            super().__init__()
            self.why_not = why_not

    class OpenWanted(Message):
        """The technician wants this link's port open."""

        def __init__(self, link: LinkRecord) -> None:
            super().__init__()
            self.link = link

    class ReleaseWanted(Message):
        """The technician wants this link's port free."""

        def __init__(self, link: LinkRecord) -> None:
            super().__init__()
            self.link = link

    class GoWanted(Message):
        """Another desk is wanted in front."""

        def __init__(self, to: str) -> None:
            super().__init__()
            self.to = to

    class RoomWanted(Message):
        """What stands around is to give way, or may stand again."""

        def __init__(self, alone: bool) -> None:
            super().__init__()
            self.alone = alone

    def __init__(self, session: Session) -> None:
        super().__init__(id=self.word.lower())
        self.session = session
        self.with_frame = True
        """Whether the frame is drawn in this turn: what need not be drawn at once is drawn with it, as one picture."""

    @property
    def ink(self) -> Palette:
        return PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])

    def say(self, text: str, how: How = "plain") -> None:
        self.post_message(self.Said(text, how))

    def overtaken(self) -> None:
        """Something else was said to the technician since: what comes of earlier work is not said over it."""

    @property
    def keys_go_to_device(self) -> bool:
        """Whether all keys but function keys are the device's now."""
        return False

    def at(self) -> At:
        """What the desk gives its jobs."""
        return At(self)

    def start(self, id: str) -> None:
        """Does a job, or says why it cannot be done now. What it awaits goes on beside the desk."""
        job, at = job_of(self.JOBS, id), self.at()
        why_not = job.needs(at)
        if why_not:
            self.post_message(self.Refused(why_not))
            return
        try:
            going_on = job.run(at)
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        except Exception as error:
            self.say(own_fault(error, written_down(error)), "bad")
            return
        if isawaitable(going_on):
            self.run_worker(fault_said(going_on, self.say))

    def action_job(self, id: str) -> None:
        self.start(id)

    def entered(self) -> None:
        """The desk is in front now: put the cursor where work begins."""

    def turn(self) -> None:
        """Called twenty times a second while the desk is in front."""

    def restyled(self) -> None:
        """Dark became light or the other way: what was drawn in the old colours is drawn again."""

    def link_changed(self) -> None:
        """Another link was chosen."""

    def survey_changed(self, *, said: bool = False) -> None:
        """The ports were looked at again. `said`: something weightier was said of it already."""


def job_of(jobs: tuple[Job, ...], id: str) -> Job:
    """Raises KeyError for what the desk does not do."""
    found: Iterator[Job] = (job for job in jobs if job.id == id)
    job = next(found, None)
    if job is None:
        raise KeyError(f"no job {id!r}")
    return job
