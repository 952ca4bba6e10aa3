"""Talk: waking a device as its sheet says, and the loop test."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from ordolex.core.link.loop import compare, pattern
from ordolex.core.link.question import Question, Verdict
from ordolex.core.text.charsets import text_of
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.session.links import line_of
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.widgets.prompts import Pick


def an_open_port(at: TalkAt) -> str:
    is_open = at.chosen is not None and at.session.is_open(at.chosen)
    return "" if is_open else "Open a port first: F2 shows the ports"


async def wake(at: TalkAt) -> None:
    link = at.link
    sheet = at.session.devices.sheet_of(link)
    if sheet is None:
        sheets = all_sheets()[0]
        choices = [(s.name, f"{s.name:22} {s.device}") for s in sheets.values() if s.wake or s.harmless]
        name = await at.ask(Pick("Which device is it?", choices))
        if name is None:
            return
        sheet = sheets[name]
        if not at.change_link(replace(link, sheet=name)):
            return
        link = at.link
    if sheet.family.addressed:
        at.say("It is asked in Set (F6): n scans for units, r reads its settings", "unsure")
        return
    if not sheet.wake and not sheet.harmless:
        at.say(f"The sheet {sheet.name} wakes nothing and asks nothing: this device talks by itself", "unsure")
        return
    at.stop_asking()
    turn = at.new_turn()
    future = at.session.wake(link, sheet)
    if future is None:
        return
    at.say(f"waking {visible_text(sheet.device)} as its sheet says; Esc stops")
    try:
        words, answer = await asyncio.wrap_future(future)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    at.session.talks.drain(link)
    at.session.talks.say(link, f"wake: {words}")
    right = answer is not None and answer.verdict is Verdict.RIGHT
    at.say_of(turn, words, "good" if right else "unsure")


def accept(at: TalkAt) -> None:
    """The last answer is right: it is the link's question from now on, and proves it."""
    link = at.link
    answer = at.session.talks.of(link).answered
    if answer is None:
        at.say("Nothing was answered yet: ask first; Ins then takes the answer for right", "unsure")
        return
    try:
        question = at.session.accepted.accept(link, answer)
    except ValueError as error:
        at.say(str(error), "unsure")
        return
    ms = (answer.last_s or 0.0) * 1000
    said = text_of(answer.data, at.link.charset).strip()
    at.session.hub.call(_shown(at.runner, question, said, ms))
    if not link.first_question:
        at.change_link(replace(link, first_question=question.text))
    at.tell(
        f"{visible_text(question.text)} is answered like {visible_text(said[:60])}: it proves this link from now on",
        good=True,
    )


async def _shown(runner: LinkRunner, question: Question, said: str, ms: float) -> None:
    runner.shown_right(question.text, said[:80], ms, question)


async def loop(at: TalkAt) -> None:
    """Sends the pattern of the loop test and compares what comes back."""
    link = at.link
    sent = pattern(line_of(link))
    view = at.session.view(link).evidence
    there = "A device is on this line: it was heard, and the pattern would go into it. " if view.heard else ""
    choices = [("stay", "Send nothing"), ("send", f"TXD and RXD are joined at the far end: send {len(sent)} bytes")]
    title = f"Loop test: {there}Only for a line without a device"
    if await at.ask(Pick(title, choices)) != "send":
        return
    at.stop_asking()
    turn = at.new_turn()
    future = at.session.ask(link, sent)
    if future is None:
        return
    at.say(f"loop test: {len(sent)} bytes sent")
    try:
        answer = await asyncio.wrap_future(future)
    except Fault as fault:
        at.say(str(fault), "bad")
        return
    result = compare(sent, answer.data)
    ms = f", {answer.last_s * 1000:.0f} ms" if answer.last_s is not None else ""
    errors = f", {answer.errors.words()}" if answer.errors.total else ""
    text = f"loop test: {result.words()}{ms}{errors}"
    at.session.talks.drain(link)
    at.session.talks.say(link, text)
    at.say_of(turn, text, "good" if result.equal and not errors else "bad")
