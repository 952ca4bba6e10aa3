"""Values in registers: numbers of several registers in each order of bytes, BCD, bits, text, scaling; and the finder
that says from a value read on the front panel, or from plausibility alone, how a device lays its numbers out.

The specification leaves numbers of more than 16 bits open (V1.1b3, 4.2 is big-endian for one register); the orders are
named after the bytes A B C D of the number, the highest first, as they come in the registers.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from ordolex.core.text.digits import of_float32

ORDERS = ("ABCD", "CDAB", "BADC", "DCBA")
TYPES = {
    "uint16": 1, "int16": 1, "uint32": 2, "int32": 2, "uint64": 4, "int64": 4, "float32": 2, "float64": 4,
    "bcd16": 1, "bcd32": 2, "bits": 1, "string": 0,
}  # fmt: skip
"""Name → registers; of a string the length says it."""
_PACKED = {
    "uint16": "H", "int16": "h", "uint32": "I", "int32": "i", "uint64": "Q", "int64": "q", "float32": "f",
    "float64": "d",
}  # fmt: skip

Value = float | int | str


class ValueTrouble(ValueError):
    """A value that cannot stand in these registers, or registers that hold none. The message says why."""


def _ordered(data: bytes, order: str) -> bytes:
    """Bytes in the device's order from those in ABCD order, and back: each order is its own inverse."""
    if order not in ORDERS:
        raise ValueTrouble(f"{order!r} is no order of bytes; there are {', '.join(ORDERS)}")
    words = [data[at : at + 2] for at in range(0, len(data), 2)]
    if order in ("CDAB", "DCBA"):
        words = words[::-1]
    if order in ("BADC", "DCBA"):
        words = [word[::-1] for word in words]
    return b"".join(words)


def decode(registers: Sequence[int], type_: str, order: str = "ABCD") -> Value:
    """The value in these registers. Raises ValueTrouble."""
    wanted = TYPES.get(type_)
    if wanted is None:
        raise ValueTrouble(f"{type_!r} is no type of value; there are {', '.join(TYPES)}")
    if wanted and len(registers) != wanted:
        raise ValueTrouble(f"{type_} takes {wanted} registers, not {len(registers)}")
    data = _ordered(struct.pack(f">{len(registers)}H", *registers), order)
    if type_ == "string":
        return data.split(b"\0")[0].decode("latin-1")  # with its blanks: undo gives them back
    if type_ == "bits":
        return registers[0]
    if type_.startswith("bcd"):
        digits = data.hex()
        if not digits.isdecimal():
            raise ValueTrouble(f"{digits} is no BCD: it holds other than decimal digits")
        return int(digits)
    value: Value = of_float32(data) if type_ == "float32" else struct.unpack(">" + _PACKED[type_], data)[0]
    return value


def encode(value: Value, type_: str, order: str = "ABCD", length: int = 0) -> tuple[int, ...]:
    """The registers that hold a value. `length` is that of a string, in registers. Raises ValueTrouble."""
    if type_ == "string":
        try:
            data = str(value).encode("latin-1")
        except UnicodeEncodeError as error:
            raise ValueTrouble(f"{error.object[error.start]!r} of {value!r} has no byte in Latin-1") from None
        if len(data) > 2 * length:
            raise ValueTrouble(f"{value!r} is too long; {2 * length} characters fit")
        data = data.ljust(2 * length, b"\0")
    elif type_.startswith("bcd"):
        digits = 4 * TYPES[type_]
        if not 0 <= float(value) < 10**digits or float(value) != int(float(value)):
            raise ValueTrouble(f"{value} cannot be BCD of {digits} digits")
        data = bytes.fromhex(f"{int(value):0{digits}d}")
    else:
        data = _packed(value, "uint16" if type_ == "bits" else type_)
    data = _ordered(data, order)
    return struct.unpack(f">{len(data) // 2}H", data)


def _packed(value: Value, type_: str) -> bytes:
    if type_ not in _PACKED:
        raise ValueTrouble(f"{type_!r} is no type of value; there are {', '.join(TYPES)}")
    try:
        number = float(value)
        if not type_.startswith("float"):
            if number != math.floor(number):
                raise ValueTrouble(f"{value} has decimals; {type_} takes whole numbers")
            return struct.pack(">" + _PACKED[type_], int(value))
        return struct.pack(">" + _PACKED[type_], number)
    except (struct.error, OverflowError, TypeError) as error:
        raise ValueTrouble(f"{value} does not fit into {type_}") from error


@dataclass(frozen=True, slots=True)
class Layout:
    """A way to read registers. `at` counts registers from the first one read; `scale` is what the raw value is
    multiplied with; `likely` is from 0 to 1."""

    at: int
    type: str
    order: str
    scale: float
    value: float
    likely: float

    @property
    def words(self) -> str:
        scaled = "" if self.scale == 1 else f" × {self.scale:g}"
        order = f" {self.order}" if TYPES[self.type] > 1 else ""
        return f"{self.type}{order}{scaled} = {self.value:.6g}"


_SCALES = (1.0, 0.1, 0.01, 0.001, 10.0)


def find_layouts(registers: Sequence[int], wanted: float | None = None, digits: int = 3) -> list[Layout]:
    """How these registers may be read, the likeliest first, ten at the most.

    `wanted` is what the front panel shows; it must fit to half of its last of `digits` significant digits. Without it,
    plausibility alone ranks: sizes that instruments show, floats with few decimals, and types that use all registers.
    """
    out: list[Layout] = []
    for type_, size in TYPES.items():
        if not size or type_ == "bits":
            continue
        for at in range(len(registers) - size + 1):
            for order in ORDERS if size > 1 else ("ABCD", "BADC"):
                try:
                    raw = float(decode(registers[at : at + size], type_, order))
                except ValueTrouble:
                    continue
                if math.isfinite(raw):
                    out += _readings(at, type_, order, raw, wanted, digits)
    out.sort(key=lambda layout: (-layout.likely, TYPES[layout.type], layout.at))
    return out[:10]


def _readings(at: int, type_: str, order: str, raw: float, wanted: float | None, digits: int) -> list[Layout]:
    if wanted is None:
        likely = _plausible(raw, type_)
        return [Layout(at, type_, order, 1.0, raw, likely)] if likely > 0.05 else []
    found = []
    for scale in _SCALES if not type_.startswith("float") else (1.0, 1000.0, 0.001):
        value = raw * scale
        step = 10.0 ** (math.floor(math.log10(abs(wanted))) - digits + 1) if wanted else 10.0**-digits
        off = abs(value - wanted) / step
        if off <= 0.5 + 1e-9:
            simple = 1.0 if scale == 1 else 0.4 if type_.startswith("float") else 0.8 if scale < 1 else 0.6
            usual = {"ABCD": 1.0, "CDAB": 0.95, "DCBA": 0.8, "BADC": 0.7}[order]
            found.append(Layout(at, type_, order, scale, value, (1 - 0.3 * off) * simple * usual))
    return found


def _plausible(raw: float, type_: str) -> float:
    size = abs(raw)
    if type_.startswith("float"):
        if raw == 0 or not 1e-3 <= size <= 1e6:
            return 0.0
        short = len(f"{size:.7g}".replace(".", "").strip("0"))
        return 0.95 - 0.03 * short if type_ == "float32" else 0.9 - 0.03 * short
    if type_.startswith("bcd"):
        return 0.25
    if size < 1_000_000:
        return (0.4 if raw >= 0 else 0.3) * (1.0 if TYPES[type_] == 1 else 0.9 if size else 0.2)
    return 0.0


def unscaled(value: Value, scale: float, offset: float, type_: str) -> Value:
    """The raw value for what people read; a whole number where the type takes nothing else. Raises ValueTrouble."""
    if isinstance(value, str) or (scale == 1 and offset == 0):
        return value
    raw = float((Decimal(str(value)) - Decimal(str(offset))) / Decimal(str(scale)))
    if type_.startswith("float"):
        return raw
    if abs(raw - round(raw)) > 1e-6 * max(1.0, abs(raw)):
        raise ValueTrouble(f"{value} cannot be set: the device's step is {abs(scale):g}")
    return round(raw)
