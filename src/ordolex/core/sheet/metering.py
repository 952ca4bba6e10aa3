"""What a sheet says of a power meter and its kin: a code before writes, what the front panel makes of the registers,
and the log that the meter keeps by itself."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import Field, field_validator

from ordolex.core.protocols.modbus.address import Place, read_place
from ordolex.core.protocols.modbus.values import TYPES
from ordolex.core.sheet.base import Part, Words
from ordolex.core.sheet.parameters import Parameter


def _place(value: str) -> str:
    read_place(value)
    return value


class Unlock(Part):
    """A code that is written into a register before protected parameters take a write. `open_at` is a register that is
    not 0 while they do; the code itself stands in no sheet."""

    register_at: str
    open_at: str = ""
    means: Words = "its code"

    @field_validator("register_at", "open_at")
    @classmethod
    def _is_a_place(cls, value: str) -> str:
        return _place(value) if value else value


class Panel(Part):
    """A value as the front panel shows it: the parameter `of`, times each ratio of two parameters, primary first, times
    `scale`."""

    name: Words
    of: str
    ratios: list[tuple[str, str]] = []
    unit: str = ""
    scale: float = 1.0


class DeviceLog(Part):
    """The log that the device keeps by itself. `slots` are parameters, choices, each of one quantity or of none, whose
    key is `nothing`; `interval` is the parameter with its interval. `count_at` says how many rows it has; the first
    begins at `first_at`, each is `row` registers long: a time of 32 bits in seconds since 1970, then a value for each
    slot. A row with more than `most` rows before it is none."""

    slots: list[str] = Field(min_length=1, max_length=32)
    nothing: str = "0"
    interval: str = ""
    count_at: str
    first_at: str
    row: int = Field(ge=3, le=120)
    most: int = Field(default=1000, ge=1, le=10_000)
    time_order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"
    type: str = "float32"
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"

    @field_validator("count_at", "first_at")
    @classmethod
    def _is_a_place(cls, value: str) -> str:
        if read_place(value).table not in ("input", "holding"):
            raise ValueError(f"{value!r}: a log lies in input or holding registers")
        return value

    @field_validator("type")
    @classmethod
    def _is_a_number(cls, value: str) -> str:
        if not TYPES.get(value):
            raise ValueError(f"{value!r} is no type of number; choose one of {', '.join(t for t in TYPES if TYPES[t])}")
        return value

    @property
    def first(self) -> Place:
        return read_place(self.first_at)

    def fits(self, parameters: Mapping[str, Parameter]) -> None:
        """Raises ValueError where it names what is not there, or a row is too short for its values."""
        for name in self.slots:
            if name not in parameters or parameters[name].kind != "choice":
                raise ValueError(f"log: the slot {name!r} is no parameter with choices")
        if self.interval and self.interval not in parameters:
            raise ValueError(f"log: the interval {self.interval!r} is no parameter")
        if (need := 2 + len(self.slots) * TYPES[self.type]) > self.row:
            raise ValueError(f"log: a row of {self.row} registers is too short, its values need {need}")
