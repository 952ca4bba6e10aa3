"""The command that a technician set for alarms: run by the operating system, without a shell, what happened in its
environment. A few at a time; one that does not end is ended."""

from __future__ import annotations

import asyncio
import contextlib
import os
from collections.abc import Callable, Sequence

_LONGEST_S = 30.0
_AT_ONCE = 4


class Outside:
    """`said` takes a remark where a command could not be run, or failed."""

    def __init__(self, command: Sequence[str], said: Callable[[str], None]) -> None:
        self._command, self._said = list(command), said
        self._running: set[asyncio.Task[None]] = set()
        self._passed_over = 0

    def happened(self, facts: dict[str, str]) -> None:
        """Runs it for something that happened. Call it in a loop."""
        if not self._command:
            return
        if len(self._running) >= _AT_ONCE:
            self._passed_over += 1
            if self._passed_over & (self._passed_over - 1) == 0:
                self._said(f"{self._command[0]} was not run {self._passed_over} times: {_AT_ONCE} of it run already")
            return
        task = asyncio.get_running_loop().create_task(self._run(facts))
        self._running.add(task)
        task.add_done_callback(self._running.discard)

    async def _run(self, facts: dict[str, str]) -> None:
        env = {**os.environ, **{f"ORDOLEX_{name}": value.replace("\0", "") for name, value in facts.items()}}
        for secret in ("ORDOLEX_MQTT_USER", "ORDOLEX_MQTT_PASSWORD"):
            env.pop(secret, None)
        nothing = asyncio.subprocess.DEVNULL
        try:
            process = await asyncio.create_subprocess_exec(
                *self._command, env=env, stdin=nothing, stdout=nothing, stderr=nothing
            )
        except (OSError, ValueError) as error:
            self._said(f"{self._command[0]} could not be run: {error}")
            return
        try:
            async with asyncio.timeout(_LONGEST_S):
                code = await process.wait()
        except BaseException as error:
            with contextlib.suppress(ProcessLookupError):
                process.kill()
            if not isinstance(error, TimeoutError):
                raise
            self._said(f"{self._command[0]} did not end in {_LONGEST_S:g} s and was ended")
            return
        if code:
            self._said(f"{self._command[0]} ended with {code}")
