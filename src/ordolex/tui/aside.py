"""Work in a thread that nobody waits for who leaves meanwhile: for what only looks, and holds nothing."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")


async def aside(name: str, work: Callable[[], T]) -> T:
    """What `work` gives, or raises. The end of the program does not wait for it."""
    loop = asyncio.get_running_loop()
    done: asyncio.Future[T] = loop.create_future()

    def answer(give: Callable[[], None]) -> None:
        with contextlib.suppress(RuntimeError):  # the loop has ended
            loop.call_soon_threadsafe(lambda: None if done.done() else give())

    def run() -> None:
        try:
            found = work()
        except Exception as error:
            fault = error
            answer(lambda: done.set_exception(fault))
        else:
            answer(lambda: done.set_result(found))

    threading.Thread(target=run, name=name, daemon=True).start()
    return await done
