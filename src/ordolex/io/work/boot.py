"""Waits while a device boots, without touching it: its text may scroll, and then it falls quiet at its prompt."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text, without_codes
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s
from ordolex.io.work.paced import Progress

QUIET_S = 2.0
"""So long without a byte, after some text, and it is taken to have booted."""
_TICK_S = 0.2
_AT_MOST = 4.0


async def wait_for_boot(
    runner: LinkRunner, boot_s: float, changed: Callable[[Progress, str], None] = lambda done, words: None
) -> Progress:
    """`boot_s` is how long it takes as a rule; four times that is waited at most. It sends nothing. Cancel to stop."""
    heard = bytearray()
    last_s = began = mono_s()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        nonlocal last_s
        heard.extend(data)
        last_s = mono_s()

    progress = Progress(max(1, round(boot_s * 10)))
    with runner.tap.heard_by(hear):
        while True:
            await asyncio.sleep(_TICK_S)
            now = mono_s()
            passed, quiet = now - began, now - last_s
            progress.sent = min(progress.total, round(passed * 10))
            progress.left_s = max(0.0, boot_s - passed)
            changed(progress, f"{counted(len(heard), 'byte')}, quiet for {quiet:.0f} s")
            ended = heard and quiet >= QUIET_S
            if ended and (not heard.endswith((b"\r", b"\n")) or passed >= boot_s + QUIET_S):
                last = without_codes(bytes(heard)).replace(b"\r", b"\n").rpartition(b"\n")[2]
                prompt = visible_text(text_of(last, runner.charset).strip())
                at = f"; it stands at {prompt}" if prompt else ""
                progress.right = True
                progress.words = f"booted after {last_s - began:.1f} s, {counted(len(heard), 'byte')}{at}"
                return progress
            if passed > _AT_MOST * boot_s:
                progress.words = (
                    f"nothing that looks like an end of booting in {passed:.0f} s, {counted(len(heard), 'byte')} came"
                )
                return progress
