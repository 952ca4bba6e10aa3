"""Values of a device's parameters: what a person types for one, whether it may be, and what became of it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from ordolex.core.protocols.modbus.values import decode, encode, unscaled
from ordolex.core.sheet.parameters import Parameter, Setting
from ordolex.core.text.charsets import UNREAD
from ordolex.core.text.digits import exact, whole_or
from ordolex.core.text.patterns import fullmatch
from ordolex.core.text.refusals import shape_words

_ON, _OFF = ("on", "1", "yes", "true"), ("off", "0", "no", "false")


def read_setting(parameter: Parameter, text: str) -> Setting:
    """What a typed value means. Raises ValueError with what would be right; nothing that is refused here is sent."""
    text = text.strip()
    if not text:
        raise ValueError(f"{parameter.name}: give a value{_such(parameter)}")
    match parameter.kind:
        case "choice":
            return _choice(parameter, text)
        case "switch":
            if text.lower() not in (*_ON, *_OFF):
                raise ValueError(f"{parameter.name}: on or off")
            return int(text.lower() in _ON)
        case "text":
            if not text.isprintable() or UNREAD in text:
                raise ValueError(f"{parameter.name}: holds characters that cannot be typed")
            if parameter.pattern and not fullmatch(parameter.pattern, text):
                raise ValueError(f"{parameter.name}: {text!r} cannot be: {shape_words(parameter.pattern)}")
            return text
    return _number(parameter, text)


def _choice(parameter: Parameter, text: str) -> Setting:
    for key, words in parameter.choices.items():
        if text.lower() in (key.lower(), words.lower()):
            return int(key) if key.lstrip("-").isdecimal() else key
    raise ValueError(f"{parameter.name}: {text!r} is none of {parameter.limits}")


def _number(parameter: Parameter, text: str) -> Setting:
    number, _, unit = text.partition(" ")
    if parameter.unit and text.lower().endswith(parameter.unit.lower()) and not unit:
        number, unit = text[: -len(parameter.unit)], parameter.unit
    if unit.strip() and unit.strip().lower() != parameter.unit.lower():
        raise ValueError(f"{parameter.name}: the unit is {parameter.unit or 'none'}, not {unit.strip()}")
    try:
        value = int(number) if re.fullmatch(r"[+-]?\d{1,300}", number, re.ASCII) else float(number)
    except ValueError:
        raise ValueError(f"{parameter.name}: {number!r} is no number{_such(parameter)}") from None
    if value != value or value in (float("inf"), float("-inf")):
        raise ValueError(f"{parameter.name}: {number!r} is no value")
    if parameter.kind == "whole" and value != int(value):
        raise ValueError(f"{parameter.name}: {number} has decimals, it takes whole numbers")
    if parameter.low is not None and value < parameter.low:
        raise ValueError(f"{parameter.name}: {number} is less than {exact(parameter.low)} {parameter.unit}".rstrip())
    if parameter.high is not None and value > parameter.high:
        raise ValueError(f"{parameter.name}: {number} is more than {exact(parameter.high)} {parameter.unit}".rstrip())
    return whole_or(value)


def _such(parameter: Parameter) -> str:
    return f", such as {parameter.limits}" if parameter.limits else ""


def shown(parameter: Parameter, value: Setting | None) -> str:
    """The value for people, without its unit."""
    if value is None:
        return ""
    if parameter.kind == "choice":
        return parameter.choices.get(str(value), str(value))
    if parameter.kind == "switch":
        return "on" if value in (1, "1") or str(value).lower() in _ON else "off"
    return exact(value) if isinstance(value, float) else str(value).rstrip()


def same(parameter: Parameter, one: Setting | None, other: Setting | None) -> bool:
    """Whether two values are equal, as far as the device can tell them apart."""
    if one is None or other is None:
        return one is other
    if isinstance(one, str) or isinstance(other, str):
        texts = [str(value).strip() for value in (one, other)]
        return len({text if parameter.kind == "text" else text.lower() for text in texts}) == 1
    return one == other or _as_kept(parameter, one) == _as_kept(parameter, other)


def _as_kept(parameter: Parameter, value: float) -> object:
    """What the device has of it: its registers or bytes, by type and scale; what cannot stand there is itself."""
    try:
        if parameter.modbus is not None:
            register = parameter.modbus
            raw = unscaled(value, register.scale, register.offset, register.type)
            return decode(encode(raw, register.type), register.type)
        if parameter.payload is not None:
            return parameter.payload.packed(value)
    except ValueError:
        pass
    return value


class Outcome(StrEnum):
    READ = "read"
    REFUSED = "refused"
    SILENT = "no answer"
    WRONG = "wrong answer"


@dataclass(frozen=True, slots=True)
class Reading:
    """One value as it was read. `words` says why there is none; a wrong answer, a refusal and none are three things.
    `stands` says that the answer was right, and that what stands there is no value of its type."""

    name: str
    outcome: Outcome
    value: Setting | None = None
    raw: bytes = b""
    words: str = ""
    ms: float | None = None
    stands: bool = False


@dataclass(frozen=True, slots=True)
class Written:
    """What became of a change. verdict: held, unchanged, not held, refused, no answer, wrong answer, not read back."""

    name: str
    before: Setting | None
    wanted: Setting
    after: Setting | None
    verdict: str
    words: str = ""

    @property
    def good(self) -> bool:
        return self.verdict in ("held", "unchanged")
