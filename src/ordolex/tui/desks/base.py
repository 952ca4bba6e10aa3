"""What every desk is to the application."""

from __future__ import annotations

from typing import Literal

from textual.containers import Vertical
from textual.message import Message

from ordolex.core.record.items import LinkRecord
from ordolex.tui.session import Session
from ordolex.tui.theme import PALETTES, Palette

How = Literal["good", "bad", "unsure", "plain"]


class Desk(Vertical):
    """A place to do one kind of work for the chosen link. `name` is its word, as in the bar."""

    DEFAULT_CSS = "Desk { background: $background; padding: 1 1 0 1; } Desk.tight { padding: 0; }"
    word = ""

    class Said(Message):
        """A sentence for the status line."""

        def __init__(self, text: str, how: How = "plain") -> None:
            super().__init__()
            self.text, self.how = text, how

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

    def __init__(self, session: Session) -> None:
        super().__init__(id=self.word.lower())
        self.session = session

    @property
    def ink(self) -> Palette:
        return PALETTES.get(self.app.theme, PALETTES["ordolex-dark"])

    def say(self, text: str, how: How = "plain") -> None:
        self.post_message(self.Said(text, how))

    def entered(self) -> None:
        """The desk is in front now: put the cursor where work begins."""

    def turn(self) -> None:
        """Called twenty times a second while the desk is in front."""

    def restyled(self) -> None:
        """Dark became light or the other way: what was drawn in the old colours is drawn again."""

    def link_changed(self) -> None:
        """Another link was chosen."""
