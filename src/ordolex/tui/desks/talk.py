"""Talk: the conversation. What is typed goes out with its line end; what comes back stands below it with its time."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace

from rich.segment import Segment
from rich.text import Text
from textual import work
from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.suggester import Suggester, SuggestFromList
from textual.widgets import Static

from ordolex.core.endpoint import read_endpoint
from ordolex.core.line.notation import read_line
from ordolex.core.link.conversation import Row
from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.loop import compare, pattern
from ordolex.core.link.question import Question, Verdict
from ordolex.core.record import LinkRecord
from ordolex.core.text.escapes import EscapeError, named, to_bytes
from ordolex.core.text.visible import hex_pairs, visible_text
from ordolex.io.clock import mono_s
from ordolex.io.faults import Fault
from ordolex.io.sheets import all_sheets
from ordolex.tui.commands import TALK, bindings
from ordolex.tui.desks.base import Desk, How
from ordolex.tui.readings import line_reading
from ordolex.tui.session import LINE_ENDS, Session
from ordolex.tui.talk.keys import KeyByKey, Masking, came_aside, prompt_of
from ordolex.tui.talk.line_work import LineWork
from ordolex.tui.theme import SENT
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.frame import HeadLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.prompts import LinePrompt, Pick
from ordolex.tui.widgets.row_view import RowView
from ordolex.tui.widgets.rows import Shown, row_segments
from ordolex.tui.widgets.screen_view import ScreenView
from ordolex.tui.widgets.wording import cut

_EMPTY = "Nothing passed yet. Type a question below, Enter sends it. A device that talks by itself shows here unasked."
_FLOOD_ROWS = 20  # rows in one turn above which the screen is drawn less often: nobody reads so fast
_FLOOD_TURNS = 4
_STILL_S = 0.4  # after a line that came by itself, another may follow
_NO_LINK = "No link is chosen. F2 shows the ports; Enter there opens one."


class TalkDesk(KeyByKey, LineWork, Desk):
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
        self._rows.empty_text = _EMPTY if link is not None else _NO_LINK
        self._rows.show_rows(self.session.talk(link).rows if link is not None else ())
        history = self.session.talk(link).history if link is not None else []
        self._at_history = len(history)
        if link is not None and not history and not self._input.value and link.first_question:
            self._input.put(link.first_question)
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
            self._rows.rows_changed(max(0, length + talk.added - before - len(talk.rows)))
        else:
            self._flood = False
        if self._on_screen and (seen_link, before) != (link.id, talk.added):
            self.query_one(ScreenView).refresh()
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
        self.masking.look(prompt_of(self.session.talk(link)))
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
        text.no_wrap = True
        preview.update(text)

    def on_entry_line_given(self, event: EntryLine.Given) -> None:
        link = self.session.chosen
        if link is None:
            event.give_back()
            self.say(_NO_LINK, "unsure")
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

    def _from_hub(self, work: Callable[[Future[Answer]], None]) -> Callable[[Future[Answer]], None]:
        app = self.app

        def later(done: Future[Answer]) -> None:
            if app.is_running and not done.cancelled():
                app.call_later(work, done)

        return later

    def _answered(self, link: LinkRecord, done: Future[Answer]) -> None:
        try:
            answer = done.result()
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        text, how = answer_words(answer)
        if how != "good":
            self.session.drain(link)
            self.session.say(link, text)
            self._rows.rows_changed()
        self.say(text, how)

    @work
    async def action_wake(self) -> None:
        link = self.session.chosen
        if link is None or not self.session.is_open(link):
            self.say("Open a port first: F2 shows the ports", "unsure")
            return
        sheet = self.session.sheet_of(link)
        if sheet is None:
            sheets = all_sheets()[0]
            choices = [(s.name, f"{s.name:22} {s.device}") for s in sheets.values() if s.wake or s.harmless]
            name = await self.app.push_screen_wait(Pick("Which device is it?", choices))
            if name is None:
                return
            sheet = sheets[name]
            link = self.session.change_link(replace(link, sheet=name))
        if not sheet.wake and not sheet.harmless:
            self.say(f"The sheet {sheet.name} wakes nothing and asks nothing: this device talks by itself", "unsure")
            return
        self._stop_asking()
        future = self.session.wake(link, sheet)
        if future is None:
            return
        self.say(f"waking {visible_text(sheet.device)} as its sheet says; Esc stops")
        try:
            words, answer = await asyncio.wrap_future(future)
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        self.session.drain(link)
        self.session.say(link, f"wake: {words}")
        self._rows.rows_changed()
        right = answer is not None and answer.verdict is Verdict.RIGHT
        self.say(words, "good" if right else "unsure")

    def action_loop(self) -> None:
        """Sends the pattern of the loop test and compares what comes back."""
        link = self.session.chosen
        if link is None or not self.session.is_open(link):
            self.say("Open a port first: the loop test sends a pattern and looks what comes back", "unsure")
            return
        self._stop_asking()
        sent = pattern(self.session.line_of(link))
        future = self.session.ask(link, sent)
        if future is not None:
            self.say(f"loop test: {len(sent)} bytes sent")
            future.add_done_callback(self._from_hub(lambda done: self._looped(link, sent, done)))

    def _looped(self, link: LinkRecord, sent: bytes, done: Future[Answer]) -> None:
        try:
            answer = done.result()
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        result = compare(sent, answer.data)
        ms = f", {answer.last_s * 1000:.0f} ms" if answer.last_s is not None else ""
        errors = f", {answer.errors.words()}" if answer.errors.total else ""
        text = f"loop test: {result.words()}{ms}{errors}"
        self.session.drain(link)
        self.session.say(link, text)
        self._rows.rows_changed()
        self.say(text, "good" if result.equal and not errors else "bad")

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

    def _stop_asking(self) -> None:
        link = self.session.chosen
        runner = self.session.runner(link) if link is not None else None
        if runner is not None:
            self.session.hub.soon(runner.stop_asking)

    def action_open_or_release(self) -> None:
        link = self.session.chosen
        if link is None:
            self.say(_NO_LINK, "unsure")
        elif self.session.is_open(link):
            self._leave(link)
        else:
            self.post_message(self.OpenWanted(link))

    def still_open(self, link: LinkRecord) -> str:
        """The prompt at which the device's sheet says that something is still open; nothing where it is not."""
        sheet = self.session.sheet_of(link)
        leave = sheet.leave if sheet is not None else None
        prompt = prompt_of(self.session.talk(link)).decode("latin-1")
        open_there = leave is not None and self.session.is_open(link) and re.search(leave.open, prompt)
        return visible_text(prompt.strip()) if open_there else ""

    @work
    async def _leave(self, link: LinkRecord) -> None:
        """Releases the port; where the device's sheet says that something is still open there, asks first."""
        sheet = self.session.sheet_of(link)
        leave = sheet.leave if sheet is not None else None
        prompt = self.still_open(link)
        if leave is not None and prompt:
            closing = named(to_bytes(leave.send))
            choices = [
                ("properly", f"Leave it properly: send {closing}, then release the port"),
                ("release", "Just release the port; the device stays where it is"),
                ("stay", "Stay"),
            ]
            how = await self.app.push_screen_wait(Pick(f"The device stands at {prompt}", choices))
            if how not in ("properly", "release"):
                return
            runner = self.session.runner(link)
            if how == "properly" and runner is not None:
                question = Question(to_bytes(leave.send), timeout_s=2.0, like=f"(?s).*{leave.done}.*")
                answer = await asyncio.wrap_future(self.session.hub.call(runner.ask(question)))
                if answer.verdict is not Verdict.RIGHT:
                    self.say("it did not say that it is closed; the port stays open. Ctrl+O asks again", "bad")
                    return
        self.post_message(self.ReleaseWanted(link))

    @work
    async def action_settings(self) -> None:
        link = self.session.chosen
        if link is None or not read_endpoint(link.endpoint).has_line:
            self.say(_NO_LINK if link is None else "Raw TCP has no line settings", "unsure")
            return
        typed = await self.app.push_screen_wait(
            LinePrompt(
                f"Line settings of {visible_text(link.name)}",
                link.line,
                line_reading,
                "Enter sets the port at once, Esc leaves it as it is",
            )
        )
        if typed is None:
            return
        settings = read_line(typed).settings
        try:
            link = self.session.change_link(replace(link, line=settings.text, source="typed"))
        except Fault as fault:
            self.say(str(fault), "bad")
            return
        runner = self.session.runner(link)
        if runner is None:
            self.say(f"{settings.text} is kept for when the port is opened")
            return
        future = self.session.hub.call(runner.retune(settings))
        try:
            await asyncio.wrap_future(future)
        except Fault as fault:
            self.say(str(fault), "bad")
        else:
            self.say(f"The port is now at {settings.text}; what was proven at the old settings is no proof any more")


def answer_words(answer: Answer) -> tuple[str, How]:
    """What an answer is worth, in a sentence, and how good that is."""
    question = answer.question
    ms = f"{answer.last_s * 1000:.0f} ms" if answer.last_s is not None else ""
    if answer.ended is Ended.STOPPED:
        return "stopped waiting; what came is kept", "plain"
    if answer.ended is Ended.LOST:
        return "the port went away before the answer ended", "bad"
    if answer.verdict is Verdict.NONE:
        return f"no answer in {question.timeout_s:g} s", "unsure"
    if answer.errors.total:
        return f"{len(answer.data)} bytes with {answer.errors.words()}: the line settings do not fit", "bad"
    match answer.verdict:
        case Verdict.RIGHT:
            return f"right answer in {ms}: {question.expected or 'as expected'}", "good"
        case Verdict.WRONG:
            return f"wrong answer in {ms}; expected {question.expected}", "unsure"
        case Verdict.ECHO:
            return f"our own bytes came back in {ms}: a loopback or an echo", "unsure"
        case _:
            return f"answer in {ms}; what a right one looks like is not known", "good"
