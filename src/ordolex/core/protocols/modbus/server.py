"""The other half: a unit that answers requests from its tables, for the stand-ins and for testing.

It checks requests in the order of the state diagrams of the specification (V1.1b3, 6.1 to 6.21): function, value,
address, then the work itself.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TypeVar

from ordolex.core.protocols.modbus.pdu import (
    MOST_BITS,
    MOST_BITS_WRITTEN,
    MOST_READ_WRITE,
    MOST_REGISTERS,
    MOST_WRITTEN,
    Code,
    pack_bits,
    request_length,
    unpack_bits,
)

T = TypeVar("T")


class Refused(Exception):
    def __init__(self, code: Code) -> None:
        super().__init__(code)
        self.code = code


@dataclass(slots=True)
class Unit:
    """Tables are address → value; what is in none of them is no address of the unit.

    may_write  says whether a holding register takes a value; raises Refused with its code where it does not
    written    called with address and value behind each register that was written
    """

    holding: dict[int, int] = field(default_factory=dict)
    input: dict[int, int] = field(default_factory=dict)
    coils: dict[int, bool] = field(default_factory=dict)
    discrete: dict[int, bool] = field(default_factory=dict)
    identity: tuple[str, str, str] = ("", "", "")
    may_write: Callable[[int, int], None] = lambda address, value: None
    written: Callable[[int, int], None] = lambda address, value: None
    busy: bool = False
    refuses: bool = False
    forgets: bool = False
    """A write is answered well and does not hold."""
    counters: dict[int, int] = field(default_factory=lambda: dict.fromkeys(range(11, 19), 0))

    def answer(self, request: bytes) -> bytes:
        """The answer's PDU."""
        self.counters[14] += 1
        self.counters[11] += 1
        try:
            if self.busy:
                raise Refused(Code.BUSY)
            if request_length(request) == 0:
                raise Refused(Code.ILLEGAL_FUNCTION)
            if request_length(request) != len(request):
                raise Refused(Code.ILLEGAL_VALUE)
            return self._do(request)
        except Refused as refused:
            self.counters[13] += 1
            return bytes([request[0] | 0x80, refused.code])

    def _do(self, request: bytes) -> bytes:
        function = request[0]
        match function:
            case 1 | 2:
                return self._read_bits(request)
            case 3 | 4:
                return self._read_registers(function, *struct.unpack(">HH", request[1:]))
            case 5:
                return self._write_coil(request)
            case 6:
                self._write(int.from_bytes(request[1:3]), [int.from_bytes(request[3:5])])
                return request
            case 8:
                return self._diagnose(request)
            case 11:
                return b"\x0b\0\0" + (self.counters[14] & 0xFFFF).to_bytes(2)
            case 15:
                return self._write_coils(request)
            case 16:
                address, count, size = struct.unpack(">HHB", request[1:6])
                _limit(count, MOST_WRITTEN, size == 2 * count)
                self._write(address, struct.unpack(f">{count}H", request[6:]))
                return request[:5]
            case 17:
                text = " ".join(self.identity).encode("latin-1")
                return bytes([17, len(text) + 1]) + text + b"\xff"
            case 22:
                return self._mask(request)
            case 23:
                return self._read_write(request)
            case _:
                return self._identify(request)

    def _read_bits(self, request: bytes) -> bytes:
        address, count = struct.unpack(">HH", request[1:])
        _limit(count, MOST_BITS)
        table = self.coils if request[0] == 1 else self.discrete
        packed = pack_bits([_held(table, address + n) for n in range(count)])
        return bytes([request[0], len(packed)]) + packed

    def _read_registers(self, function: int, address: int, count: int) -> bytes:
        _limit(count, MOST_REGISTERS)
        table = self.input if function == 4 else self.holding
        values = [_held(table, address + n) for n in range(count)]
        return bytes([function, 2 * count]) + struct.pack(f">{count}H", *values)

    def _write_coil(self, request: bytes) -> bytes:
        address, value = struct.unpack(">HH", request[1:])
        if value not in (0, 0xFF00):
            raise Refused(Code.ILLEGAL_VALUE)
        self._set_coils(address, [value == 0xFF00])
        return request

    def _write_coils(self, request: bytes) -> bytes:
        address, count, size = struct.unpack(">HHB", request[1:6])
        _limit(count, MOST_BITS_WRITTEN, size == -(-count // 8))
        self._set_coils(address, unpack_bits(request[6:], count))
        return request[:5]

    def _set_coils(self, address: int, bits: list[bool] | tuple[bool, ...]) -> None:
        for n in range(len(bits)):
            _held(self.coils, address + n)
        if self.refuses:
            raise Refused(Code.DEVICE_FAILURE)
        if not self.forgets:
            self.coils |= {address + n: bit for n, bit in enumerate(bits)}

    def _write(self, address: int, values: list[int] | tuple[int, ...]) -> None:
        for n, value in enumerate(values):
            _held(self.holding, address + n)
            self.may_write(address + n, value)
        if self.refuses:
            raise Refused(Code.DEVICE_FAILURE)
        if self.forgets:
            return
        for n, value in enumerate(values):
            self.holding[address + n] = value
        for n, value in enumerate(values):
            self.written(address + n, value)

    def _diagnose(self, request: bytes) -> bytes:
        sub = int.from_bytes(request[1:3])
        if sub == 0:
            return request
        if sub == 10:
            self.counters = dict.fromkeys(self.counters, 0)
            return request
        if sub not in self.counters:
            raise Refused(Code.ILLEGAL_FUNCTION)
        return request[:3] + (self.counters[sub] & 0xFFFF).to_bytes(2)

    def _mask(self, request: bytes) -> bytes:
        address, and_mask, or_mask = struct.unpack(">HHH", request[1:])
        old = _held(self.holding, address)
        self._write(address, [old & and_mask | or_mask & ~and_mask & 0xFFFF])
        return request

    def _read_write(self, request: bytes) -> bytes:
        read_at, count, write_at, writes, size = struct.unpack(">HHHHB", request[1:10])
        _limit(count, MOST_REGISTERS)
        _limit(writes, MOST_READ_WRITE, size == 2 * writes)
        self._write(write_at, struct.unpack(f">{writes}H", request[10:]))
        return bytes([23]) + self._read_registers(3, read_at, count)[1:]

    def _identify(self, request: bytes) -> bytes:
        if request[1] != 14 or not any(self.identity):
            raise Refused(Code.ILLEGAL_FUNCTION)
        if request[2] not in (1, 2, 3, 4) or (request[2] == 4 and request[3] > 2):
            raise Refused(Code.ILLEGAL_VALUE if request[2] not in (1, 2, 3, 4) else Code.ILLEGAL_ADDRESS)
        wanted = range(request[3], request[3] + 1) if request[2] == 4 else range(3)
        objects = b"".join(
            bytes([n, len(self.identity[n])]) + self.identity[n].encode("latin-1") for n in wanted if n < 3
        )
        return bytes([43, 14, request[2], 0x81, 0, 0, len(wanted)]) + objects


def _limit(count: int, most: int, fits: bool = True) -> None:
    if not 1 <= count <= most or not fits:
        raise Refused(Code.ILLEGAL_VALUE)


def _held(table: dict[int, T], address: int) -> T:
    if address not in table:
        raise Refused(Code.ILLEGAL_ADDRESS)
    return table[address]
