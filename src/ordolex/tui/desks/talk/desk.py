"""Talk: the conversation. What is typed goes out with its line end; what comes back stands below it with its time."""

from __future__ import annotations

from collections.abc import Awaitable
from dataclasses import replace

from rich.segment import Segment
from textual.app import ComposeResult

from ordolex.core.talk.conversation import Row
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.talk.asking import key_pressed, line_given, pasted
from ordolex.tui.desks.talk.at import Remembered, TalkAt
from ordolex.tui.desks.talk.entry import Entry
from ordolex.tui.desks.talk.headline import headline
from ordolex.tui.desks.talk.jobs import JOBS
from ordolex.tui.job import NO_LINK, an_open_link, bindings, fault_said
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import row_segments
from ordolex.tui.widgets.screen_view import ScreenView

_EMPTY = "Nothing passed yet. Type a question below, Enter sends it. A device that talks by itself shows here unasked."
_FLOOD_ROWS = 5  # rows in one turn above which the screen is drawn less often: nobody reads so fast
_ROOMY = 38


class TalkDesk(Desk):
    word = "Talk"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    TalkDesk.alone { padding: 0; }
    TalkDesk.alone HeadLine { display: none; }
    TalkDesk.alone Entry { height: 1; }
    TalkDesk.alone Entry #preview { display: none; }
    TalkDesk.bare Entry { height: 0; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._remembered = Remembered()
        self._flood = False
        self._alone = False
        self._typed_alone = False
        self._seen = (0, 0, 0)  # the link shown, its rows, and how many were ever added
        self._was_sending = False
        self._head = HeadLine()
        self._rows = RowView[Row](self._draw, _EMPTY, id="talk-rows")
        self._screen = ScreenView(id="talk-screen")
        self._entry = Entry(session)

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._rows
        yield self._screen
        yield self._entry

    def on_mount(self) -> None:
        self._rows.can_focus = False
        self._screen.display = False
        self.link_changed()

    def at(self) -> TalkAt:
        return TalkAt(self, self._entry, self._rows, self._screen, self._remembered, self.link_changed)

    def overtaken(self) -> None:
        self.at().new_turn()

    def entered(self) -> None:
        link = self._entry.link_by_key()
        if link is not None:  # F5 again is the way out of single keys
            self.session.talks.of(link).by_key = False
        self._entry.take_focus()
        self.link_changed()

    def link_changed(self) -> None:
        link = self.session.links.chosen
        if link is not None:
            self._entry.look_at_prompt(link)
        self._rows.empty_text = _EMPTY if link is not None else NO_LINK
        self._rows.show_rows(self.session.talks.of(link).rows if link is not None else ())
        self._entry.link_changed()
        self._screen.screen_shown = self.session.talks.of(link).screen if link is not None else None
        self._entry.show()
        self.turn()

    @property
    def keys_go_to_device(self) -> bool:
        link = self.session.links.chosen
        return link is not None and self.session.talks.of(link).by_key

    def _take_room(self) -> None:
        """A device's own screen that is worked key by key has the window for itself, where that is small."""
        link = self.session.links.chosen
        alone = self.display and self._remembered.on_screen and link is not None and self.session.talks.of(link).by_key
        if alone != self._alone:
            self._alone, self._typed_alone = alone, False
            self.set_class(alone and self.app.size.height < _ROOMY, "alone")
            self.post_message(self.RoomWanted(alone))
        # once a key was typed the line that says how to go back gives way too, where the screen's last row needs it
        bare = alone and self._typed_alone and not self._entry.masking.on  # what nobody looks at is not obeyed
        self.set_class(bare and not self._screen.fits(self.app.size.height - 1), "bare")

    def on_hide(self) -> None:
        if self._alone:
            self._alone = self._typed_alone = False
            self.remove_class("alone", "bare")
            self.post_message(self.RoomWanted(False))

    def restyled(self) -> None:
        self._entry.preview()

    def turn(self) -> None:
        link = self.session.links.chosen
        if link is None:
            return
        self._take_room()
        if self._flood and not self.with_frame:
            return
        talk = self.session.talks.of(link)
        self.session.talks.drain(link)
        seen_link, length, before = self._seen
        self._seen = link.id, len(talk.rows), talk.added
        if seen_link != link.id:
            self._flood = False
            self._rows.rows_changed()
        elif talk.added != before:  # somebody else may have drained the feed: what counts is what was shown
            self._flood = talk.added - before > _FLOOD_ROWS
            self._rows.rows_added(max(0, length + talk.added - before - len(talk.rows)))
        else:
            self._flood = False
        if self._remembered.on_screen and (seen_link, before) != (link.id, talk.added):
            self._screen.fed()
        if self._remembered.on_screen or talk.answers_device:
            answers = self.session.talks.answers_due(talk)
            if answers and self.session.is_open(link):
                self.session.send(link, answers)
        sending = self.session.works.on(link.id) is not None
        if sending or self._was_sending:
            self._was_sending = sending
            self._entry.preview()
        self._entry.look_at_prompt(link)
        self._head.text = headline(
            self.session, link, self._remembered, self._screen, self.ink, following=self._rows.following,
            width=self.size.width,
        )  # fmt: skip
        self._head.show()

    def _draw(self, row: Row, width: int) -> list[Segment]:
        link = self.session.links.chosen
        if link is not None and link.reads_in != row.charset:
            row = replace(row, charset=link.reads_in)
        return row_segments(row, width, self._remembered.shown, self.ink)

    # ---- what is typed

    def on_entry_line_given(self, event: EntryLine.Given) -> None:
        self._go_on(line_given(self.at(), event))

    def on_entry_line_block(self, event: EntryLine.Block) -> None:
        self._paste(event.text)

    def on_key_pad_pasted(self, event: KeyPad.Pasted) -> None:
        self._paste(event.text)

    def on_key_pad_pressed(self, event: KeyPad.Pressed) -> None:
        self._typed_alone = self._alone
        self._go_on(key_pressed(self.at(), event))

    def _go_on(self, work: Awaitable[None] | None) -> None:
        if work is not None:
            self.run_worker(fault_said(work, self.say))

    def _paste(self, text: str) -> None:
        at = self.at()
        why_not = an_open_link(at)
        if why_not:
            self.say(why_not, "unsure")
        else:
            self._go_on(pasted(at, text))
