"""Match: what are the line settings? A map of rates and formats by how likely each is, and how that is known."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult

from ordolex.core.match.verdict import inverted_advice
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.match.trials import Match
from ordolex.io.system.faults import Fault
from ordolex.session.matches import AtWork, Matches, remember, source_of, take_settings
from ordolex.session.session import Session
from ordolex.tui.desks.base import Desk
from ordolex.tui.desks.match.at import HINTS, NO_LINK, MatchAt, Wishes
from ordolex.tui.desks.match.board import Board, Seen
from ordolex.tui.desks.match.jobs import JOBS
from ordolex.tui.desks.match.view import match_view
from ordolex.tui.job import bindings
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.words import Words

_EMPTY = "m listens to the device and asks harmless questions, until its settings are known. s works on the record."


class MatchDesk(Desk):
    word = "Match"
    JOBS = JOBS
    BINDINGS = bindings(JOBS)
    DEFAULT_CSS = """
    MatchDesk #match-body { background: $background; height: 1fr; width: 1fr; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.board = Board()
        self.wishes = Wishes()
        self._matches = Matches(session)
        self._seen: dict[int, Seen] = {}
        self._head = HeadLine()
        self._body = Words(id="match-body")
        self._body.can_focus = True

    def compose(self) -> ComposeResult:
        yield self._head
        yield self._body

    def at(self) -> MatchAt:
        return MatchAt(self, self._matches, self.board, self.wishes, self._seen, self._show)

    def entered(self) -> None:
        self._body.focus()
        self._stand(self.session.links.chosen)
        self._show()

    def link_changed(self) -> None:
        self.wishes.moved = False
        self._stand(self.session.links.chosen)
        self._show()

    def restyled(self) -> None:
        self._show()

    def on_resize(self) -> None:
        self._show()

    def turn(self) -> None:
        for running, match in self._matches.news():
            self._take_over(running.link, match)
            self._show()
        for running in self._matches.ended():
            self._ended(running)

    def _take_over(self, link: LinkRecord, match: Match) -> None:
        self._seen[link.id] = Seen.of(match)
        if self._is_chosen(link):
            self._stand(link)

    def _stand(self, link: LinkRecord | None) -> None:
        if link is not None and not self.wishes.moved:
            self.board.show(self._seen.get(link.id), self.session.view(link).evidence.line)

    def _is_chosen(self, link: LinkRecord) -> bool:
        return self.session.links.chosen is not None and self.session.links.chosen.id == link.id

    def _ended(self, running: AtWork) -> None:
        link, future = running.link, running.future
        name = "" if self._is_chosen(link) else f"{visible_text(link.name)}: "
        if future is None or future.cancelled():
            return
        try:
            match = future.result()
            self._take_over(link, match)
            self._seen[link.id].now = ""
            remember(self.session, link, match)
            if match.found is None:
                why = match.verdict.words if match.verdict is not None else match.now
                self.say(f"{name}not found: {why}", "unsure")
                if running.opened:
                    self.post_message(self.ReleaseWanted(link))
                elif match.left:
                    self.say(f"{name}not found, and {match.left}", "bad")
            elif match.inverted:
                self.say(f"{name}{match.found.text}, and the line is inverted: no line settings mend that", "bad")
            else:
                self.say(name + take_settings(self.session, link, match.found, source_of(match), match), "good")
        except Fault as fault:
            self.say(f"{name}{fault}", "bad")
        self._show()

    # ---- showing it

    def _show(self) -> None:
        if not self._body.is_attached:
            return
        ink, link, on = self.ink, self.session.links.chosen, self._matches.on
        seen = self._seen.get(link.id) if link is not None else None
        head = Text("What are the line settings?", ink.style("ink", bold=True))
        if self.wishes.hint:
            head.append(f"   known: {HINTS[self.wishes.hint]}", ink.style("straw"))
        head.append(f"   {'inverted' if self.board.inverted else 'normal'} polarity", ink.style("dim"))
        if link is not None and link.id in on and seen is not None and seen.now:
            head.append(f"   {seen.now}", ink.style("straw"))
        others = len(on) - (link is not None and link.id in on)
        if others:
            head.append(f"   {others} more being matched", ink.style("dim"))
        self._head.text = head
        self._head.show()
        if link is None:
            self._body.put(Text(NO_LINK, ink.style("straw")))
            return
        width, height = max(20, self._body.size.width), max(8, self._body.size.height)
        self._body.put(match_view(ink, self.board, seen, self._next(link, seen), width, height))

    def _next(self, link: LinkRecord, seen: Seen | None) -> str:
        if seen is None or seen.verdict is None:
            return _EMPTY
        if link.id in self._matches.on:
            return "it goes on by itself; Esc stops"
        if seen.inverted:
            return inverted_advice()
        if link.source.startswith("matched"):
            return f"{link.line} is in the link; F5 talks"
        if seen.verdict.listen_at is not None:
            return f"m goes on: listen at {seen.verdict.listen_at.text}"
        return "Enter takes the chosen settings, m matches anew"
