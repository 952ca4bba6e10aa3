"""A station's port as a pseudo-terminal (POSIX only).

The kernel keeps the baud rate and the stop bits of a pseudo-terminal and forces eight data bits without parity; so
rate and stop bits are the laptop's, data bits and parity always agree with the device. It carries no line errors and
no break. docs/bench.md says so to the user.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import struct
from collections.abc import Callable

from ordolex.bench.station import Station
from ordolex.core.line.settings import LineSettings
from ordolex.core.uart.receiver import Character

_TCGETS2 = 0x802C542A  # asm-generic/ioctls.h: termios2 carries the rate as a number
_TERMIOS2 = struct.Struct("4I B 19s 2I")
_CSTOPB = 0o100
_LOOK_S = 0.02


class PtyPort:
    """`changed` is called when a client comes or goes."""

    def __init__(self, station: Station, changed: Callable[[], None]) -> None:
        self._station = station
        self._changed = changed
        self._master = -1
        self.path = ""
        self._looker: asyncio.Task[None] | None = None

    def open(self) -> None:
        """Makes the pseudo-terminal. Raises OSError or ImportError where the system has none."""
        import pty
        import tty

        self._master, slave = pty.openpty()
        tty.setraw(slave)
        self.path = os.ttyname(slave)
        os.close(slave)  # so that the bench is not taken for a holder, and a client's leaving is seen
        os.set_blocking(self._master, False)
        self._looker = asyncio.get_running_loop().create_task(self._look())

    def close(self) -> None:
        if self._looker is not None:
            self._looker.cancel()
            self._looker = None
        if self._master >= 0:
            os.close(self._master)
            self._master = -1
        self.path = ""

    async def _look(self) -> None:
        """A client's coming, going and retuning have no event here; looking costs microseconds."""
        attached = False
        settings = LineSettings(9600)
        while True:
            data, present = self._read()
            if present and not attached and not self._station.taken:
                settings = self._settings()
                self._station.attach(self._deliver, settings)
                attached = True
                self._changed()
            elif not present and attached:
                self._station.detach()
                attached = False
                self._changed()
            if attached:
                now = self._settings()
                if now != settings:
                    settings = now
                    self._station.retune(now)
                if data:
                    self._station.from_laptop(data)
            await asyncio.sleep(_LOOK_S if not data else 0.001)

    def _read(self) -> tuple[bytes, bool]:
        """What the client sent, and whether there is one: reading fails while nobody has the other side open."""
        try:
            return os.read(self._master, 65_536), True
        except BlockingIOError:
            return b"", True
        except OSError:
            return b"", False

    def _settings(self) -> LineSettings:
        import fcntl

        raw = fcntl.ioctl(self._master, _TCGETS2, bytes(_TERMIOS2.size))
        _, _, control_flags, _, _, _, _, out_rate = _TERMIOS2.unpack(raw)
        own = self._station.device_line
        return own.changed(baud=max(1, out_rate), stop_bits=2.0 if control_flags & _CSTOPB else min(own.stop_bits, 1.0))

    def _deliver(self, characters: list[Character]) -> None:
        with contextlib.suppress(OSError):  # its buffer is full or its client left: a real port loses bytes then, too
            os.write(self._master, bytes(c.byte for c in characters))
