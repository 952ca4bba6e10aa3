"""Talk: the conversation. What is typed goes out with its line end; what comes back stands below it with its time."""

from __future__ import annotations

from concurrent.futures import Future
from dataclasses import replace

from rich.segment import Segment
from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.suggester import Suggester, SuggestFromList
from textual.widgets import Static

from ordolex.core.link.exchange import Answer
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.protocols.families import FAMILIES
from ordolex.core.record.items import LinkRecord
from ordolex.core.talk.conversation import Row
from ordolex.core.text.escapes import EscapeError, named, to_bytes
from ordolex.core.text.visible import hex_pairs, visible_text
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.tui.commands import TALK, bindings
from ordolex.tui.desks.base import Desk
from ordolex.tui.session import LINE_ENDS, Session
from ordolex.tui.talk.keys import KeyByKey, Masking, above_prompt, came_aside, prompt_of
from ordolex.tui.talk.line_work import LineWork
from ordolex.tui.talk.proving import Proving, answer_words
from ordolex.tui.theme import SENT
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import Shown, row_segments
from ordolex.tui.widgets.screen_view import ScreenView
from ordolex.tui.widgets.wording import cut
from ordolex.tui.works import NO_LINK

_EMPTY = "Nothing passed yet. Type a question below, Enter sends it. A device that talks by itself shows here unasked."
_FLOOD_ROWS = 20  # rows in one turn above which the screen is drawn less often: nobody reads so fast
_FLOOD_TURNS = 4
_SIGNALS_FROM = 96  # width below which the control lines are in Ctrl+B only
_SLOW_S = 0.3  # a line that takes longer says how long
_STILL_S = 0.4  # after a line that came by itself, another may follow


class TalkDesk(KeyByKey, LineWork, Proving, Desk):
    word = "Talk"
    BINDINGS = bindings(TALK)
    DEFAULT_CSS = """
    TalkDesk #entry { height: 1; background: $surface; }
    TalkDesk #mark { width: 3; color: $primary; text-style: bold; background: $surface; }
    TalkDesk Input, TalkDesk Input:focus { border: none; height: 1; padding: 0; background: $surface; width: 1fr; }
    TalkDesk #preview { height: 1; color: $dim; background: $surface; padding: 0 0 0 3; }
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._shown = Shown.BOTH
        self._at_history = 0
        self._offered = ""
        self._turns = 0
        self._flood = False
        self._seen = (0, 0, 0)  # the link shown, its rows, and how many were ever added
        self._on_screen = self._was_sending = False
        self.masking = Masking()

    def compose(self) -> ComposeResult:
        yield HeadLine()
        yield RowView[Row](self._draw, _EMPTY, id="talk-rows")
        yield ScreenView(id="talk-screen")
        with Horizontal(id="entry"):
            yield Static(f" {SENT} ", id="mark", markup=False)
            yield EntryLine(clears=True, id="say")
            yield KeyPad("", id="keys", markup=False)
        yield Static("", id="preview", markup=False)

    def on_mount(self) -> None:
        self._rows.can_focus = False
        self.query_one(ScreenView).display = False
        self.query_one(KeyPad).display = False
        self.link_changed()

    @property
    def _rows(self) -> RowView[Row]:
        return self.query_one("#talk-rows", RowView)

    @property
    def _input(self) -> EntryLine:
        return self.query_one("#say", EntryLine)

    def entered(self) -> None:
        link = self.link_by_key()
        if link is not None:  # F5 again is the way out of single keys
            self.session.talk(link).by_key = False
        self._input.focus()
        self.link_changed()

    def link_changed(self) -> None:
        link = self.session.chosen
        if link is not None:
            self._look_at_prompt(link)
        self._rows.empty_text = _EMPTY if link is not None else NO_LINK
        self._rows.show_rows(self.session.talk(link).rows if link is not None else ())
        history = self.session.talk(link).history if link is not None else []
        self._at_history = len(history)
        if self._input.value == self._offered:  # nobody touched what was offered for another link
            self._offered = link.first_question if link is not None and not history else ""
            self._input.put(self._offered, offered=True)
        self.query_one(ScreenView).screen_shown = self.session.talk(link).screen if link is not None else None
        self.show_entry()
        self.turn()

    def restyled(self) -> None:
        self.preview()

    def turn(self) -> None:
        link = self.session.chosen
        if link is None:
            return
        self._turns += 1
        if self._flood and self._turns % _FLOOD_TURNS:
            return
        talk = self.session.talk(link)
        self.session.drain(link)
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
        if self._on_screen and (seen_link, before) != (link.id, talk.added):
            self.query_one(ScreenView).fed()
        if link.id in self._sendings or self._was_sending:
            self._was_sending = link.id in self._sendings
            self.preview()
        self._look_at_prompt(link)
        head = self.query_one(HeadLine)
        head.text = self._headline(link)
        head.show()

    def _look_at_prompt(self, link: LinkRecord) -> None:
        """Whether what is typed is a secret now. One that was being typed does not come to light when the prompt goes
        on by itself, or another link is chosen: it is forgotten."""
        was_hidden = self.masking.on
        talk = self.session.talk(link)
        self.masking.look(prompt_of(talk), above_prompt(talk))
        if self.masking.on == was_hidden:
            return
        if was_hidden:
            self._input.value = ""
        self.show_entry()

    def _headline(self, link: LinkRecord) -> Text:
        ink, view = self.ink, self.session.view(link)
        head = Text(visible_text(link.name), ink.style("ink", bold=True))
        if self._on_screen:
            screen = self.session.talk(link).screen
            words = f"   its screen, {screen.size[0]} × {screen.size[1]}, {screen.charset}"
            off = self.query_one(ScreenView).cut_off
            head.append(words + (f"   {off} wider: Shift+arrows" if off else ""), ink.style("dim"))
        else:
            head.append(f"   {self._shown.value}", ink.style("dim"))
        if not self.session.is_open(link):
            head.append("   not open: Ctrl+O opens it", ink.style("straw"))
        elif view.asking:
            head.append(f"   waiting for the answer to {cut(visible_text(view.asking), 24)}", ink.style("straw"))
        elif view.evidence.last_heard_s is not None:
            quiet = mono_s() - view.evidence.last_heard_s
            head.append(f"   quiet {quiet:.1f} s" if quiet < 60 else f"   quiet {quiet / 60:.0f} min", ink.style("dim"))
            talk = self.session.talk(link)
            aside, prompt = came_aside(talk), visible_text(prompt_of(talk).decode("latin-1").strip())
            if aside and prompt:
                words = f"   it still stands at {cut(prompt, 24)}; {cut(aside, 30)} came by itself"
                head.append(words, ink.style("straw"))
        modem = self.call_words(link)
        if modem and self.session.is_open(link):
            head.append(f"   {modem}", ink.style("copper" if self.session.talk(link).call.up else "dim"))
        hint = self.echo_hint(link)
        if hint:
            head.append(f"   {hint}", ink.style("straw"))
        elif self.session.is_open(link) and view.signals.short and self.size.width >= _SIGNALS_FROM:
            head.append(f"   {view.signals.short}", ink.style("dim"))
        if not self._rows.following:
            head.append("   scrolled back, PgDn goes forward", ink.style("straw"))
        return head

    def _draw(self, row: Row, width: int) -> list[Segment]:
        return row_segments(row, width, self._shown, self.ink)

    # ---- the entry

    def suggester(self) -> Suggester | None:
        link = self.session.chosen
        if link is None:
            return None
        known = [*reversed(self.session.talk(link).history), *(text for text, _ in self.commands_of(link))]
        return SuggestFromList(dict.fromkeys(known), case_sensitive=True)

    def on_input_changed(self) -> None:
        self.preview()

    def preview(self) -> None:
        link, preview = self.session.chosen, self.query_one("#preview", Static)
        ink = self.ink
        if link is None:
            preview.update(Text(""))
            return
        if self.session.talk(link).by_key:
            preview.update(Text(""))
            return
        if self.masking.on:
            count = len(self._input.value)
            words = f"hidden: {count} characters, not shown and not kept; Ctrl+X shows what is typed"
            preview.update(Text(words, ink.style("straw"), no_wrap=True))
            return
        if link.id in self._sendings:
            preview.update(self._sendings[link.id].words(ink))
            return
        text = Text(f"ends with {link.line_end}", ink.style("ink"))
        try:
            data = to_bytes(self._input.value) + LINE_ENDS[link.line_end]
        except EscapeError as error:
            text = Text(f"✗ {error}", ink.style("brick"))
        else:
            width = max(20, self.size.width - 40)
            if any(b < 32 or b >= 127 for b in data.rstrip(b"\r\n")):
                text.append(f"   {cut(named(data), 30)}", ink.style("copper"))
            text.append("   sends ", ink.style("dim"))
            text.append(cut(hex_pairs(data), width), ink.style("copper"))
            seconds = self.session.line_of(link).seconds_for(len(data))
            if seconds >= _SLOW_S and read_endpoint(link.endpoint).has_line:
                text.append(f"   {seconds:.1f} s on the line", ink.style("straw"))
        text.no_wrap = True
        preview.update(text)

    def on_entry_line_given(self, event: EntryLine.Given) -> None:
        link = self.session.chosen
        if link is None:
            event.give_back()
            self.say(NO_LINK, "unsure")
            return
        self.session.drain(link)
        self._look_at_prompt(link)  # a prompt for a secret may have come since the last turn
        if self.masking.on:
            if not self.session.is_open(link):
                self.say("The port is not open; Ctrl+O opens it. The secret is forgotten, type it again", "bad")
            else:
                self.give_secret(link, event.text)
            return
        try:
            data = to_bytes(event.text) + LINE_ENDS[link.line_end]
        except EscapeError as error:
            event.give_back()
            self.say(str(error), "bad")
            return
        if not data:
            self.say("Nothing to send: the line is empty and its line end is none (Ctrl+N)", "unsure")
            return
        if not self.session.is_open(link):
            event.give_back()
            self.say("The port is not open; Ctrl+O opens it. What you typed is still there", "bad")
            return
        if self._lines_arrive(link):
            event.give_back()
            self.say("Lines still arrive; not sent into the wrong prompt. Enter again when it is quiet", "unsure")
            return
        history = self.session.talk(link).history
        if event.text and (not history or history[-1] != event.text):
            history.append(event.text)
            self._input.suggester = self.suggester()
        self._at_history = len(history)
        self._stop_asking()  # what is typed goes out now, also while a device talks on and on
        future = self.session.ask(link, data)
        if future is not None:
            self.say(f"sent {len(data)} bytes, waiting for the answer; Esc stops waiting")
            future.add_done_callback(self._from_hub(lambda done: self._answered(link, done)))

    def _lines_arrive(self, link: LinkRecord) -> bool:
        """Whether the device speaks by itself just now, in the middle of a prompt at which it stands."""
        talk, heard_s = self.session.talk(link), self.session.view(link).evidence.last_heard_s
        recent = heard_s is not None and mono_s() - heard_s < _STILL_S
        return recent and bool(came_aside(talk)) and bool(prompt_of(talk))

    def _answered(self, link: LinkRecord, done: Future[Answer]) -> None:
        try:
            answer = done.result()
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        text, how = answer_words(answer)
        sheet = self.session.sheet_of(link)
        family = sheet.family if sheet is not None else FAMILIES["text"]
        meant = family.in_words(answer.question.data, answer.data)
        if meant:
            self.session.drain(link)
            for words in meant:
                self.session.say(link, visible_text(words))
        if how != "good":
            self.session.drain(link)
            self.session.say(link, text)
            self._rows.rows_changed()
        self.say(text, how)

    def action_earlier(self) -> None:
        self._recall(-1)

    def action_later(self) -> None:
        self._recall(1)

    def _recall(self, step: int) -> None:
        link = self.session.chosen
        history = self.session.talk(link).history if link is not None else []
        at = self._at_history + step
        if 0 <= at <= len(history):
            self._at_history = at
            self._input.put(history[at] if at < len(history) else "")

    # ---- what can be done

    def action_line_end(self) -> None:
        link = self.session.chosen
        if link is None:
            return
        order = list(LINE_ENDS)
        after = order[(order.index(link.line_end) + 1) % len(order)] if link.line_end in order else order[0]
        try:
            self.session.change_link(replace(link, line_end=after))
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        self.say(f"Each entry now ends with {after}")
        self.preview()

    def action_screen(self) -> None:
        """Exchanges, or the device's own screen: two ways to look at one stream."""
        self._on_screen = not self._on_screen
        self.query_one(ScreenView).display = self._on_screen
        self._rows.display = not self._on_screen
        self._rows.rows_changed()
        self.query_one(ScreenView).refresh()
        self.turn()

    def action_pan_left(self) -> None:
        self.query_one(ScreenView).pan(-16)

    def action_pan_right(self) -> None:
        self.query_one(ScreenView).pan(16)

    def action_bytes_shown(self) -> None:
        self._shown = self._shown.following()
        self._rows.refresh()

    def action_page_up(self) -> None:
        self._rows.page(-1)

    def action_page_down(self) -> None:
        self._rows.page(1)

    def action_stop(self) -> None:
        """Ends what is under way on this link, and the wait for an answer."""
        if self.session.chosen is not None:
            self.stop_work(self.session.chosen)
        self._stop_asking()
