"""The units of a bus: listened to first, then asked one by one."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence

from ordolex.core.link.judge import LineErrors
from ordolex.core.protocols.modbus.crc import frames_in
from ordolex.io.device.modbus import Scanned, scan
from ordolex.io.link.runner import LinkRunner

_LISTEN_S = 0.8
_MORE_S = 0.3  # behind the first bytes, so that the units can be named


async def listen_and_scan(
    runner: LinkRunner, framing: str, units: Sequence[int], changed: Callable[[Scanned], None]
) -> str:
    """Asks each unit, if nobody else speaks on the line; what speaks there, where somebody does: then nothing was sent.
    Raises a Fault of the port."""
    others = await _listen(runner)
    if not others:
        await scan(runner, framing, units, changed=changed)
    return others


async def _listen(runner: LinkRunner) -> str:
    """What speaks on the line unasked; empty for silence."""
    heard, begun = bytearray(), asyncio.Event()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(data)
        begun.set()

    with runner.tap.heard_by(hear):
        try:
            async with asyncio.timeout(_LISTEN_S):
                await begun.wait()
        except TimeoutError:
            return ""
        await asyncio.sleep(_MORE_S)
    units = sorted({heard[begin] for begin, _ in frames_in(bytes(heard))})
    of = f", frames of units {', '.join(str(unit) for unit in units)}" if units else ""
    return f"another master speaks on this line: {len(heard)} bytes{of}; nothing was sent into that"
