"""Checks that devices put behind their bytes, and frames found by them."""

from __future__ import annotations

SHORTEST, LONGEST = 5, 64


def _table() -> tuple[int, ...]:
    rows = []
    for value in range(256):
        for _ in range(8):
            value = (value >> 1) ^ (0xA001 if value & 1 else 0)
        rows.append(value)
    return tuple(rows)


_TABLE = _table()


def crc16(data: bytes, start: int = 0xFFFF) -> int:
    """The CRC of a Modbus frame: polynomial 8005 reflected, start FFFF, low byte first on the wire.

    Source: MODBUS over Serial Line, specification and implementation guide V1.02, 6.2.2.
    """
    crc = start
    for byte in data:
        crc = (crc >> 8) ^ _TABLE[(crc ^ byte) & 0xFF]
    return crc


def frames_in(data: bytes) -> list[tuple[int, int]]:
    """(from, to) of pieces whose last two bytes are the CRC of those before, one after the other, the shortest first.

    A piece of zeros only does not count, nor does one whose function code (the second byte) is none that is used.
    """
    out: list[tuple[int, int]] = []
    at = 0
    while at + SHORTEST <= len(data):
        end = _frame_from(data, at)
        if end:
            out.append((at, end))
        at = end or at + 1
    return out


def _frame_from(data: bytes, at: int) -> int:
    if not 1 <= data[at + 1] & 0x7F <= 43 or data[at] > 247:
        return 0
    crc = 0xFFFF
    for place in range(at, min(len(data), at + LONGEST) - 2):
        crc = (crc >> 8) ^ _TABLE[(crc ^ data[place]) & 0xFF]
        if place - at + 3 >= SHORTEST and crc & 0xFF == data[place + 1] and crc >> 8 == data[place + 2]:
            return place + 3
    return 0
