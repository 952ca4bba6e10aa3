"""Keep: the record of the whole book as one timeline, with filter, search and export."""

from __future__ import annotations

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.events import Key

from ordolex.core.talk.conversation import Direction
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.keep import spans
from ordolex.tui.desks.keep.at import KeepAt, Looked, names_of
from ordolex.tui.desks.keep.jobs import JOBS
from ordolex.tui.desks.keep.timeline import Entry, Timeline
from ordolex.tui.job import bindings
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import row_segments
from ordolex.tui.widgets.wording import day, size

_TURNS_BETWEEN = 10  # half a second between looks for something new
_DIRECTION_WORDS = {Direction.SENT: "sent", Direction.HEARD: "heard", Direction.NOTE: "notes"}


class KeepDesk(Desk):
    word = "Keep"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._head = HeadLine()
        self._view = RowView[Entry](self._draw, "", with_cursor=True, id="keep-rows")
        self._looked = Looked()
        self._turns = 0
        self.timeline = Timeline(
            session, self._view, lambda job: self.run_worker(job, exclusive=True, group="keep"),
            lambda words: self.say(words, "bad"), self._show_head,
        )  # fmt: skip

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._view

    def at(self) -> KeepAt:
        return KeepAt(self, self.timeline, self._looked)

    def entered(self) -> None:
        self._view.focus()
        wanted, self.session.jump_to = self.session.jump_to, None
        if wanted is not None:
            spans.show_at(self.at(), *wanted)
        else:
            self.timeline.begin_anew()
        self._turns = 0
        self.turn()

    def turn(self) -> None:
        if self._turns % _TURNS_BETWEEN == 0:
            self.timeline.look_for_new()
        self._turns += 1
        self._show_head()

    def _show_head(self) -> None:
        self._head.text = self._headline()
        self._head.show()

    def _headline(self) -> Text:
        ink, timeline = self.ink, self.timeline
        head = Text("Record", ink.style("ink", bold=True), no_wrap=True)
        entries, sieve = timeline.entries, timeline.sieve
        if entries:
            first, last = day(entries[0][1].at_us), day(entries[-1][1].at_us)
            head.append(f"   {first}" if first == last else f"   {first} to {last}", ink.style("dim"))
        if not timeline.was_read:
            head.append("   the book is being read", ink.style("straw"))
            return head
        head.append(f"   {counted(len(entries), 'row')}{_which_part(timeline)}", ink.style("dim"))
        if timeline.totals[1]:
            head.append(f", {size(timeline.totals[1])} in all", ink.style("dim"))
        if timeline.folded and not sieve.text:
            head.append("   bookkeeping left out (k)", ink.style("dim"))
        wanted = []
        if sieve.link is not None:
            wanted.append(names_of(self.session).get(sieve.link, "book"))
        if sieve.direction is not None:
            wanted.append(_DIRECTION_WORDS[sieve.direction])
        if sieve.text:
            wanted.append(f"with {sieve.text!r}")
        if wanted:
            head.append(f"   only {visible_text(', '.join(wanted))}; Esc shows all", ink.style("straw"))
        if timeline.reading:
            head.append(f"   {timeline.reading}", ink.style("straw"))
        return head

    def _draw(self, entry: Entry, width: int) -> list[Segment]:
        link, row = entry
        return row_segments(row, width, self._looked.shown, self.ink, names_of(self.session).get(link, "?"))

    def on_key(self, event: Key) -> None:
        view = self._view
        step = view.steps_by(event.key)
        if step is not None:
            if not self.timeline.go_beyond(event.key, view.cursor + step):
                view.go_to(view.cursor + step)
            event.stop()
            event.prevent_default()


def _which_part(timeline: Timeline) -> str:
    """What part of the book the rows are, where they are not all of it."""
    if not timeline.in_parts:
        return ""
    if timeline.part.newest:
        return ", the newest; Home goes to the first"
    return ", a part of the book; Home goes to the first, End to the newest"
