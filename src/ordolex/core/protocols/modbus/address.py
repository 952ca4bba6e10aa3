"""Where a value lives: its table and address, in both customs, and reads that take neighbours together.

The protocol counts each table from 0 (V1.1b3, 4.4); manuals often count from 1 and put the table's digit in front:
40001 is holding register 0. Both are read, and both are shown.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from ordolex.core.protocols.modbus.pdu import MOST_BITS, MOST_REGISTERS

TABLES = {"coil": 0, "discrete": 1, "input": 3, "holding": 4}
"""Name → the digit that manuals put in front."""
READ_BY = {"coil": 1, "discrete": 2, "holding": 3, "input": 4}


class AddressTrouble(ValueError):
    """A text that is no address. The message says what one looks like."""


@dataclass(frozen=True, slots=True, order=True)
class Place:
    table: str
    address: int

    @property
    def numbered(self) -> str:
        """As manuals count: the table's digit, then the number from 1."""
        number = self.address + 1
        return f"{TABLES[self.table]}{number:04d}" if number <= 9999 else f"{TABLES[self.table]}{number:05d}"

    @property
    def text(self) -> str:
        return f"{self.table} {self.address} ({self.numbered} counted from 1)"


def read_place(text: str) -> Place:
    """`holding 0`, `40001`, `400001`, `4x0001`, `30005`, `coil 12`. Raises AddressTrouble."""
    text = text.strip().lower()
    named = re.fullmatch(r"(coil|discrete|input|holding)\s*(\d+|0x[0-9a-f]+)", text)
    if named:
        return _place(named[1], int(named[2], 0), text)
    numbered = re.fullmatch(r"([0134])(?:x?)(\d{4,5})", text)
    if numbered and int(numbered[2]) >= 1:
        table = next(name for name, digit in TABLES.items() if digit == int(numbered[1]))
        return _place(table, int(numbered[2]) - 1, text)
    raise AddressTrouble(f"{text!r} is no address; write 'holding 0' (counted from 0) or 40001 (counted from 1)")


def _place(table: str, address: int, text: str) -> Place:
    if not 0 <= address <= 0xFFFF:
        raise AddressTrouble(f"{text!r}: addresses run from 0 to 65535")
    return Place(table, address)


@dataclass(frozen=True, slots=True)
class Block:
    """One read: `count` registers or bits from `place` on."""

    place: Place
    count: int

    def holds(self, place: Place, count: int) -> bool:
        first = self.place.address
        return (
            place.table == self.place.table and first <= place.address and place.address + count <= first + self.count
        )


def blocks(wanted: Iterable[tuple[Place, int]], gap: int = 8) -> list[Block]:
    """As few reads as hold all that is wanted. Neighbours up to `gap` apart are read together, within the limits of the
    protocol; a value is never cut in two."""
    out: list[Block] = []
    for place, count in sorted(wanted):
        most = MOST_BITS if place.table in ("coil", "discrete") else MOST_REGISTERS
        last = out[-1] if out else None
        if last is not None and last.place.table == place.table:
            end = last.place.address + last.count
            new_end = max(end, place.address + count)
            if place.address <= end + gap and new_end - last.place.address <= most:
                out[-1] = Block(last.place, new_end - last.place.address)
                continue
        out.append(Block(place, count))
    return out
