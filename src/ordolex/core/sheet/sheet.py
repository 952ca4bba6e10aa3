"""A device's sheet as a whole, and how it is read from its file."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from typing import Literal, NoReturn

from pydantic import BaseModel, ValidationError, field_validator, model_validator

from ordolex.core.protocols.families import FAMILIES, Family
from ordolex.core.sheet.base import Part, Pattern, SheetError, Words
from ordolex.core.sheet.fields import Said
from ordolex.core.sheet.metering import DeviceLog, Panel, Unlock
from ordolex.core.sheet.parameters import Action, Bus, FrameFormat, LineCheckFormat, Parameter
from ordolex.core.sheet.parts import (
    Channels,
    Lamp,
    Leave,
    Lists,
    Menu,
    Ready,
    Revision,
    SheetLine,
    SheetQuestion,
    end_of,
)
from ordolex.core.sheet.procedures import Procedure
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.refusals import refusal_words


class Sheet(Part):
    name: Words
    device: Words
    maker: str = ""
    model: str = ""
    bench_kind: str = ""
    line: SheetLine
    line_end: Literal["LF", "CR", "CR LF", "none"] = "LF"
    wake: list[str] = []
    talks: Pattern = ""
    """A pattern for a piece of what the device says unasked; for one that cannot be asked it is the proof."""
    wiring_end: str = ""
    revision: list[Revision] = []
    lamp: list[Lamp] = []
    question: list[SheetQuestion] = []
    said: list[Said] = []
    """What it says by itself, with values in it."""
    lists: Lists | None = None
    leave: Leave | None = None
    ready: Ready | None = None
    speaks: str = "text"
    bus: Bus = Bus()
    frame: FrameFormat | None = None
    line_check: LineCheckFormat | None = None
    parameter: list[Parameter] = []
    store: Action | None = None
    reboot: Action | None = None
    dial: dict[Words, str] = {}
    """The address book that comes with it: name → telephone number or dial string."""
    menu: list[Menu] = []
    channels: Channels | None = None
    procedure: list[Procedure] = []
    unlock: Unlock | None = None
    panel: list[Panel] = []
    log: DeviceLog | None = None
    shipped: list[Words] = []
    """What it ships with that others know too: a password of the manual, a log-in without one."""
    restore: list[Words] = []
    """What to put back at the end, whenever this device was worked on."""

    @property
    def family(self) -> Family:
        """What is known of the protocol that it speaks."""
        return FAMILIES[self.speaks]

    @field_validator("speaks")
    @classmethod
    def _is_a_family(cls, value: str) -> str:
        if value not in FAMILIES:
            raise ValueError(f"{value!r} is no protocol; there are {', '.join(FAMILIES)}")
        return value

    @field_validator("wiring_end")
    @classmethod
    def _is_anend_of(cls, value: str) -> str:
        return end_of(value) if value else value

    @field_validator("wake")
    @classmethod
    def _can_wake(cls, value: list[str]) -> list[str]:
        for text in value:
            to_bytes(text)
        return value

    @model_validator(mode="after")
    def _parameters_fit(self) -> Sheet:
        names = [parameter.name for parameter in self.parameter]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"two parameters are called {name!r}; give each its own name")
        for parameter in self.parameter:
            parameter.fits(self.family)
            if parameter.store and self.store is None:
                raise ValueError(f"parameter {parameter.name!r} must be stored, but the sheet has no [store]")
            if parameter.reboot and self.reboot is None:
                raise ValueError(f"parameter {parameter.name!r} takes a reboot, but the sheet has no [reboot]")
            if parameter.protected and self.unlock is None:
                raise ValueError(f"parameter {parameter.name!r} is protected, but the sheet has no [unlock]")
        self._meter_fits(dict(zip(names, self.parameter, strict=True)))
        if self.line_check is not None and self.speaks != "text":
            raise ValueError("line_check is for a device that speaks text")
        if self.speaks == "framed" and self.frame is None:
            raise ValueError("a device that speaks framed needs a [frame]")
        return self

    def _meter_fits(self, parameters: Mapping[str, Parameter]) -> None:
        if (self.unlock is not None or self.log is not None) and not self.family.framing:
            raise ValueError("unlock and log are for a device with registers")
        for panel in self.panel:
            for name in (panel.of, *(side for ratio in panel.ratios for side in ratio)):
                if name not in parameters:
                    raise ValueError(f"panel {panel.name!r}: {name!r} is no parameter")
        if self.log is not None:
            self.log.fits(parameters)

    def parameter_named(self, name: str) -> Parameter | None:
        return next((parameter for parameter in self.parameter if parameter.name == name), None)

    def waiting(self, timeout_s: float) -> Sheet:
        """The same device, with another time to wait for each answer."""
        return self.model_copy(update={"bus": self.bus.model_copy(update={"timeout_s": timeout_s})})

    @property
    def harmless(self) -> list[SheetQuestion]:
        return [question for question in self.question if question.harmless]


def read_sheet(text: str, file: str) -> Sheet:
    """Raises SheetError."""
    if len(text) > _LARGEST:
        raise SheetError(f"{file} has {len(text)} characters; a sheet has at most {_LARGEST}")
    try:
        return Sheet.model_validate(tomllib.loads(text))
    except RecursionError as error:
        raise SheetError(f"{file}: it is nested too deep to be read") from error
    except ValueError as error:
        if isinstance(error, tomllib.TOMLDecodeError | ValidationError):
            return _refused(text, file, error)
        raise SheetError(f"{file}: {error}") from error


_LARGEST = 1 << 20


def _refused(text: str, file: str, refusal: ValueError) -> NoReturn:
    """Raises SheetError, which says where."""
    try:
        raise refusal
    except tomllib.TOMLDecodeError as error:
        raise SheetError(f"{file}: {error}") from error
    except ValidationError as error:
        raise SheetError(refused_at(text, file, error, Sheet)) from error


def refused_at(text: str, file: str, error: ValidationError, model: type[BaseModel]) -> str:
    """What is wrong first in a file of tables, and in which line."""
    first = error.errors()[0]
    message = refusal_words(first, model)
    key = ".".join(str(part + 1) if isinstance(part, int) else part for part in first["loc"])
    where = f"{key}: " if key else ""
    return f"{file}, line {line_of(text, first['loc'])}: {where}{message}"


def line_of(text: str, place: tuple[int | str, ...]) -> int:
    """The line in which a key stands; for a missing one, the line of the table that lacks it."""
    lines = text.splitlines()
    at = 0
    path = ""
    for part in place:
        if isinstance(part, int):
            headers = [n for n, row in enumerate(lines) if row.strip() == f"[[{path}]]"]
            at = headers[part] if part < len(headers) else at
            continue
        path = f"{path}.{part}" if path else part
        table = [n for n, row in enumerate(lines) if row.strip() in (f"[{path}]", f"[[{path}]]")]
        key = [n for n in range(at, len(lines)) if re.match(rf"\s*{re.escape(part)}\s*=", lines[n])]
        if table:
            at = table[0]
        elif key:
            at = key[0]
    return at + 1
