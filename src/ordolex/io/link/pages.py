"""What a device gives in pages: goes on at each, and ends where it ends."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.link.judge import LineErrors
from ordolex.core.sheet import Lists
from ordolex.core.text import patterns
from ordolex.core.text.escapes import to_bytes
from ordolex.io.link.runner import LinkRunner

_STALLED_S = 5.0


@dataclass(frozen=True, slots=True)
class Collected:
    """The bytes of all pages, how often the device had to be told to go on, and why it ended before its end."""

    text: bytes
    pages: int
    words: str


async def collect(runner: LinkRunner, lists: Lists, changed: Callable[[int], None] = lambda rows: None) -> Collected:
    """Asks, goes on at each page, and waits for the end as long as something comes. Raises a Fault of the port."""
    heard = bytearray()
    came = asyncio.Event()

    def hear(data: bytes, errors: LineErrors | None, at_s: float) -> None:
        heard.extend(data)
        came.set()

    end = lists.end.encode()
    more = re.compile(re.escape(lists.more.encode())) if lists.more else None
    command = to_bytes(lists.command)
    text, pages, words = bytearray(), 0, ""
    with runner.tap.heard_by(hear):
        await runner.out.send(command)
        while True:
            came.clear()
            page = more.search(bytes(heard)) if more is not None else None
            ended = patterns.search(end, bytes(heard)) if end else None
            if ended is not None:
                text += heard[: ended.start()]
                break
            if page is not None:
                text += heard[: page.start()]
                del heard[: page.end()]
                pages += 1
                changed(text.count(b"\n"))
                await runner.out.send(to_bytes(lists.go_on))
                continue
            try:
                async with asyncio.timeout(_STALLED_S if end or more is not None else 2.0):
                    await came.wait()
            except TimeoutError:
                text += heard
                words = "" if not end and text else f"nothing came for {_STALLED_S:g} s before its end"
                break
            changed(text.count(b"\n") + heard.count(b"\n"))
    shown = bytes(text)
    if lists.echo:  # the command's own line is no row
        shown = shown.split(b"\n", 1)[-1] if b"\n" in shown else shown
    return Collected(shown, pages, words)
