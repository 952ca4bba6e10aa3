"""Performs sequences on a link: the one place where their steps meet the clock and the port."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any, TypeVar

from ordolex.core.link.steps import Ask, Outputs, Quiet, Retune, Send, Step, Steps, Tell, Wait
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s

T = TypeVar("T")


async def perform(runner: LinkRunner, steps: Steps[T], tell: Callable[[str], None] = lambda words: None) -> T:
    """What the sequence comes to. Raises a Fault of the port."""
    result: Any = None
    try:
        while True:
            result = await _do(runner, steps.send(result), tell)
    except StopIteration as end:
        value: T = end.value
        return value
    finally:
        steps.close()


async def _do(runner: LinkRunner, step: Step, tell: Callable[[str], None]) -> Any:
    match step:
        case Ask(question):
            return await runner.ask(question)
        case Send(data):
            await runner.out.send(data)
        case Wait(seconds):
            await asyncio.sleep(seconds)
        case Quiet(seconds):
            sent_s = runner.view().evidence.last_sent_s
            await asyncio.sleep(max(0.0, seconds - (mono_s() - sent_s)) if sent_s is not None else 0.0)
        case Outputs(dtr, rts):
            await runner.lines.set_outputs(dtr=dtr, rts=rts)
        case Retune(line):
            await runner.retune(line)
        case Tell(words):
            tell(words)
    return None
