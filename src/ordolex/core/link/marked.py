"""Bytes as a POSIX terminal hands them over where it marks errors in their place (IEEE 1003.1, 11.2.2 Input Modes,
PARMRK with INPCK): FF 00 X is the byte X that came with an error, FF 00 00 also a break, and FF FF is the byte FF."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

from ordolex.core.link.judge import LineErrors

_MARK = 0xFF


class Part(NamedTuple):
    """Bytes of which only the first can be bad."""

    data: bytes
    bad: bool


class Unmarker:
    """Takes the marks out again; it may be fed in any pieces."""

    def __init__(self) -> None:
        self._begun = b""

    def receive(self, marked: bytes) -> list[Part]:
        """The bytes as they came, cut before each bad one. A mark that is not whole yet waits for the rest."""
        if not self._begun and _MARK not in marked:
            return [Part(marked, False)] if marked else []
        marked = self._begun + marked
        out, bad_at, at = bytearray(), [], 0
        while at < len(marked):
            end = marked.find(_MARK, at)
            end = len(marked) if end < 0 else end
            out += marked[at:end]
            at = end
            code = marked[at : at + 3]
            if code[:2] == b"\xff\x00" and len(code) == 3:
                bad_at.append(len(out))
                out.append(code[2])
                at += 3
            elif code in (b"\xff", b"\xff\x00"):
                break
            elif code:
                out.append(_MARK)
                at += 1 + (code[1] == _MARK)  # alone it was not marked: it came before marks were asked for
        self._begun = marked[at:]
        cuts = sorted({0, *bad_at, len(out)})
        return [Part(bytes(out[a:b]), a in bad_at) for a, b in pairwise(cuts)]

    def rest(self) -> bytes:
        """What is left of a mark that will not be finished, as when the port is set anew."""
        rest, self._begun = self._begun, b""
        return rest


class ErrorPlaces:
    """Gives each error its byte. A mark does not tell the kind; the driver's counters do, but not which came first, and
    they may count a byte that has not been read yet. So what is counted waits for its mark: breaks for bytes of zeros,
    then framing errors, then parity errors. `parity` says whether the port checks one: where nothing was counted, as
    with a driver that has no counters, a mark is a break for a byte of zeros, else the one kind that is likely."""

    def __init__(self, *, parity: bool) -> None:
        self._unmarker = Unmarker()
        self._parity = parity
        self._left = LineErrors()
        self._seen_left = 0

    def receive(self, marked: bytes, counted: LineErrors | None) -> list[tuple[bytes, LineErrors | None]]:
        """Bytes, each piece with the error of its first byte; overruns have no byte and come alone."""
        self._count(counted)
        out = [
            (part.data, self._kind(part.data[0] == 0) if part.bad else None) for part in self._unmarker.receive(marked)
        ]
        self._seen_left = 0
        return [*self._overruns(), *out]

    def looked(self, counted: LineErrors | None) -> list[tuple[bytes, LineErrors | None]]:
        """Called now and then while nothing is read: what has been left since the last look will have no mark."""
        told: list[tuple[bytes, LineErrors | None]] = []
        if self._seen_left and self._seen_left == self._left.total:
            told = [(b"", self._left)]
            self._left = LineErrors()
        self._count(counted)
        told += self._overruns()
        self._seen_left = self._left.total
        return told

    def set_anew(self, *, parity: bool) -> bytes:
        """The port's settings change. Gives what is left of a mark that will not be finished."""
        self._parity, self._left, self._seen_left = parity, LineErrors(), 0
        return self._unmarker.rest()

    def _count(self, counted: LineErrors | None) -> None:
        if counted is not None:
            self._left.add(counted)

    def _overruns(self) -> list[tuple[bytes, LineErrors | None]]:
        overruns, self._left.overruns = self._left.overruns, 0
        return [(b"", LineErrors(overruns=overruns))] if overruns else []

    def _kind(self, zero: bool) -> LineErrors:
        left = self._left
        if zero and left.breaks:
            left.breaks -= 1
            return LineErrors(breaks=1)
        if left.framing:
            left.framing -= 1
            return LineErrors(framing=1)
        if left.parity:
            left.parity -= 1
            return LineErrors(parity=1)
        if zero:
            return LineErrors(breaks=1)
        return LineErrors(parity=1) if self._parity else LineErrors(framing=1)
