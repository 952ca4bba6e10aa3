"""Talk: questions whose answers are judged. What an answer is worth, waking as the sheet says, the loop test."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace

from textual import work

from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.loop import compare, pattern
from ordolex.core.link.question import Verdict
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.visible import visible_text
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.tui.desks.base import How
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.wording import cut
from ordolex.tui.works import Works


class Proving(Works):
    """The part of the desk that judges."""

    def _from_hub(self, work: Callable[[Future[Answer]], None]) -> Callable[[Future[Answer]], None]:
        app = self.app

        def later(done: Future[Answer]) -> None:
            if app.is_running and not done.cancelled():
                app.call_later(work, done)

        return later

    def _stop_asking(self) -> None:
        link = self.session.chosen
        runner = self.session.runner(link) if link is not None else None
        if runner is not None:
            self.session.hub.soon(runner.stop_asking)

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
        if sheet.family.addressed:
            self.say("It is asked in Set (F6): n scans for units, r reads its settings", "unsure")
            return
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
        right = answer is not None and answer.verdict is Verdict.RIGHT
        self.say(words, "good" if right else "unsure")

    @work
    async def action_loop(self) -> None:
        """Sends the pattern of the loop test and compares what comes back."""
        link = self.session.chosen
        if link is None or not self.session.is_open(link):
            self.say("Open a port first: the loop test sends a pattern and looks what comes back", "unsure")
            return
        sent = pattern(self.session.line_of(link))
        view = self.session.view(link).evidence
        there = "A device is on this line: it was heard, and the pattern would go into it. " if view.heard else ""
        choices = [("stay", "Send nothing"), ("send", f"TXD and RXD are joined at the far end: send {len(sent)} bytes")]
        title = f"Loop test: {there}Only for a line without a device"
        if await self.app.push_screen_wait(Pick(title, choices)) != "send":
            return
        self._stop_asking()
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
        self.say(text, "good" if result.equal and not errors else "bad")


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
        case Verdict.RIGHT if question.codec is not None:
            refused = question.codec.refused(answer.data)
            words = cut(visible_text(question.words(answer.data)), 70)
            return f"{'refused' if refused else 'answered'} in {ms}: {words}", "unsure" if refused else "good"
        case Verdict.RIGHT:
            return f"right answer in {ms}: {question.expected or 'as expected'}", "good"
        case Verdict.WRONG:
            return f"wrong answer in {ms}; expected {question.expected}", "unsure"
        case Verdict.ECHO:
            return f"our own bytes came back in {ms}: a loopback or an echo", "unsure"
        case _:
            return f"answer in {ms}; what a right one looks like is not known", "good"
