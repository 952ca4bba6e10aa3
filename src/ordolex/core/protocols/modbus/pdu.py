"""Requests and their answers, without address and check: the protocol data unit.

Source: MODBUS Application Protocol Specification V1.1b3, clause 6 (function codes) and 7 (exception responses).
Register addresses are zero-based as on the wire.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import IntEnum

MOST_REGISTERS, MOST_BITS = 125, 2000
"""Of one read (6.1, 6.3)."""
MOST_WRITTEN, MOST_BITS_WRITTEN, MOST_READ_WRITE = 123, 1968, 121
"""Of one write (6.11, 6.12, 6.17)."""
READS = (1, 2, 3, 4, 11, 17, 43)
"""Functions that change nothing at the device, so that they may be asked again."""
MASK_WRITE = 22
"""The function that changes single bits of a register (6.16)."""


class ModbusError(ValueError):
    """An answer that does not fit its request, or a request that cannot be. The message says which and why."""


class Code(IntEnum):
    """Exception codes (clause 7)."""

    ILLEGAL_FUNCTION = 1
    ILLEGAL_ADDRESS = 2
    ILLEGAL_VALUE = 3
    DEVICE_FAILURE = 4
    ACKNOWLEDGE = 5
    BUSY = 6
    PARITY = 8
    NO_PATH = 10
    NO_TARGET = 11


_WORDS = {
    1: "it does not know this function",
    2: "it has no such address",
    3: "it does not take this value",
    4: "it failed while doing it",
    5: "it has taken the order and needs long for it",
    6: "it is busy; ask again later",
    8: "its memory has a parity error",
    10: "the gateway has no path to it",
    11: "the gateway got no answer from it",
}


def exception_words(code: int) -> str:
    return f"exception {code}: {_WORDS.get(code, 'not a code of the specification')}"


@dataclass(frozen=True, slots=True)
class Reply:
    """What an answer holds. `exception` is its code; the rest is empty then.

    registers  values 0 to 65535, in the order of their addresses
    bits       coils or discrete inputs
    data       what diagnostics and other answers carry
    objects    of the device identification: number → bytes; `more` is the next object to ask for, or 0
    """

    function: int
    registers: tuple[int, ...] = ()
    bits: tuple[bool, ...] = ()
    data: bytes = b""
    objects: dict[int, bytes] = field(default_factory=dict)
    more: int = 0
    exception: int = 0

    @property
    def said(self) -> str:
        """The values alone, for who sees what was asked beside them."""
        return self.words.removeprefix("registers ").removeprefix("bits ").removeprefix("identity ")

    @property
    def words(self) -> str:
        if self.exception:
            return exception_words(self.exception)
        if self.registers:
            return "registers " + " ".join(str(value) for value in self.registers)
        if self.bits:
            return "bits " + "".join("1" if bit else "0" for bit in self.bits)
        if self.objects:
            return "identity " + ", ".join(text.decode("latin-1") for _, text in sorted(self.objects.items()))
        return f"done {self.data.hex(' ')}".strip()


# ---- requests


def read_bits(function: int, address: int, count: int) -> bytes:
    """Function 1, coils, or 2, discrete inputs."""
    return _read(function, (1, 2), address, count, MOST_BITS)


def read_registers(function: int, address: int, count: int) -> bytes:
    """Function 3, holding registers, or 4, input registers."""
    return _read(function, (3, 4), address, count, MOST_REGISTERS)


def write_coil(address: int, on: bool) -> bytes:
    _check(address, 1, 1)
    return struct.pack(">BHH", 5, address, 0xFF00 if on else 0)


def write_register(address: int, value: int) -> bytes:
    _check(address, 1, 1)
    return struct.pack(">BHH", 6, address, _word(value))


def diagnostics(sub: int, data: int = 0) -> bytes:
    """Function 8: sub-function 0 gives `data` back, 10 clears counters, 11 to 18 read them (6.8)."""
    return struct.pack(">BHH", 8, _word(sub), _word(data))


def write_coils(address: int, bits: Sequence[bool]) -> bytes:
    _check(address, len(bits), MOST_BITS_WRITTEN)
    packed = pack_bits(bits)
    return struct.pack(">BHHB", 15, address, len(bits), len(packed)) + packed


def write_registers(address: int, values: Sequence[int]) -> bytes:
    _check(address, len(values), MOST_WRITTEN)
    return struct.pack(">BHHB", 16, address, len(values), 2 * len(values)) + _words(values)


def event_counter() -> bytes:
    """Function 11: status and the count of messages that were answered well (6.9)."""
    return b"\x0b"


def report_id() -> bytes:
    """Function 17."""
    return b"\x11"


def mask_write(address: int, and_mask: int, or_mask: int) -> bytes:
    """Function 22: register = register AND and_mask OR (or_mask AND NOT and_mask)."""
    _check(address, 1, 1)
    return struct.pack(">BHHH", 22, address, _word(and_mask), _word(or_mask))


def read_write(read_at: int, count: int, write_at: int, values: Sequence[int]) -> bytes:
    """Function 23: the write is done before the read."""
    _check(read_at, count, MOST_REGISTERS)
    _check(write_at, len(values), MOST_READ_WRITE)
    return struct.pack(">BHHHHB", 23, read_at, count, write_at, len(values), 2 * len(values)) + _words(values)


def device_id(level: int = 1, first: int = 0) -> bytes:
    """Function 43, MEI type 14: level 1 basic, 2 regular, 3 extended, 4 one object (6.21)."""
    return bytes([43, 14, level, first])


def _read(function: int, of: tuple[int, int], address: int, count: int, most: int) -> bytes:
    if function not in of:
        raise ModbusError(f"function {function} does not read these")
    _check(address, count, most)
    return struct.pack(">BHH", function, address, count)


def _check(address: int, count: int, most: int) -> None:
    if not 1 <= count <= most:
        raise ModbusError(f"{count} at once cannot be; one request carries 1 to {most}")
    if not 0 <= address <= 65536 - count:
        raise ModbusError(f"address {address} with {count} does not lie within 0 to 65535")


def _word(value: int) -> int:
    if not 0 <= value <= 0xFFFF:
        raise ModbusError(f"{value} does not fit into a register; 0 to 65535 do")
    return value


def _words(values: Sequence[int]) -> bytes:
    return struct.pack(f">{len(values)}H", *(_word(value) for value in values))


def pack_bits(bits: Sequence[bool]) -> bytes:
    """The first bit is the lowest of the first byte."""
    out = bytearray(-(-len(bits) // 8))
    for at, bit in enumerate(bits):
        out[at // 8] |= bool(bit) << at % 8
    return bytes(out)


def unpack_bits(data: bytes, count: int) -> tuple[bool, ...]:
    return tuple(bool(data[at // 8] >> at % 8 & 1) for at in range(count))


# ---- lengths, by which a frame is found


def request_length(pdu: bytes) -> int | None:
    """Bytes of a request whose beginning is given; None while it cannot be told, 0 for a function not known here."""
    if not pdu:
        return None
    fixed = {1: 5, 2: 5, 3: 5, 4: 5, 5: 5, 6: 5, 8: 5, 11: 1, 17: 1, 22: 7, 43: 4}
    if pdu[0] in fixed:
        return fixed[pdu[0]]
    counted = {15: 5, 16: 5, 23: 9}
    if pdu[0] in counted:
        at = counted[pdu[0]]
        return at + 1 + pdu[at] if len(pdu) > at else None
    return 0


def reply_length(pdu: bytes) -> int | None:
    """The same for an answer."""
    if not pdu:
        return None
    if pdu[0] & 0x80:
        return 2
    fixed = {5: 5, 6: 5, 8: 5, 11: 5, 15: 5, 16: 5, 22: 7}
    if pdu[0] in fixed:
        return fixed[pdu[0]]
    if pdu[0] in (1, 2, 3, 4, 17, 23):
        return 2 + pdu[1] if len(pdu) > 1 else None
    return _identity_length(pdu) if pdu[0] == 43 else 0


def _identity_length(pdu: bytes) -> int | None:
    at = 7
    if len(pdu) < at:
        return None
    for _ in range(pdu[6]):
        if len(pdu) < at + 2:
            return None
        at += 2 + pdu[at + 1]
    return at


# ---- answers


def read_reply(request: bytes, pdu: bytes) -> Reply:
    """What the answer to a request holds. Raises ModbusError where it is none to this request."""
    function = request[0]
    if pdu[:1] == bytes([function | 0x80]) and len(pdu) == 2:
        return Reply(function, exception=pdu[1])
    if pdu[:1] != bytes([function]):
        raise ModbusError(f"function {pdu[0] if pdu else 'none'} came back for function {function}")
    if reply_length(pdu) != len(pdu):
        raise ModbusError(f"{len(pdu)} bytes came back where the answer says {reply_length(pdu)}")
    match function:
        case 1 | 2:
            count = int.from_bytes(request[3:5])
            _expect(pdu[1], -(-count // 8), "bytes of bits")
            return Reply(function, bits=unpack_bits(pdu[2:], count))
        case 3 | 4 | 23:
            count = int.from_bytes(request[3:5])
            _expect(pdu[1], 2 * count, "bytes of registers")
            return Reply(function, registers=struct.unpack(f">{count}H", pdu[2:]))
        case 5 | 6 | 8 | 15 | 16 | 22:
            return _given_back(request, pdu)
        case 11:
            return Reply(function, registers=struct.unpack(">HH", pdu[1:]))
        case 43:
            return _identity(request, pdu)
        case _:
            return Reply(function, data=pdu[2:])


def _given_back(request: bytes, pdu: bytes) -> Reply:
    """Answers that repeat the request, all of it or its head."""
    function = request[0]
    if function == 8:
        if pdu[1:3] != request[1:3]:
            raise ModbusError("another diagnostic came back than was asked for")
        if request[1:3] == b"\0\0" and pdu != request:
            raise ModbusError("the query was not given back as it went out")
        return Reply(function, registers=(int.from_bytes(pdu[3:5]),), data=pdu[3:5])
    if pdu[1:5] != request[1:5]:
        raise ModbusError("another address or value came back than was written")
    if function == 22 and pdu != request:
        raise ModbusError("other masks came back than were written")
    return Reply(function, data=pdu[1:])


def _identity(request: bytes, pdu: bytes) -> Reply:
    if pdu[1:3] != request[1:3]:
        raise ModbusError("another kind of identification came back than was asked for")
    objects = {}
    at = 7
    for _ in range(pdu[6]):
        size = pdu[at + 1]
        objects[pdu[at]] = pdu[at + 2 : at + 2 + size]
        at += 2 + size
    return Reply(43, objects=objects, more=pdu[5] if pdu[4] == 0xFF else 0)


def _expect(found: int, wanted: int, what: str) -> None:
    if found != wanted:
        raise ModbusError(f"{found} {what} came back where {wanted} were asked for")
