"""Talk: what is typed goes out. Whole lines, whose answers are judged; single keys; secrets."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable
from concurrent.futures import Future

from ordolex.core.link.exchange import Answer, Ended
from ordolex.core.link.question import Verdict
from ordolex.core.link.secrets import head_of_command
from ordolex.core.protocols.at.call import State
from ordolex.core.protocols.at.danger import dangers_of
from ordolex.core.protocols.families import FAMILIES
from ordolex.core.text.charsets import CharsetError, encoded
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import EscapeError, lines_of, to_bytes, typed
from ordolex.core.text.keys import key_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.system.clock import mono_s
from ordolex.session.session import LINE_ENDS
from ordolex.session.stands_at import came_aside, prompt_of
from ordolex.tui.desks.at import How
from ordolex.tui.desks.talk.at import TalkAt
from ordolex.tui.desks.talk.files import paste
from ordolex.tui.job import NO_LINK
from ordolex.tui.widgets.entry_line import EntryLine
from ordolex.tui.widgets.key_pad import KeyPad
from ordolex.tui.widgets.prompts import Pick
from ordolex.tui.widgets.wording import cut

_STILL_S = 0.4  # after a line that came by itself, another may follow


def line_given(at: TalkAt, given: EntryLine.Given) -> Awaitable[None] | None:
    """Sends a line that was given, as a question or as a secret; what is left to await. None where it does not go out,
    which is said then."""
    link = at.chosen
    if link is None:
        given.give_back()
        at.say(NO_LINK, "unsure")
        return None
    at.session.talks.drain(link)
    at.entry.look_at_prompt(link)  # a prompt for a secret may have come since the last turn
    if at.entry.masking.on:
        if not at.session.is_open(link):
            at.say("The port is not open; Ctrl+O opens it. The secret is forgotten, type it again", "bad")
            return None
        return _give_secret(at, given.text)
    try:
        data = to_bytes(given.text, link.reads_in) + LINE_ENDS[link.line_end]
    except (EscapeError, CharsetError) as error:
        given.give_back()
        at.refuse(str(error))
        return None
    if not data:
        at.say("Nothing to send: the line is empty and its line end is none (Ctrl+N)", "unsure")
    elif not at.session.is_open(link):
        given.give_back()
        at.say("The port is not open; Ctrl+O opens it. What you typed is still there", "bad")
    elif _lines_arrive(at):
        given.give_back()
        at.new_turn()  # what comes of an earlier question is not said over it
        at.say("Lines still arrive; not sent into the wrong prompt. Enter again when it is quiet", "unsure")
    else:
        at.entry.remember(given.text)
        return ask(at, data)
    return None


async def ask(at: TalkAt, data: bytes) -> None:
    """Asks it now, also while a device talks on and on, and says what the answer is worth. Raises a Fault."""
    link = at.link
    if not await _is_meant(at, data):
        return
    at.stop_asking()
    turn = at.new_turn()
    future = at.session.ask(link, data)
    if future is None:
        return
    at.say(f"sending {counted(len(data), 'byte')}, then waiting for the answer; Esc stops waiting")
    answer = await asyncio.wrap_future(future)
    at.session.talks.of(link).answered = answer
    text, how = answer_words(answer)
    sheet = at.session.devices.sheet_of(link)
    family = sheet.family if sheet is not None else FAMILIES["text"]
    meant = family.in_words(answer.question.data, answer.data)
    at.session.talks.drain(link)
    for words in meant or ():
        at.session.talks.say(link, visible_text(words))
    if how != "good":
        at.session.talks.say(link, text)
        at.rows.rows_changed()
    at.say_of(turn, text, how)


async def _is_meant(at: TalkAt, data: bytes) -> bool:
    """A modem's command that can cut off or lose something is asked about first; in a call it is the far end's."""
    sheet = at.session.devices.sheet_of(at.link)
    dials = sheet.family.dials if sheet is not None else data[:2].upper() == b"AT"
    if not dials or at.session.talks.of(at.link).call.state is State.DATA:
        return True
    dangers = dangers_of(data)
    if not dangers:
        return True
    choices = [("no", "Send nothing"), ("yes", f"Send {visible_text(typed(data.strip(), at.link.reads_in))}")]
    answer = await at.ask(Pick("Send this to the modem?", choices, visible_text("; ".join(dangers))))
    if answer != "yes":
        at.entry.put(typed(data.strip(), at.link.reads_in))
        at.say("nothing was sent; what you typed is still there", "unsure")
    return answer == "yes"


def _lines_arrive(at: TalkAt) -> bool:
    """Whether the device speaks by itself just now, in the middle of a prompt at which it stands."""
    talk, heard_s = at.session.talks.of(at.link), at.session.view(at.link).evidence.last_heard_s
    recent = heard_s is not None and mono_s() - heard_s < _STILL_S
    return recent and bool(came_aside(talk)) and bool(prompt_of(talk))


def _give_secret(at: TalkAt, text: str) -> Awaitable[None] | None:
    """Sends a line that nobody is to see, with its line end. It is masked no more at once; what came of it is said."""
    link, masking = at.link, at.entry.masking
    try:
        secret = encoded(text, link.reads_in, which="a character of it")
    except CharsetError as error:
        at.refuse(f"Nothing was sent, what was typed is forgotten: {error}")
        return None
    head = b"" if masking.asked else head_of_command(secret)
    secret = secret[len(head) :]
    at.new_turn()
    going = [at.session.send(link, head)] if head else []
    going.append(at.session.send_secret(link, secret, LINE_ENDS[link.line_end]))
    masking.over()
    at.entry.show()
    return _said(at, going, f"sent {counted(len(secret), 'byte')}, not kept, and {link.line_end}")


async def _said(at: TalkAt, going: list[Future[None] | None], words: str = "") -> None:
    """Says that it went out once it has. Raises a Fault where it did not."""
    for future in going:
        if future is None:
            at.say("The port is not open any more; Ctrl+O opens it", "bad")
            return
        await asyncio.wrap_future(future)
    if words:
        at.say(words, "good")


def key_pressed(at: TalkAt, event: KeyPad.Pressed) -> Awaitable[None] | None:
    """A single key goes out at once, as a secret where the device's echo stopped; what is left to await."""
    link, masking = at.entry.link_by_key(), at.entry.masking
    if link is None:
        return None
    talk = at.session.talks.of(link)
    try:
        data = key_bytes(
            event.key, event.character, line_end=link.line_end, backspace=talk.backspace, charset=link.reads_in
        )
    except CharsetError as error:
        at.refuse(f"It was not sent: {error}")
        return None
    if not data:
        return None
    at.session.talks.drain(link)
    at.entry.look_at_prompt(link)  # a prompt for a secret may have come since the last turn
    kept = talk.echo.stopped(mono_s())
    if kept and not masking.on and event.key != "enter":
        masking.turn_over()
        at.entry.show()
        at.say(f"its echo stopped, so what you type now is hidden; kept before it: {counted(kept, 'key')}", "unsure")
    if not at.session.is_open(link):
        at.say("The port is not open; Ctrl+O in line entry opens it", "bad")
        return None
    if not masking.on:
        talk.echo.typed(data, mono_s())
        return _said(at, [at.session.send(link, data)])
    if event.key != "enter":
        masking.key_given(talk.added)
        return _said(at, [at.session.send_secret(link, data, whole=False)])
    going = at.session.send_secret(link, b"", data)
    talk.echo.over()
    masking.over()
    return _said(at, [going])


def pasted(at: TalkAt, text: str) -> Awaitable[None] | None:
    """What was pasted: as a secret where one is asked for; key by key as keys if it is one line; else as lines at a
    pace. What is left to await."""
    link, lines = at.link, lines_of(text)
    talk = at.session.talks.of(link)
    at.session.talks.drain(link)
    at.entry.look_at_prompt(link)
    if not lines:
        return None
    if not at.entry.masking.on and not (talk.by_key and lines == [text]):
        return paste(at, text)
    if len(lines) > 1:
        at.say(
            f"A secret is asked for, and {len(lines)} lines were pasted: nothing was sent; paste one line",
            "unsure",
        )
        return None
    try:
        data = encoded(lines[0], link.reads_in, which="a character of it" if at.entry.masking.on else "")
    except CharsetError as error:
        at.refuse(f"Nothing was sent: {error}")
        return None
    if at.entry.masking.on:
        at.entry.masking.key_given(talk.added)
        return _said(at, [at.session.send_secret(link, data, whole=False)], "pasted, and not kept; Enter gives it")
    talk.echo.typed(data, mono_s())
    return _said(at, [at.session.send(link, data)])


def _when(answer: Answer) -> str:
    """When it began, and when it was whole: the first is what stands at its row."""
    if answer.last_s is None or answer.first_s is None:
        return ""
    first, last = round(answer.first_s * 1000), round(answer.last_s * 1000)
    return f"{last} ms" if first == last else f"{first} ms, whole at {last} ms"


def answer_words(answer: Answer) -> tuple[str, How]:
    """What an answer is worth, in a sentence, and how good that is."""
    question = answer.question
    ms = _when(answer)
    if answer.ended is Ended.STOPPED:
        return "stopped waiting; what came is kept", "plain"
    if answer.ended is Ended.LOST:
        return "the port went away before the answer ended", "bad"
    if answer.verdict is Verdict.NONE:
        return f"no answer in {question.timeout_s:g} s", "unsure"
    if answer.errors.total:
        return f"{counted(len(answer.data), 'byte')} with {answer.errors.words()}: the line settings do not fit", "bad"
    match answer.verdict:
        case Verdict.RIGHT if question.codec is not None:
            refused = question.codec.refused(answer.data)
            words = cut(visible_text(question.words(answer.data)), 70)
            return f"{'refused' if refused else 'answered'} after {ms}: {words}", "unsure" if refused else "good"
        case Verdict.RIGHT:
            return f"right answer after {ms}: {question.expected or 'as expected'}", "good"
        case Verdict.WRONG:
            return f"wrong answer after {ms}; expected {question.expected}", "unsure"
        case Verdict.ECHO:
            return f"our own bytes came back after {ms}: a loopback or an echo", "unsure"
        case _:
            return f"answer after {ms}; whether it is right is not known: Ins takes it so", "good"
