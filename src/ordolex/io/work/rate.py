"""Changes the rate of the device and of the port in lock step, and finds the fastest rate that is clean."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer
from ordolex.core.link.question import Question
from ordolex.core.text.visible import visible_text
from ordolex.io.link.runner import LinkRunner

_SETTLE_S = 0.3
_BACK_TRIES = 7
_BACK_S = 1.0


@dataclass(frozen=True, slots=True)
class Changed:
    """proven: whether the device answers at the wanted rate. line: where both ends are now, as far as is known."""

    proven: bool
    line: LineSettings
    words: str


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
    try:
        return await _change(runner, command, to, question, changed)
    except asyncio.CancelledError:
        if runner.is_open and runner.line != before:
            await asyncio.shield(runner.retune(before))
        words = f"the change of rate was stopped: the port is at {before.baud}; the device may be at {to.baud}"
        runner.note("note", words, {})
        raise


async def _change(
    runner: LinkRunner, command: bytes, to: LineSettings, question: Question, changed: Callable[[str], None]
) -> Changed:
    before = runner.line
    if command:
        changed(f"telling the device: {to.baud}")
        told = await runner.ask(Question(command, timeout_s=1.0))
        if refuses(told.data):
            said = visible_text(told.data.decode("latin-1").strip()[-40:])
            words = f"the device refused: {said}; nothing was changed, both are at {before.baud}"
            return Changed(False, before, words)
        await asyncio.sleep(_SETTLE_S)
    await runner.retune(to)
    changed(f"asking at {to.baud}")
    for attempt in range(2):
        answer = await runner.ask(question)
        if understood(answer):
            if attempt:  # what was heard in the middle of the change says nothing about the new rate
                await runner.retune(to)
                answer = await runner.ask(question)
            return Changed(True, to, f"both are at {to.baud} now: {len(answer.data)} bytes answered without errors")
    await runner.retune(before)
    for number in range(_BACK_TRIES):
        changed(f"back at {before.baud}, asking, try {number + 1}")
        answer = await runner.ask(question)
        if understood(answer):
            return Changed(False, before, f"no right answer at {to.baud}; both are back at {before.baud}")
        await asyncio.sleep(_BACK_S)
    words = f"no right answer at {to.baud}, and none at {before.baud} any more; Match (F4) finds where the device is"
    return Changed(False, before, words)


_REFUSED = re.compile(
    rb"(?:^|\W)(?:ERROR|ERR|INVALID|REFUSED|DENIED|NOT SUPPORTED|UNKNOWN|ILLEGAL|BAD|FAILED|NAK)(?:\W|$)",
    re.IGNORECASE,
)


def refuses(answer: bytes) -> bool:
    """Whether a device's answer to a command says no: NAK, or one of the usual words."""
    return b"\x15" in answer or _REFUSED.search(answer) is not None


def understood(answer: Answer) -> bool:
    """Whether something readable came without line errors. It may stand at another prompt than was expected, or be an
    echo: that is no matter of the rate."""
    if not answer.data or answer.errors.total:
        return False
    good = sum(32 <= byte < 127 or byte in b"\r\n\t\x1b\x08" for byte in answer.data)
    return good >= 0.9 * len(answer.data)


@dataclass(frozen=True, slots=True)
class RateRow:
    """What one rate gave: how often was asked, how often it was right, and the line errors."""

    baud: int
    asked: int
    right: int
    errors: int

    @property
    def clean(self) -> bool:
        return self.right == self.asked and not self.errors


async def clean_rates(
    runner: LinkRunner,
    rates: Sequence[int],
    command_for: Callable[[int], bytes],
    question: Question,
    times: int = 5,
    found: Callable[[RateRow], None] = lambda row: None,
) -> list[RateRow]:
    """Goes up through `rates`, asks each time the same and compares, and ends at the fastest clean one. The answer to
    `question` must be the same every time. Raises a Fault of the port."""
    rows: list[RateRow] = []
    best = runner.line
    first = await runner.ask(question)
    for baud in sorted(rates):
        line = runner.line.changed(baud=baud)
        if line != runner.line:
            step = await change_rate(runner, command_for(baud), line, question)
            if not step.proven:
                rows.append(RateRow(baud, 2, 0, 0))
                found(rows[-1])
                break
        right = errors = 0
        for _ in range(times):
            answer = await runner.ask(question)
            right += answer.data == first.data and not answer.errors.total
            errors += answer.errors.total
        rows.append(RateRow(baud, times, right, errors))
        found(rows[-1])
        if not rows[-1].clean:
            break
        best = line
    if runner.line != best:
        await change_rate(runner, command_for(best.baud), best, question)
    return rows
