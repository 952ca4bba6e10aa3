"""A device's parameters: how each is read and written, and what its value may be."""

from __future__ import annotations

import struct
from typing import Literal

from pydantic import Field, field_validator, model_validator

from ordolex.core.protocols.checks import CHECKS
from ordolex.core.protocols.families import Family
from ordolex.core.protocols.framed import FramePlan
from ordolex.core.protocols.line_check import LineCheck
from ordolex.core.protocols.modbus.address import Place, read_place
from ordolex.core.protocols.modbus.values import TYPES, unscaled
from ordolex.core.sheet.base import Part, Pattern, Sent, Words, filled
from ordolex.core.text.charsets import UNCHOSEN, UNREAD
from ordolex.core.text.escapes import to_bytes

Setting = float | int | str
PACKED = {"uint8": "B", "uint16": "H", "int16": "h", "uint32": "I", "int32": "i", "float32": "f"}
"""Types of a framed device's values, as struct has them."""


class Bus(Part):
    """How units are asked: the unit ID as shipped, how long to wait, how often to ask again."""

    unit: int = Field(default=1, ge=0, le=255)
    timeout_s: float = Field(default=0.6, gt=0, le=60)
    retries: int = Field(default=2, ge=0, le=10)
    common: bool = False
    """Whether all units of this kind ship with the same unit ID."""
    gap: int = Field(default=8, ge=0, le=100)
    """Registers between two wanted ones that are read along rather than asked for apart."""


class FrameFormat(Part):
    """The frame of a device of one's own kind; bytes are written as hex."""

    start: str = ""
    end: str = ""
    address: bool = True
    length: Literal["", "payload", "rest"] = "payload"
    check: str = ""
    check_written: Literal["high first", "low first", "hex digits"] = "high first"
    check_from: int = Field(0, ge=0, le=8)

    @field_validator("start", "end")
    @classmethod
    def _is_hex(cls, value: str) -> str:
        return _hex(value).hex(" ")

    @field_validator("check")
    @classmethod
    def _is_known(cls, value: str) -> str:
        if value and value not in CHECKS:
            raise ValueError(f"{value!r} is no check; choose one of {', '.join(CHECKS)}")
        return value

    @model_validator(mode="after")
    def _can_be_found(self) -> FrameFormat:
        if not self.length and not self.end:
            raise ValueError("a frame without a length needs an end")
        return self

    def plan(self) -> FramePlan:
        start, end = bytes.fromhex(self.start), bytes.fromhex(self.end)
        return FramePlan(start, end, self.address, self.length, self.check, self.check_written, self.check_from)


class LineCheckFormat(Part):
    """A check in each line of a device that is asked in text: `mark` stands before it, counting begins `behind` a text.
    Parameters and actions are written without it; it is put in, and taken off answers that carry a right one."""

    check: str
    written: Literal["hex digits", "high first", "low first"] = "hex digits"
    mark: Sent = ""
    behind: Sent = ""
    sent: bool = True
    answers: bool = True

    @field_validator("check")
    @classmethod
    def _is_known(cls, value: str) -> str:
        if value not in CHECKS:
            raise ValueError(f"{value!r} is no check; choose one of {', '.join(CHECKS)}")
        return value

    def plan(self) -> LineCheck:
        return LineCheck(self.check, self.written, to_bytes(self.mark), to_bytes(self.behind))


class Register(Part):
    """Where a value lies: `at` in either custom, its type, the order of its bytes, and raw × scale + offset."""

    at: str
    type: str = "uint16"
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"
    scale: float = 1.0
    offset: float = 0.0
    length: int = Field(0, ge=0, le=60)
    bit: int | None = Field(None, ge=0, le=15)

    @field_validator("at")
    @classmethod
    def _is_a_place(cls, value: str) -> str:
        read_place(value)
        return value

    @field_validator("type")
    @classmethod
    def _is_a_type(cls, value: str) -> str:
        if value not in TYPES:
            raise ValueError(f"{value!r} is no type; choose one of {', '.join(TYPES)}")
        return value

    @model_validator(mode="after")
    def _hangs_together(self) -> Register:
        if self.scale == 0:
            raise ValueError("scale: 0 cannot be")
        if self.type == "string" and not self.length:
            raise ValueError("length: a string needs its length in registers")
        return self

    @property
    def place(self) -> Place:
        return read_place(self.at)

    @property
    def count(self) -> int:
        return 1 if self.place.table in ("coil", "discrete") else TYPES[self.type] or self.length


class Payload(Part):
    """A parameter of a framed device: `ask` and `write` are payloads in hex, `{value}` is the value's bytes; the value
    stands `at` bytes into the answer's payload."""

    ask: str
    write: str = ""
    at: int = Field(0, ge=0, le=250)
    type: Literal["uint8", "uint16", "int16", "uint32", "int32", "float32"] = "uint16"
    low_first: bool = False
    scale: float = 1.0

    def packed(self, value: Setting) -> bytes:
        """The bytes of a value, as they go out. Raises ValueError where it does not fit."""
        raw = unscaled(value, self.scale, 0, self.type)
        try:
            return struct.pack(("<" if self.low_first else ">") + PACKED[self.type], raw)
        except (struct.error, OverflowError) as error:
            raise ValueError(f"{value} does not fit into {self.type}") from error

    @field_validator("ask", "write")
    @classmethod
    def _is_hex(cls, value: str) -> str:
        _hex(value.replace("{value}", "00"))
        return value


class Action(Part):
    """Something that is done to the whole device, such as storing: what is sent, or a register and the value for it."""

    send: Sent = ""
    taken: Pattern = ""
    register_at: str = ""
    value: int = 1
    boot_s: float = Field(0.0, ge=0, le=3600)
    means: str = ""

    @model_validator(mode="after")
    def _does_something(self) -> Action:
        if bool(self.send) == bool(self.register_at):
            raise ValueError("give either send or register_at")
        if self.register_at:
            read_place(self.register_at)
        return self


class Parameter(Part):
    """One value of the device.

    kind         number, whole, text, choice or switch
    read, like   for devices asked in text: what asks, and a pattern whose group `value` is the answer's value
    write        what sets it, with `{value}` in it; `taken` is a pattern for the answer that says that it was taken,
                 `confirm` a question to ask for that answer, where the device is silent after a write
    hear         a pattern with the group `value`, for devices that only talk
    code         the code in a meter's readout
    store        it must be stored in the device to last; reboot: it holds from the next start on
    changes_line it is the device's own rate: device and port change in lock step
    """

    name: Words
    means: str = ""
    kind: Literal["number", "whole", "text", "choice", "switch"] = "number"
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: dict[str, str] = {}
    pattern: Pattern = ""
    read: Sent = ""
    like: Pattern = ""
    write: Sent = ""
    taken: Pattern = ""
    confirm: Sent = ""
    hear: Pattern = ""
    code: str = ""
    modbus: Register | None = None
    payload: Payload | None = None
    writable: bool = False
    store: bool = False
    reboot: bool = False
    changes_line: bool = False
    protected: bool = False
    """It takes a write only once the sheet's `unlock` was done."""
    rank: int = 0
    """Those of a lower rank are written first."""

    @property
    def can_be_written(self) -> bool:
        return bool(self.write) or self.writable or (self.payload is not None and bool(self.payload.write))

    def fits(self, family: Family) -> None:
        """Raises ValueError where the sheet does not say how to read it."""
        ways = [way for way in ("read", "hear", "code", "modbus", "payload") if getattr(self, way)]
        if len(ways) != 1:
            raise ValueError(f"parameter {self.name!r}: give one of read, hear, code, modbus or payload")
        if ways[0] not in family.read_by:
            wanted = " or ".join(family.read_by)
            raise ValueError(f"parameter {self.name!r}: a device that speaks {family.name} is read by {wanted}")
        pattern = self.like if self.read else self.hear
        if ways[0] in ("read", "hear") and "(?P<value>" not in pattern:
            raise ValueError(f"parameter {self.name!r}: its pattern needs the group (?P<value>…)")
        if self.kind == "choice" and not self.choices:
            raise ValueError(f"parameter {self.name!r}: a choice needs its choices")
        if self.write and "{value}" not in self.write:
            raise ValueError(f"parameter {self.name!r}: write needs {{value}} where the value goes")
        if self.modbus is not None and self.writable and self.modbus.place.table in ("input", "discrete"):
            raise ValueError(f"parameter {self.name!r}: a table that is only read cannot be written")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError(f"parameter {self.name!r}: low is more than high")

    @property
    def limits(self) -> str:
        """What its value may be, in words."""
        if self.kind == "choice":
            return ", ".join(f"{key} {words}".strip() for key, words in self.choices.items())
        if self.kind == "switch":
            return "on or off"
        if self.low is not None or self.high is not None:
            low = "" if self.low is None else f"{self.low:g}"
            high = "" if self.high is None else f"{self.high:g}"
            return f"{low}..{high} {self.unit}".strip()
        return self.unit


def _hex(text: str) -> bytes:
    try:
        return bytes.fromhex(text)
    except ValueError as error:
        raise ValueError(f"{text!r} is no hex; write it like 02 0a") from error


def send_text(text: str, value: str, charset: str = UNCHOSEN) -> bytes:
    """What is sent for a value, in that character set. Raises ValueError for one that was not wholly read, and for a
    character that the set has not."""
    if UNREAD in value:
        raise ValueError(f"{value!r} holds a character that could not be read, so it cannot be sent: type it anew")
    return filled(text, {"value": value}, charset)
