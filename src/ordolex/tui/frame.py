"""What stands around every desk, and what it shows: the bar, the rail of links, the lifeline, the status, the keys."""

from __future__ import annotations

from ordolex.core.advice.causes import NOTHING_TOLD
from ordolex.io.book.book import Book
from ordolex.session.links import line_of
from ordolex.session.session import Session
from ordolex.tui.desks.at import How
from ordolex.tui.record_watch import RecordWatch
from ordolex.tui.widgets.frame import KeyLine, Rail, StatusLine, TopBar
from ordolex.tui.widgets.lifeline import Lifeline

_ROOMY, _ROOMY_WIDE = 38, 110
"""A window in which a screen of 80 x 24 has its room beside all that stands around it."""


class Frame:
    """Its widgets are kept by name: a query would look at the screen in front, and that may be a prompt."""

    def __init__(self, session: Session, book: Book) -> None:
        self._session, self._book = session, book
        self._record = RecordWatch(book)
        self.bar, self.keys, self.rail = TopBar(), KeyLine(), Rail()
        self.lifeline, self.status = Lifeline(), StatusLine()
        self._rungs_shown: list[tuple[int, str]] = []

    def fit(self, width: int, height: int, *, alone: bool = False) -> None:
        """To the size of the window: what is least needed goes first. `alone`: a device's own screen wants the room."""
        for widget in (self.bar, self.lifeline, self.keys, self.status):
            widget.set_class(alone and height < _ROOMY, "gone")
        self.rail.set_class(width < 100 or (alone and width < _ROOMY_WIDE), "away")
        self.lifeline.set_class(width < 120 or height < 28, "folded")
        self.lifeline.set_class(width < 60 or height < 16, "flat")
        self.status.set_class(height < 12, "away")

    def _rungs(self) -> list[tuple[int, str]]:
        views = self._session.hub.views.values()
        return [(view.evidence.rung, view.evidence.trouble) for view in views]

    @property
    def is_old(self) -> bool:
        """Whether something changed that must show at once; ages and counts can wait a quarter of a second."""
        return self._rungs() != self._rungs_shown

    def show(self) -> bool:
        """Whether something was said that should be heard, too."""
        self._rungs_shown = self._rungs()
        session, chosen, lifeline = self._session, self._session.links.chosen, self.lifeline
        self._record.look()
        self.bar.status, self.bar.room = self._book.recorder.status, self._record.room
        news: list[tuple[str, How]] = self._record.news()
        for words, how in news:
            self.status.say(words, how)
        self.rail.entries = [(link, session.view(link)) for link in session.links]
        self.rail.chosen = chosen.id if chosen is not None else 0
        lifeline.link = chosen
        lifeline.question, lifeline.ask = session.devices.question_for(chosen)
        lifeline.matched = session.told.matched_words(chosen.id, line_of(chosen)) if chosen is not None else ""
        lifeline.view = session.view(chosen) if chosen is not None else None
        lifeline.told = session.told_of(chosen) if chosen is not None else NOTHING_TOLD
        for widget in (self.bar, self.rail, lifeline, self.keys):
            if widget.display:
                widget.show()
        return any(how == "bad" for _, how in news)
