"""A pseudo-terminal read in packets (ioctl_tty(2), TIOCPKT): the byte before what was written tells that the program
threw its input away. Where the system has no such thing, it is not told."""

from __future__ import annotations

import contextlib
import struct
from collections.abc import Callable

_FLUSHED = 1  # TIOCPKT_FLUSHREAD


class Packets:
    """`thrown` counts how often the program threw its input away; `told` is called each time."""

    def __init__(self, told: Callable[[], None]) -> None:
        self.thrown = 0
        self._told = told
        self._on = self._ours = False

    def begin(self, master: int) -> None:
        import fcntl
        import termios

        with contextlib.suppress(OSError, AttributeError):
            fcntl.ioctl(master, termios.TIOCPKT, struct.pack("i", 1))
            self._on = True

    def cleared(self) -> None:
        """It was cleared from here: the next that is told is no act of the program's."""
        self._ours = self._on

    def taken(self, data: bytes) -> bytes:
        """What the program wrote."""
        if not self._on:
            return data
        if data[:1] and data[0] & _FLUSHED:
            ours, self._ours = self._ours, False
            if not ours:
                self.thrown += 1
                self._told()
        return data[1:] if data[:1] == b"\0" else b""
