"""What comes once an answer was whole: the answer of a second unit with the same address, or somebody who speaks by
himself."""

from __future__ import annotations

import asyncio

from ordolex.core.link.judge import LineErrors
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.turns import HELD_UP_S, MADE_UP_S
from ordolex.io.system.clock import mono_s

LEAST_S = 0.06
MOST_S = 0.5


async def heard_behind(runner: LinkRunner, took_s: float | None, most_s: float = MOST_S) -> bytes:
    """Waits as long as the answer itself took: a second unit needs about as long for its own. So the next one is not
    called into it, nor is it taken for what the next one says."""
    behind = bytearray()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        behind.extend(data)

    with runner.tap.heard_by(hear):
        wait = max(LEAST_S, min(took_s or 0.0, most_s))
        until = mono_s() + wait
        await asyncio.sleep(wait)
        if (held_up_s := mono_s() - until) > HELD_UP_S:  # what came meanwhile has not been read yet
            await asyncio.sleep(min(held_up_s, MADE_UP_S))
    return bytes(behind)
