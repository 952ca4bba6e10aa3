"""Changes the rate of the device and of the port in lock step, and finds the fastest rate that is clean."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.link import rate
from ordolex.core.link.question import Question
from ordolex.core.link.rate import Changed
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.steps import perform


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
