"""Sends more than a line without running over a slow device: a pause behind each character or line, or waiting for
its echo or its prompt."""

from __future__ import annotations

import asyncio
import contextlib
import re
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.counts import counted
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.clock import mono_s


class PaceError(ValueError):
    """A pace that cannot be read; the message says what would be right."""


@dataclass(frozen=True, slots=True)
class Pace:
    """character_s, line_s  pauses behind each
    echo        whether each line waits until its characters have come back
    prompt      a pattern that must come behind each line
    wait_s      how long to wait for echo or prompt before giving up
    """

    character_s: float = 0.0
    line_s: float = 0.0
    echo: bool = False
    prompt: str = ""
    wait_s: float = 5.0

    @property
    def words(self) -> str:
        parts = [f"{self.character_s * 1000:g} ms a character"] if self.character_s else []
        parts += [f"{self.line_s * 1000:g} ms a line"] if self.line_s else []
        parts += ["each line's echo"] if self.echo else []
        parts += [f"prompt {self.prompt}"] if self.prompt else []
        return ", ".join(parts) or "as fast as the line takes it"


def read_pace(text: str) -> Pace:
    """`5 a character`, `100 a line`, `echo`, `prompt PATTERN`, or nothing; in ms. Raises PaceError."""
    text = text.strip()
    if not text or text == "fast":
        return Pace()
    if text == "echo":
        return Pace(echo=True)
    if text.startswith("prompt "):
        try:
            re.compile(text[7:].encode())
        except re.error as error:
            raise PaceError(f"the pattern of the prompt cannot be read: {error}") from None
        return Pace(prompt=text[7:])
    found = re.fullmatch(r"(\d+(?:\.\d+)?)(?: ms)? an? (character|line)", text)
    if found is None:
        raise PaceError("write such as: 5 a character · 100 a line · echo · prompt > · fast")
    seconds = float(found[1]) / 1000
    return Pace(character_s=seconds) if found[2] == "character" else Pace(line_s=seconds)


@dataclass(slots=True)
class Progress:
    """sent, total  in bytes
    left_s       what the rest will take at this pace
    words        how it ended; empty while it goes on
    """

    total: int
    sent: int = 0
    left_s: float = 0.0
    words: str = ""
    right: bool = False


async def send_paced(
    runner: LinkRunner, data: bytes, pace: Pace, changed: Callable[[Progress], None] = lambda progress: None
) -> Progress:
    """Sends all of it, or up to where the device no longer follows. Cancel it to stop. Raises a Fault of the port."""
    progress = Progress(len(data))
    heard = bytearray()
    came = asyncio.Event()

    def hear(piece: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(piece)
        came.set()

    began = mono_s()
    with runner.tap.heard_by(hear):
        for line in data.splitlines(keepends=True):
            heard.clear()
            for piece in _pieces(line, pace):
                await runner.out.send(piece)
                progress.sent += len(piece)
                took = mono_s() - began
                progress.left_s = took / progress.sent * (progress.total - progress.sent)
                changed(progress)
                # the port's buffer takes more than the line carries: wait as long as the characters need
                await asyncio.sleep(runner.line.seconds_for(len(piece)) + pace.character_s)
            if not await _followed(line, pace, heard, came):
                wanted = "its echo" if pace.echo else f"the prompt {pace.prompt}"
                progress.words = f"stopped at byte {progress.sent} of {progress.total}: {wanted} did not come"
                changed(progress)
                return progress
            await asyncio.sleep(pace.line_s)
    progress.words = f"sent {counted(progress.sent, 'byte')} in {mono_s() - began:.1f} s"
    progress.right = True
    changed(progress)
    return progress


def _pieces(line: bytes, pace: Pace) -> list[bytes]:
    size = 1 if pace.character_s else 256
    return [line[at : at + size] for at in range(0, len(line), size)]


async def _followed(line: bytes, pace: Pace, heard: bytearray, came: asyncio.Event) -> bool:
    if not pace.echo and not pace.prompt:
        return True
    wanted = re.compile(pace.prompt.encode()) if pace.prompt else re.compile(re.escape(line.rstrip(b"\r\n")))
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(pace.wait_s):
            while not wanted.search(bytes(heard)):
                came.clear()
                await came.wait()
            return True
    return False
