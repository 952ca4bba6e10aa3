"""A modem's calls on a link; what goes out and comes back is in `core/protocols/at/calls.py`."""

from __future__ import annotations

import asyncio
import contextlib

from ordolex.core.protocols.at import calls
from ordolex.core.protocols.at.results import AtReply
from ordolex.io.link.runner import LinkRunner
from ordolex.io.link.steps import perform
from ordolex.io.system.faults import Fault


async def dial(runner: LinkRunner, number: str) -> AtReply:
    """Raises ValueError for a number that cannot be dialled."""
    steps = calls.dial(number)
    try:
        return await perform(runner, steps)
    except asyncio.CancelledError:
        with contextlib.suppress(Fault):  # any character ends a call that is coming about (V.250, 6.3.1)
            await runner.out.send(b"\r")
        raise


async def escape(runner: LinkRunner) -> AtReply:
    """From data to commands; the call stays up."""
    return await perform(runner, calls.escape())


async def hang_up(runner: LinkRunner, *, in_data: bool) -> calls.HungUp:
    """By command, else by DTR."""
    return await perform(runner, calls.hang_up(in_data=in_data))
