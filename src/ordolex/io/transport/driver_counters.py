"""The error counters of a Linux serial driver (TIOCGICOUNT, linux/serial.h, struct serial_icounter_struct)."""

from __future__ import annotations

import array
from typing import TYPE_CHECKING

from ordolex.core.link.judge import LineErrors

if TYPE_CHECKING:
    import serial

_TIOCGICOUNT = 0x545D
_INPUTS = ("cts", "dsr", "ri", "dcd")
_FRAME, _OVERRUN, _PARITY, _BREAK, _BUFFER_OVERRUN = 6, 7, 8, 9, 10


class DriverCounters:
    """Counts since the port was opened. Many drivers have none; `of` gives None for those."""

    def __init__(self, fd: int) -> None:
        self._fd = fd
        self._before = self._edges_before = self._read()

    @classmethod
    def of(cls, port: serial.Serial) -> DriverCounters | None:
        try:
            return cls(port.fileno())
        except (OSError, ImportError):
            return None

    def _read(self) -> array.array[int]:
        import fcntl

        counts = array.array("i", [0] * 20)
        fcntl.ioctl(self._fd, _TIOCGICOUNT, counts)
        return counts

    def edges(self) -> dict[str, int]:
        """How often each input changed since the last call: pulses too short to be seen by looking now and then."""
        try:
            now = self._read()
        except OSError:
            return {}
        changed = {name: (now[at] - self._edges_before[at]) & 0x7FFFFFFF for at, name in enumerate(_INPUTS)}
        self._edges_before = now
        return {name: count for name, count in changed.items() if count}

    def since_last(self) -> LineErrors | None:
        """The errors counted since the last call, or None for none."""
        try:
            now = self._read()
        except OSError:
            return None
        errors = difference(self._before, now)
        self._before = now
        return errors if errors.total else None


def difference(before: array.array[int], now: array.array[int]) -> LineErrors:
    new = [b - a for a, b in zip(before, now, strict=True)]
    return LineErrors(new[_FRAME], new[_PARITY], new[_BREAK], new[_OVERRUN] + new[_BUFFER_OVERRUN])
