"""Faults of what a stand-in says, as they are met on site: each turns its bytes into what then arrives.

Wrong settings, polarity and clocks are not here: the wire model makes their garbage by itself.
"""

from __future__ import annotations

import random

KINDS = (
    "doubled", "escapes", "shifted", "half", "two", "staircase", "long", "missing", "other-rate-first", "floating",
    "clash", "off",
)  # fmt: skip
"""What can be told to a device; `off` ends it."""


FIRST_ONLY = ("other-rate-first",)
"""Those that spoil only what is said first after the port was opened."""


def garble(data: bytes, kind: str, chance: random.Random) -> bytes:
    """What arrives instead of `data`."""
    match kind:
        case "doubled":  # local echo and the far end's echo
            return bytes(byte for byte in data for _ in range(2) if byte not in b"\r\n") + data[len(data.rstrip()) :]
        case "escapes":
            return b"\x1b[2;31m" + data.rstrip(b"\r\n") + b"\x1b[0m" + data[len(data.rstrip(b"\r\n")) :]
        case "shifted":  # a shift-out without a shift-in: letters come from the other character set
            return b"\x0e" + bytes(byte + 0x80 if 0x60 <= byte < 0x7F else byte for byte in data)
        case "half":
            return data[: max(1, len(data) // 2)].rstrip(b"\r\n")
        case "two":  # a second station talks into it
            middle = len(data) // 2
            return data[:middle] + b"PUMP 4 RUNNING\r\n" + data[middle:]
        case "staircase":
            return data.replace(b"\r\n", b"\n")
        case "long":
            return data.rstrip(b"\r\n").ljust(30, b".") * 6 + data[len(data.rstrip(b"\r\n")) :]
        case "missing":
            return bytes(byte for place, byte in enumerate(data) if byte in b"\r\n" or place % 7 != 3)
        case "other-rate-first":
            return bytes(chance.randrange(128, 256) for _ in range(12)) + b"\r\n" + data
        case "clash":  # a second device with the same address answers too
            return data + bytes(48 + (byte - 45) % 10 if 48 <= byte < 58 else byte for byte in data)
        case "floating":
            return bytes(chance.randrange(256) for _ in range(chance.randint(1, 4)))
    return data
