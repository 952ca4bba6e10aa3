"""Who opens and closes a file, as it happens (Linux, inotify(7)). Nothing in the standard library tells it."""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import os
import struct
from collections.abc import Callable

_OPEN, _CLOSE_WRITE, _CLOSE_NOWRITE = 0x20, 0x8, 0x10
_EVENT = struct.Struct("iIII")


class OpensWatch:
    """`count` is how often the file is open now, beginning at 0; `changed` is called when it changed. Raises OSError or
    AttributeError where the system has no such thing."""

    def __init__(self, path: str, changed: Callable[[], None]) -> None:
        self.count = 0
        self._changed = changed
        libc = ctypes.CDLL(None, use_errno=True)
        self._fd = int(libc.inotify_init1(os.O_NONBLOCK | os.O_CLOEXEC))
        if self._fd < 0 or libc.inotify_add_watch(self._fd, path.encode(), _OPEN | _CLOSE_WRITE | _CLOSE_NOWRITE) < 0:
            number = ctypes.get_errno()
            if self._fd >= 0:
                os.close(self._fd)
            raise OSError(number, os.strerror(number))
        self._loop = asyncio.get_running_loop()
        self._loop.add_reader(self._fd, self.look)

    def look(self) -> None:
        """Takes what was told so far."""
        before, told = self.count, b""
        with contextlib.suppress(BlockingIOError):
            told = os.read(self._fd, 65_536)
        at = 0
        while at < len(told):
            _, mask, _, length = _EVENT.unpack_from(told, at)
            at += _EVENT.size + length
            self.count += 1 if mask & _OPEN else -1 if mask & (_CLOSE_WRITE | _CLOSE_NOWRITE) else 0
        if self.count != before:
            self._changed()

    def close(self) -> None:
        if self._fd >= 0:
            self._loop.remove_reader(self._fd)
            os.close(self._fd)
            self._fd = -1
