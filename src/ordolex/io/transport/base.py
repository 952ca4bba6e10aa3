"""The seam between the link runner and whatever carries the bytes.

A transport is these few methods. It delivers what arrives to its listener, in order, from the event loop in which it
was opened, and raises Faults. It never blocks that loop, and it never records: that is the runner's, the one tap.
"""

from __future__ import annotations

from typing import Protocol, runtime_checkable

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.judge import LineErrors
from ordolex.io.system.faults import Fault

READ_SIZE = 65_536
"""Bytes asked for at one read, and the write buffer above which a writer waits."""


class Listener(Protocol):
    def arrived(self, data: bytes, errors: LineErrors | None, at_s: float) -> None:
        """Bytes, with the errors that the port reported for the first of them. Data may be empty for a break."""

    def modem_lines(self, lines: ModemLines) -> None: ...

    def lost(self, fault: Fault) -> None:
        """The far side or the port is gone. Nothing is delivered after this."""


class ModemLines:
    """The inputs of the port: CTS, DSR, RI and DCD."""

    __slots__ = ("cts", "dcd", "dsr", "ri")

    def __init__(self, *, cts: bool, dsr: bool, ri: bool, dcd: bool) -> None:
        self.cts, self.dsr, self.ri, self.dcd = cts, dsr, ri, dcd

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ModemLines) and all(
            getattr(self, n) == getattr(other, n) for n in ModemLines.__slots__
        )

    __hash__ = None  # type: ignore[assignment]

    def words(self) -> str:
        return " ".join(n.upper() for n in ("cts", "dsr", "dcd", "ri") if getattr(self, n)) or "none on"


class Transport(Protocol):
    opens_low: bool
    """Set before opening: DTR and RTS are low from the beginning, as far as the system can do that."""
    prompt: bool
    """Set before opening: what arrives is passed on, and is not to wait for more."""
    places_errors: bool
    """Line errors come with the byte that they belong to; else they are counted, and their place is not known."""

    async def open(self, line: LineSettings, listener: Listener) -> None: ...

    async def write(self, data: bytes) -> None:
        """Returns when the port has taken all of it."""

    async def configure(self, line: LineSettings) -> None: ...

    async def send_break(self, seconds: float) -> None: ...

    async def set_outputs(self, *, dtr: bool | None = None, rts: bool | None = None) -> None: ...

    def pause(self, stop: bool) -> None:
        """Stops or goes on reading: the recorder asks for it when the disk does not keep up."""

    def waiting_out(self) -> int:
        """Bytes that were taken and have not gone out, because the far end holds them back; 0 where nobody tells."""

    async def close(self, *, keep_dtr: bool = False) -> None:
        """The port is free when this returns. Closing twice does nothing."""


@runtime_checkable
class TakesAtOnce(Protocol):
    """A transport that can take bytes without anybody waiting for it."""

    def take_now(self, data: bytes) -> int:
        """How many of these bytes it took; 0 where `write` would have to wait, or would fail."""


class Pacer:
    """Says for how long to let small arrivals collect. Wake-ups cost, not bytes: a port that is read a thousand times a
    second in small pieces takes most of a core; waiting a few milliseconds costs nobody anything, but where the bytes
    are passed on. There (`prompt`) only a stream waits so long, a trickle
    1 ms, and what follows something that went out not at all: questions and answers take turns. Where fast streams go
    both ways at once nobody waits for an answer, and more may collect; and so it may of a stream that is faster than a
    serial line of 115200 bit/s, whose pauses are nothing that anybody measures."""

    _STREAM_S, _PROMPT_S, _BOTH_WAYS_S, _FLOOD_S = 0.004, 0.001, 0.01, 0.015
    _SMALL = 2048  # a terminal gives at most 4,095 bytes at a time: such a piece is no small one
    _BUSY_S = 0.003
    _LOOKED_BACK_S, _STREAM_BYTES, _FAST_BYTES = 0.05, 800, 2000

    def __init__(self, *, prompt: bool = False) -> None:
        self._prompt = prompt
        self._last_s = 0.0
        self._lately = self._out_lately = 0.0
        self._went_out = 0

    def wrote(self, count: int) -> None:
        """So many bytes went out."""
        self._went_out += count

    def pause_s(self, count: int, now_s: float) -> float:
        """0 for none."""
        gap, self._last_s = now_s - self._last_s, now_s
        kept = max(0.0, 1 - gap / self._LOOKED_BACK_S)
        went_out, self._went_out = self._went_out, 0
        self._lately = self._lately * kept + count
        self._out_lately = self._out_lately * kept + went_out
        if count >= self._SMALL:
            return 0.0
        if self._prompt and min(self._lately, self._out_lately) >= self._FAST_BYTES:
            return self._BOTH_WAYS_S
        if not self._prompt and not went_out and self._lately >= self._STREAM_BYTES:
            return self._FLOOD_S
        if gap >= self._BUSY_S:
            return 0.0
        if self._prompt and self._lately < self._STREAM_BYTES:
            return 0.0 if went_out else self._PROMPT_S
        return self._STREAM_S
