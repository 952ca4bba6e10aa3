"""Which runs of three bytes a piece of the record holds, as a set of bits: whether something that is looked for can be
in it is known without unpacking it.

Of each three bytes that follow each other, capital ASCII letters taken as small ones, b0 + 256·b1 + 65536·b2 times
2654435761 modulo 2^32 is taken, and of that the highest k bits; the bit of that number is set, in a field of 2^k bits,
the lowest bit of a byte first. The multiplier is a prime near 2^32 divided by the golden ratio, so that the highest
bits spread.
"""

from __future__ import annotations

_MULTIPLIER = 2_654_435_761
_LEAST, _MOST = 6, 18
"""Bits of a number in the smallest and in the largest field."""
_ROOM = 3  # bits of the field for each run that is in it: a third of a field that is full says little
_SHARE = 6  # a field that is larger than a sixth of the piece costs more than it saves
SHORTEST = 3
"""Bytes below which nothing can be said."""


def grams_of(data: bytes) -> bytes:
    """The field of a piece; empty where it would be too large for what it saves, as for bytes without any order."""
    if len(data) < SHORTEST:
        return b""
    import numpy as np

    small = np.frombuffer(data.lower(), np.uint8).astype(np.uint32)
    runs = (small[:-2] | small[1:-1] << np.uint32(8) | small[2:] << np.uint32(16)) * np.uint32(_MULTIPLIER)
    flags = np.zeros(1 << _MOST, np.bool_)
    flags[runs >> np.uint32(32 - _MOST)] = True
    wanted = _ROOM * int(np.count_nonzero(flags))
    bits = max(_LEAST, (wanted - 1).bit_length())
    if bits > _MOST or (1 << bits) // 8 > len(data) // _SHARE:
        return b""
    return bytes(np.packbits(flags.reshape(1 << bits, -1).any(axis=1), bitorder="little"))


class Sought:
    """Bytes that are looked for, in any case of ASCII letters."""

    def __init__(self, data: bytes) -> None:
        small = data.lower()
        runs = {small[at : at + 3] for at in range(len(small) - 2)}
        self._numbers = [int.from_bytes(run, "little") * _MULTIPLIER & 0xFFFFFFFF for run in runs]

    def may_be_in(self, grams: bytes) -> bool:
        """Whether a piece with this field can hold them; True where the field says nothing."""
        if not grams:
            return True
        shift = 33 - (len(grams) * 8).bit_length()
        return all(grams[number >> shift >> 3] >> (number >> shift & 7) & 1 for number in self._numbers)
