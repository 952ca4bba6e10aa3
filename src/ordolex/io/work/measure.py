"""Asks one question many times and measures the answers."""

from __future__ import annotations

from collections.abc import Callable

from ordolex.core.link.question import Question, Verdict
from ordolex.core.record.runs import Run
from ordolex.io.link.runner import LinkRunner


async def measure(
    runner: LinkRunner, name: str, conditions: str, question: Question, times: int,
    changed: Callable[[int], None] = lambda done: None,
) -> Run:  # fmt: skip
    """Raises a Fault where the port is gone."""
    right: list[float] = []
    wrong = silent = 0
    for number in range(times):
        answer = await runner.ask(question)
        if (
            answer.verdict in (Verdict.RIGHT, Verdict.UNJUDGED)
            and answer.last_s is not None
            and not answer.errors.total
        ):
            right.append(round(answer.last_s * 1000, 2))
        elif answer.data:
            wrong += 1
        else:
            silent += 1
        changed(number + 1)
    return Run(name, conditions, question.text, times, wrong, silent, tuple(right))
