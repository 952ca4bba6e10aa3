"""What the desk Talk gives its jobs, besides what every desk gives."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.talk.conversation import Row
from ordolex.tui.desks.at import At, How
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.talk.entry import Entry
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import Shown
from ordolex.tui.widgets.screen_view import ScreenView


@dataclass(slots=True)
class Remembered:
    """What was typed last, proposed the next time; how the conversation is looked at; how often something was given."""

    sought: str = ""
    rate_command: str = "rate {baud}\\r"
    shown: Shown = Shown.BOTH
    on_screen: bool = False
    turn: int = 0


class TalkAt(At):
    """entry       what is typed
    rows        the exchanges
    screen      the device's own screen
    show_anew   draws the chosen link's conversation from the beginning
    """

    def __init__(
        self, desk: Desk, entry: Entry, rows: RowView[Row], screen: ScreenView, remembered: Remembered,
        show_anew: Callable[[], None],
    ) -> None:  # fmt: skip
        super().__init__(desk)
        self.entry, self.rows, self.screen, self.remembered = entry, rows, screen, remembered
        self.show_anew = show_anew

    def new_turn(self) -> int:
        """Something new is asked or given: what came of an earlier one is not said over it (`say_of`)."""
        self.remembered.turn += 1
        return self.remembered.turn

    def say_of(self, turn: int, text: str, how: How = "plain") -> None:
        """What came of it, unless something was asked or given since: then it stands in the conversation only."""
        if turn == self.remembered.turn:
            self.say(text, how)

    def refuse(self, why: str) -> None:
        """Says why nothing goes out; what comes of an earlier question is not said over it."""
        self.new_turn()
        self.say(why, "bad")

    def stop_asking(self) -> None:
        """Ends the wait for an answer; what came is kept."""
        runner = self.session.runner(self.chosen) if self.chosen is not None else None
        if runner is not None:
            self.session.hub.soon(runner.stop_asking_by_hand)
