"""Checks of framed protocols, each with its stated polynomial, and the finder that says from recorded frames which one
they carry.

CRC parameters are those of the open standards named beside them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache, reduce
from operator import xor

from ordolex.core.protocols.modbus.crc import crc16


@dataclass(frozen=True, slots=True)
class Crc:
    """width in bits; polynomial without its highest term; `reflected` takes bits lowest first, in and out."""

    width: int
    polynomial: int
    start: int
    reflected: bool
    final: int
    source: str

    def __call__(self, data: bytes) -> int:
        mask = (1 << self.width) - 1
        crc = _mirrored(self.start, self.width) if self.reflected else self.start
        table = _crc_table(self.width, self.polynomial, self.reflected)
        for byte in data:
            if self.reflected:
                crc = crc >> 8 ^ table[(crc ^ byte) & 0xFF]
            else:
                crc = (crc << 8 ^ table[(crc >> (self.width - 8) ^ byte) & 0xFF]) & mask
        return (crc ^ self.final) & mask


@cache
def _crc_table(width: int, polynomial: int, reflected: bool) -> tuple[int, ...]:
    mask = (1 << width) - 1
    rows = []
    for value in range(256):
        if reflected:
            mirrored, crc = _mirrored(polynomial, width), value
            for _ in range(8):
                crc = crc >> 1 ^ (mirrored if crc & 1 else 0)
        else:
            crc = value << (width - 8)
            for _ in range(8):
                crc = (crc << 1 ^ (polynomial if crc >> (width - 1) & 1 else 0)) & mask
        rows.append(crc)
    return tuple(rows)


def _mirrored(value: int, width: int) -> int:
    return int(f"{value:0{width}b}"[::-1], 2)


@dataclass(frozen=True, slots=True)
class Check:
    """A check of `size` bytes; `source` says what it is after."""

    size: int
    compute: Callable[[bytes], int]
    source: str


def _crc(*parameters: int | bool, source: str) -> Check:
    width, polynomial, start, reflected, final = parameters
    crc = Crc(int(width), int(polynomial), int(start), bool(reflected), int(final), source)
    return Check(int(width) // 8, crc, source)


CHECKS: dict[str, Check] = {
    "sum8": Check(1, lambda data: sum(data) & 0xFF, "the sum of all bytes, its lowest byte"),
    "lrc8": Check(1, lambda data: -sum(data) & 0xFF, "two's complement of the sum (MODBUS over Serial Line, 2.5.2.2)"),
    "sum8-inverted": Check(1, lambda data: ~sum(data) & 0xFF, "one's complement of the sum"),
    "xor8": Check(1, lambda data: reduce(xor, data, 0), "exclusive or of all bytes (ISO/IEC 1155)"),
    "sum16": Check(2, lambda data: sum(data) & 0xFFFF, "the sum of all bytes in two bytes"),
    "crc8-07": _crc(8, 0x07, 0, False, 0, source="polynomial 07, start 00 (ITU-T I.432 without its final value)"),
    "crc8-31": _crc(8, 0x31, 0, True, 0, source="polynomial 31 reflected, start 00"),
    "crc16-modbus": Check(2, crc16, "polynomial 8005 reflected, start FFFF (MODBUS over Serial Line, 6.2.2)"),
    "crc16-8005": _crc(16, 0x8005, 0, True, 0, source="polynomial 8005 reflected, start 0000"),
    "crc16-1021": _crc(16, 0x1021, 0, False, 0, source="polynomial 1021, start 0000 (ITU-T V.41)"),
    "crc16-1021-ffff": _crc(16, 0x1021, 0xFFFF, False, 0, source="polynomial 1021, start FFFF"),
    "crc16-1021-reflected": _crc(16, 0x1021, 0, True, 0, source="polynomial 1021 reflected, start 0000"),
    "crc16-x25": _crc(16, 0x1021, 0xFFFF, True, 0xFFFF, source="1021 reflected, FFFF at both ends (ISO/IEC 13239)"),
    "crc16-3d65": _crc(16, 0x3D65, 0, True, 0xFFFF, source="polynomial 3D65 reflected, end FFFF (IEC 60870-5-1)"),
    "crc32": _crc(32, 0x04C11DB7, 0xFFFFFFFF, True, 0xFFFFFFFF, source="polynomial 04C11DB7 reflected (ISO/IEC 13239)"),
}  # fmt: skip
WRITTEN = ("high first", "low first", "hex digits")


def written(value: int, size: int, how: str) -> bytes:
    """The bytes of a check as they stand in a frame."""
    if how == "hex digits":
        return f"{value:0{2 * size}X}".encode()
    return value.to_bytes(size, "big" if how == "high first" else "little")


@dataclass(frozen=True, slots=True)
class FoundCheck:
    """Bytes from `start` to the check are covered; `tail` bytes stand behind the check."""

    name: str
    how: str
    start: int
    tail: int
    frames: int

    @property
    def chance(self) -> float:
        """How likely so many frames fit by chance, all ways that were tried counted in."""
        size = CHECKS[self.name].size
        tried = len(CHECKS) * len(WRITTEN) * _STARTS * _TAILS
        return min(1.0, tried * 256.0 ** (-size * self.frames))

    @property
    def words(self) -> str:
        behind = f", {self.tail} bytes behind it" if self.tail else ""
        return (
            f"{self.name}, {self.how}, over the bytes from {self.start + 1} on{behind}: {CHECKS[self.name].source};"
            f" fits {self.frames} frames, by chance one in {1 / max(self.chance, 1e-300):.0e}"
        )


_STARTS, _TAILS = 4, 3


def find_checks(frames: Sequence[bytes]) -> list[FoundCheck]:
    """The checks that all these different frames carry, the least likely by chance first; none where none fits.

    Tried are checks that begin to count at one of the first four bytes, with up to two bytes behind them.
    """
    different = list(dict.fromkeys(frame for frame in frames if len(frame) >= 4))
    out = []
    for name, check in CHECKS.items():
        for how in WRITTEN:
            if how == "low first" and check.size == 1:
                continue
            size = check.size * (2 if how == "hex digits" else 1)
            for tail in range(_TAILS):
                for start in range(_STARTS):
                    if different and all(_fits(frame, check, how, size, start, tail) for frame in different):
                        out.append(FoundCheck(name, how, start, tail, len(different)))
    return sorted(out, key=lambda found: (found.chance, found.tail, found.start))


def _fits(frame: bytes, check: Check, how: str, size: int, start: int, tail: int) -> bool:
    end = len(frame) - tail - size
    if end <= start:
        return False
    there, wanted = frame[end : end + size], written(check.compute(frame[start:end]), check.size, how)
    return there == wanted or (how == "hex digits" and there.upper() == wanted)
