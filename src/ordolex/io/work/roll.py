"""Listens while a device's points are tested, and ticks each as the device speaks of it. It sends nothing."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from ordolex.core.link.judge import LineErrors
from ordolex.core.talk.points import Roll
from ordolex.core.text.lines import LineCutter
from ordolex.core.text.visible import visible
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import utc_us


async def call_roll(
    runner: LinkRunner, roll: Roll, ticked: Callable[[str, str], None] = lambda name, line: None
) -> None:
    """Returns when every point is ticked; cancel to stop before. `ticked` gets each point with the line."""
    cutter = LineCutter()
    done = asyncio.Event()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        for line in cutter.receive(data, at_s):
            text = visible(line.data.rstrip(b"\r\n"))
            for name in roll.hear(text, utc_us(at_s)):
                ticked(name, text)
        if not roll.remaining:
            done.set()

    with runner.tap.heard_by(hear):
        await done.wait()
