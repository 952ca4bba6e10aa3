"""Changes the rate of the device and of the port in lock step, and finds the fastest rate that is clean."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import replace

from ordolex.core.line.settings import LineSettings
from ordolex.core.link import rate
from ordolex.core.link.exchange import Ended
from ordolex.core.link.question import Question
from ordolex.core.link.rate import Changed
from ordolex.core.talk.rate_rows import Faults, RateRow, faults_of
from ordolex.core.text.charsets import text_of
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.steps import perform
from ordolex.io.system.clock import mono_s


async def change_rate(
    runner: LinkRunner,
    command: bytes,
    to: LineSettings,
    question: Question,
    changed: Callable[[str], None] = lambda words: None,
) -> Changed:
    """Sends the device's own command, sets the port, and asks; if nothing right comes, returns to the old rate, asks
    there, and says which of the two answers. Raises a Fault of the port."""
    before = runner.line
    steps = rate.change_rate(before, command, to, question)
    try:
        return await perform(runner, steps, changed)
    except asyncio.CancelledError:
        if runner.is_open and runner.line != before:
            await asyncio.shield(runner.retune(before))
        words = f"the change of rate was stopped: the port is at {before.baud}; the device may be at {to.baud}"
        runner.note("note", words, {})
        raise


MAY_BE_AT = "the device may be at"
_TRIES = 10
_SILENT = 3
_BAD = 2  # answers that are not clean settle it
_REST_S = 3.0  # how long the rest of an answer is waited for


class NotAlike(Exception):
    """At the rate in use already nothing comes that others can be compared with. The message says why, and what to
    do."""


async def clean_rates(
    runner: LinkRunner,
    rates: Sequence[int],
    command_for: Callable[[int], bytes],
    question: Question,
    times: int = 5,
    found: Callable[[RateRow], None] = lambda row: None,
    stopped: Callable[[], bool] = lambda: False,
) -> list[RateRow]:
    """Goes up through `rates`, asks each time the same and compares, and goes back to the fastest clean one, the last
    good one, where a step fails. The first row is the rate in use. Where it is `stopped` on the way, both go back as
    well, and that rate has no row. Raises NotAlike, or a Fault of the port."""
    right = await _right_answer(runner, question)
    whole = _until_all_is_there(question, right)
    best = runner.line
    rows = [await _row(runner, whole, right, times)]
    found(rows[0])
    for baud in sorted(baud for baud in set(rates) if baud > best.baud):
        if stopped():
            break
        line = best.changed(baud=baud)
        refused = await _step(runner, command_for(baud), line, whole)
        row = RateRow(baud, trouble=refused)
        if not refused:
            row = await _row(runner, whole, right, times, right_before=False)
        if not (row.clean or refused):
            lost = await _back(runner, command_for(best.baud), best, question)
            row = replace(row, trouble=lost) if lost else row
        elif stopped() and not refused:  # it was not asked as often as it was to be
            lost = await _back(runner, command_for(best.baud), best, question)
            rows += [RateRow(baud, trouble=lost)] if lost else []
            break
        rows.append(row)
        found(row)
        if row.clean:
            best = line
        elif not refused:
            break
    return rows


async def _step(runner: LinkRunner, command: bytes, line: LineSettings, question: Question) -> str:
    """Both to another rate; why the device refused, nothing where it did not. What is heard in the middle of the change
    says nothing about the new rate, so it is asked once without looking."""
    if command:
        told = await runner.ask(Question(command, timeout_s=1.0))
        if rate.refuses(told.data):
            return f"the device refused: {visible_text(text_of(told.data, runner.charset).strip()[-40:])}"
        await asyncio.sleep(rate.SETTLE_S)
    await runner.retune(line)
    for turn in range(2):
        if rate.understood(await runner.ask(question, at_once=turn > 0)):
            break
    return ""


async def _back(runner: LinkRunner, command: bytes, best: LineSettings, question: Question) -> str:
    """Both back to a rate that was good: the device is told at the rate that failed, for it may understand there. Why
    that failed, nothing where it did not."""
    failed = runner.line.baud
    if command:
        await runner.out.send(command)
        await asyncio.sleep(rate.SETTLE_S)
    await runner.retune(best)
    for _ in range(rate.BACK_TRIES):
        if rate.understood(await runner.ask(question)):
            return ""
        await asyncio.sleep(rate.BACK_S)
    return f"not clean, and no right answer at {best.baud} any more: {MAY_BE_AT} {failed}; Match (F4) finds it"


async def _right_answer(runner: LinkRunner, question: Question) -> bytes:
    """What comes at the rate in use, twice alike and without line errors. One that comes late, at a slow rate or where
    the computer is busy, is cut somewhere, and its end may stand before the next: neither is held against it."""
    before, silent, clean = b"", 0, True
    for _ in range(_TRIES):
        answer = await runner.ask(question)
        silent = 0 if answer.data else silent + 1
        if silent == _SILENT:
            raise NotAlike("nothing answers at the rate in use; ask something that it answers")
        clean = not answer.errors.total
        if answer.data and answer.data == before and clean:
            return before
        before = b"" if answer.ended is Ended.LATE else answer.data
    if not clean:
        raise NotAlike("there are line errors at the rate in use already; Match (F4) finds the line settings")
    raise NotAlike("the answers differ at the rate in use already; ask something constant")


def _until_all_is_there(question: Question, right: bytes) -> Question:
    """A silence in the middle of an answer, as of a computer that is busy, says nothing of the rate, and what comes
    behind it is not missing."""
    behind_echo = right.removeprefix(question.data)
    if question.codec is not None or question.until is not None or not behind_echo:
        return question
    return replace(question, until=behind_echo, size=len(right), timeout_s=max(question.timeout_s, _REST_S))


async def _row(
    runner: LinkRunner, question: Question, right: bytes, times: int, *, right_before: bool = True
) -> RateRow:
    """`right_before`: the answer that came before these was as it should be."""
    faults, errors, asked, bad, began_s = Faults(), 0, 0, 0, mono_s()
    while asked < times and bad < _BAD:
        # behind one that was not clean, or not the right one, nothing more is waited for: that was done already
        answer = await runner.ask(question, at_once=bad > 0 or not right_before)
        if answer.ended is Ended.STOPPED:
            break
        asked += 1
        errors += answer.errors.total
        found = faults_of(right, answer.data)
        bad += bool(found.total or answer.errors.total)
        faults = faults.plus(found)
    return RateRow(runner.line.baud, asked * len(right), faults, errors, mono_s() - began_s)
