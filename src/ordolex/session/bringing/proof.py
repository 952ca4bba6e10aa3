"""The middle: wake it, and prove it by a right answer; or by what it says by itself."""

from __future__ import annotations

from ordolex.core.link.exchange import Answer
from ordolex.core.link.ladder import Rung
from ordolex.core.link.question import Question, Verdict
from ordolex.core.link.state import Evidence
from ordolex.core.protocols.families import FAMILIES
from ordolex.core.text.charsets import UNCHOSEN, text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.patterns import search
from ordolex.core.text.visible import visible
from ordolex.core.visit.bring_up import Outcome, Standing
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match import asks
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault
from ordolex.session.bringing.state import Bringing, seen, until

_TALKS, _PAUSE_S = 2, 0.3
"""So many bursts, with such a pause between, are no late answer: it talks by itself."""
_TALKS_S, _SENTENCE_S = 5.0, 15.0
"""How long a device is waited for to say something by itself, and to say what its sheet has."""


async def wake(b: Bringing) -> Outcome:
    sheet = b.sheet()
    if sheet is None or not (sheet.wake or sheet.harmless):
        return b.took("wake", Standing.SKIPPED, "no sheet says what wakes it; nothing was sent")
    future = b.session.wake(b.the_link(), sheet)
    if future is None:
        return b.took("wake", Standing.BAD, "the port is not open")
    try:
        words, answer = await b.waited(future)
    except Fault as fault:
        return b.took("wake", Standing.BAD, str(fault))
    came = answer is not None and bool(answer.data)
    return b.took("wake", Standing.GOOD if came or "brought" in words else Standing.UNSURE, words)


async def prove(b: Bringing, typed: bytes | None = None) -> Outcome:
    """Asks what was typed, else what its sheet or the match knows, else what instruments of IEEE 488.2 know. What
    is proven at the settings of now is not asked again."""
    try:
        evidence = await b.do(seen(b.runner()))
        if evidence.rung is Rung.PROVEN and typed is None:
            return b.took("proof", Standing.GOOD, _proof_words(evidence))
        question = question_for(b, typed)
        answer = await b.do(b.runner().ask(question, at_once=True))
        evidence = await b.do(seen(b.runner()))
    except Fault as fault:
        return b.took("proof", Standing.BAD, str(fault))
    if answer.verdict is Verdict.RIGHT and evidence.rung is Rung.PROVEN:
        b.talks = False  # what was taken for that, perhaps at other settings, is answered now
        return b.took("proof", Standing.GOOD, _proof_words(evidence))
    if typed is None and question.codec is None and answer.verdict is not Verdict.ECHO:
        try:
            return await _by_itself(b, question, answer)
        except Fault as fault:
            return b.took("proof", Standing.BAD, str(fault))
    return b.took("proof", Standing.BAD, _why_not(question, answer))


async def _by_itself(b: Bringing, question: Question, answer: Answer) -> Outcome:
    """Whether it goes on speaking without being asked; one burst alone may be an answer that came late."""
    bursts = await b.do(_bursts(b.runner()))
    now = await b.do(seen(b.runner()))
    b.talks = bursts >= _TALKS
    if not b.talks:
        late = b.runner().late
        perhaps = (
            late.words if late is not None else "something came after that, perhaps late: ask again, and wait longer"
        )
        later = f"; {perhaps}" if bursts else ""
        none = f", and nothing by itself in {_TALKS_S:g} s" if not bursts and not answer.data else ""
        return b.took("proof", Standing.BAD, f"{_why_not(question, answer)}{none}{later}")
    checks = f", {now.checks_right} checksums right" if now.checks_right else ""
    if now.rung < Rung.CLEAR:
        words = "it talks by itself, and what comes does not read: other settings, or no plain text"
        return b.took("proof", Standing.BAD, words)
    words = f"it talks by itself and reads clear{checks}; it did not answer {question.text}"
    return b.took("proof", Standing.UNSURE, f"{words}: heard, not proven")


async def _bursts(runner: LinkRunner) -> int:
    """How often something comes, with a pause between, until that is often enough or the time is over."""
    count, last_s = 0, float("-inf")

    def heard(data: bytes, *rest: object) -> None:
        nonlocal count, last_s
        now = mono_s()
        count += bool(data) and now - last_s > _PAUSE_S
        last_s = now

    with runner.tap.heard_by(heard):
        await until(lambda: count >= _TALKS and runner.rung >= Rung.CLEAR, _TALKS_S)
    return count


async def recognise(b: Bringing) -> Outcome:
    """Waits for what the sheet says that the device talks like: a proof in one direction."""
    sheet, runner = b.sheet(), b.runner()
    if sheet is None or not sheet.talks:
        return b.took("proof", Standing.UNSURE, "no sheet says what it would say by itself")
    try:
        await b.do(_recognised(runner, sheet.talks))
        evidence = await b.do(seen(runner))
    except Fault as fault:
        return b.took("proof", Standing.BAD, str(fault))
    if evidence.rung is Rung.PROVEN:
        return b.took("proof", Standing.GOOD, _proof_words(evidence))
    why = "reads clear" if evidence.rung is Rung.CLEAR else "does not read clear"
    return b.took("proof", Standing.UNSURE, f"what it says {why}, and is not what its sheet has")


def question_for(b: Bringing, typed: bytes | None) -> Question:
    sheet = b.sheet()
    known = [entry.question() for entry in sheet.question] if sheet is not None else []
    known += asks.of_sheet(sheet) if sheet is not None else []
    known += [question for family in FAMILIES.values() for question in family.harmless(list(range(1, 11)))]
    wanted = typed if typed is not None else b.answered
    if wanted:
        return next((question for question in known if question.data == wanted), Question(wanted))
    if sheet is not None:
        own = [entry.question() for entry in sheet.harmless if entry.like]
        if sheet.family.framed:
            own = list(sheet.family.harmless((b.session.devices.unit_of(b.the_link()),))) or own
        if own:
            return own[0]
    return Question(b"*IDN?\n")


async def _recognised(runner: LinkRunner, talks: str) -> None:
    """Listens until the device says what its sheet has, or the time is over."""
    heard = bytearray()

    def look() -> bool:
        found = search(talks, text_of(bytes(heard), runner.charset))
        if found is not None:
            runner.recognise(found.group())
        return found is not None

    with runner.tap.heard_by(lambda data, *_: heard.extend(data)):
        await until(look, _SENTENCE_S)


def _proof_words(evidence: Evidence) -> str:
    proof = evidence.proof
    if proof is None:
        return "a right answer"
    if not proof.question:
        return f"it said {visible(proof.answer.encode())[:80]}, as its sheet has it: device → PC only"
    return f"{proof.question} → {visible(proof.answer.encode())[:80]}, {proof.ms:.0f} ms"


def _why_not(question: Question, answer: Answer) -> str:
    asked = question.text
    if not answer.data:
        return f"no answer to {asked} in {question.timeout_s:g} s"
    if answer.errors.total:
        came = counted(len(answer.data), "byte")
        return f"{came} with {answer.errors.words()} came to {asked}: the line settings do not fit"
    said = visible(answer.data[:60], answer.question.charset or UNCHOSEN)
    match answer.verdict:
        case Verdict.ECHO:
            return f"{asked} came back by itself: a loopback, or a device that echoes"
        case Verdict.WRONG:
            return f"{asked} was answered {said}; right would be {question.expected}"
        case _:
            return f"{asked} was answered {said}; whether that is right is not known"
