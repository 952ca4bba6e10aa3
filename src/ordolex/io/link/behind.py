"""What comes once an answer was whole: the answer of a second unit with the same address, or somebody who speaks by
himself."""

from __future__ import annotations

import asyncio

from ordolex.core.link.judge import LineErrors
from ordolex.io.link.runner import LinkRunner

LEAST_S = 0.06
MOST_S = 0.5


async def heard_behind(runner: LinkRunner, took_s: float | None, most_s: float = MOST_S) -> bytes:
    """Waits as long as the answer itself took: a second unit needs about as long for its own. So the next one is not
    called into it, nor is it taken for what the next one says."""
    behind = bytearray()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        behind.extend(data)

    with runner.tap.heard_by(hear):
        await asyncio.sleep(max(LEAST_S, min(took_s or 0.0, most_s)))
    return bytes(behind)
