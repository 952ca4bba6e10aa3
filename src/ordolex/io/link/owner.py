"""The thread in which a link is opened first runs it, and nobody works on it in another one. The tests run with a check
of it."""

from __future__ import annotations

import functools
import inspect
import os
import threading
from collections.abc import Callable
from typing import Any, TypeVar

CHECKED = bool(os.environ.get("ORDOLEX_CHECK_OWNERS"))

Method = TypeVar("Method", bound=Callable[..., Any])


def in_its_thread(method: Method) -> Method:
    """A method of something with an `owner`, the thread that runs it; the first coroutine that is awaited settles it.
    Where that is checked, a call from another one raises RuntimeError."""
    if not CHECKED:
        return method

    def check(self: Any) -> None:
        if self.owner is not None and threading.get_ident() != self.owner:
            here = threading.current_thread().name
            raise RuntimeError(f"{method.__qualname__} was called in the thread {here}, which does not run this link")

    @functools.wraps(method)
    def called(self: Any, *args: Any, **named: Any) -> Any:
        check(self)
        return method(self, *args, **named)

    @functools.wraps(method)
    async def awaited(self: Any, *args: Any, **named: Any) -> Any:
        self.owner = self.owner or threading.get_ident()
        check(self)
        return await method(self, *args, **named)

    return awaited if inspect.iscoroutinefunction(method) else called  # type: ignore[return-value]
