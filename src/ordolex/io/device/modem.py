"""A modem's calls: dialling, coming back to its command state, hanging up by command and by DTR."""

from __future__ import annotations

import asyncio
import contextlib

from ordolex.core.link.question import Question
from ordolex.core.protocols.at.call import ESCAPE, GUARD_S
from ordolex.core.protocols.at.results import AtReply, read_reply
from ordolex.core.protocols.codecs import AtCodec
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import Fault

_DIAL_S = 60.0
_DTR_S = 0.6


async def command(runner: LinkRunner, text: bytes, timeout_s: float = 3.0) -> AtReply:
    """One command line without its CR, and its answer; an empty result where none came. Raises Faults."""
    data = text if text == ESCAPE else text + b"\r"
    answer = await runner.ask(Question(data, timeout_s=timeout_s, codec=AtCodec(data)))
    return read_reply(data, answer.data)


async def dial(runner: LinkRunner, number: str) -> AtReply:
    """Raises ValueError for a number that cannot be dialled."""
    digits = "".join(c for c in number if c not in " -/()")
    if not digits or any(c not in "0123456789*#+,WTP@!ABCD" for c in digits.upper()):
        raise ValueError(f"{number!r} is no number; digits, * # + and , for a pause (V.250, 6.3.1)")
    try:
        return await command(runner, b"ATD" + digits.encode(), _DIAL_S)
    except asyncio.CancelledError:
        with contextlib.suppress(Fault):  # any character ends a call that is coming about (V.250, 6.3.1)
            await runner.out.send(b"\r")
        raise


async def escape(runner: LinkRunner) -> AtReply:
    """From data to commands; the call stays up. Nothing may go out for a second before and after."""
    sent_s = runner.view().evidence.last_sent_s
    quiet = mono_s() - sent_s if sent_s is not None else GUARD_S
    await asyncio.sleep(max(0.0, GUARD_S - quiet))
    return await command(runner, ESCAPE, GUARD_S + 2.0)


async def hang_up(runner: LinkRunner, *, in_data: bool) -> str:
    """By command; where the modem does not take it, by DTR. A sentence on what ended the call."""
    if in_data and not (await escape(runner)).good:
        return await drop_dtr(runner)
    reply = await command(runner, b"ATH")
    return f"hung up by ATH: {reply.words}" if reply.good else await drop_dtr(runner)


async def drop_dtr(runner: LinkRunner) -> str:
    """V.250, 6.2.2 leaves what that does to &D; as shipped it hangs up."""
    await runner.lines.set_outputs(dtr=False)
    await asyncio.sleep(_DTR_S)
    await runner.lines.set_outputs(dtr=True)
    return "hung up by dropping DTR"
