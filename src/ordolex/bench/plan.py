"""The bench's plan: which stand-ins are served, and how each behaves. TOML, described in docs/bench.md."""

from __future__ import annotations

import tomllib
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, field_validator, model_validator

from ordolex.bench.catalogue import kinds
from ordolex.bench.errors import PlanError
from ordolex.bench.garble import KINDS
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.text.refusals import refusal_words


class DevicePlan(BaseModel):
    """One `[[device]]` of a plan."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    kind: str
    line: str = "9600 8N1"
    polarity: Literal["normal", "inverted"] = "normal"
    noise: float = Field(0.0, ge=0.0, le=0.5, description="chance that a bit is turned over")
    latency_ms: float = Field(0.0, ge=0.0, le=60_000)
    clock: float = Field(1.0, gt=0.5, lt=1.5, description="how fast its clock runs: 1.02 is two percent fast")
    gap_bits: float = Field(0.0, ge=0.0, le=1000.0, description="idle bits between its characters")
    garble: str = Field("", description="what is wrong with what it says: a word of bench fault garble")
    overrun_above: int = Field(0, ge=0, description="baud above which the port before it loses characters; 0: none")
    pty: bool = False
    twin: bool = Field(False, description="its adapter makes a second port, behind which nothing is")
    port: int = Field(0, ge=0, le=65535, description="TCP port on 127.0.0.1; 0 or one in use: any free one")
    first_question: str = ""
    unit: int = Field(1, ge=0, le=255)
    raw: bool = Field(False, description="served as plain TCP in place of RFC 2217")
    units: list[Annotated[int, Field(ge=1, le=247)]] = Field([3, 4, 7], min_length=1, max_length=32)
    dials: dict[str, str] = Field({}, description="telephone number → name of the device that answers there")
    interval_s: float = Field(2.0, ge=0.0, le=3600, description="how often a device that talks by itself speaks")

    @property
    def settings(self) -> LineSettings:
        """Its own line settings."""
        return read_line(self.line).settings

    @field_validator("kind")
    @classmethod
    def _kind_is_known(cls, value: str) -> str:
        if value not in kinds():
            raise ValueError(f"{value!r} is no stand-in; there are {', '.join(sorted(kinds()))}")
        return value

    @field_validator("line")
    @classmethod
    def _line_can_be_read(cls, value: str) -> str:
        return value if value == "any" else read_line(value).settings.text

    @field_validator("garble")
    @classmethod
    def _garble_is_known(cls, value: str) -> str:
        if value and value not in KINDS:
            raise ValueError(f"{value!r} is none of {', '.join(KINDS)}")
        return value

    @model_validator(mode="after")
    def _only_a_plug_has_any_line(self) -> DevicePlan:
        if self.line == "any" and self.kind != "echo":
            raise ValueError(f"line: a device of kind {self.kind!r} has settings of its own, such as 9600 8N1")
        return self


class ChannelPlan(BaseModel):
    """One `[[box.channel]]`: `device` is what is behind it, by its name; empty for nothing."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    device: str = ""
    mode: Literal["virtual-port", "raw", "call-out", "off"] = "raw"
    line: str = "9600 8N1"
    peer: str = Field("", description="host:port that it calls in mode call-out")

    @field_validator("line")
    @classmethod
    def _line_can_be_read(cls, value: str) -> str:
        return read_line(value).settings.text


class BoxPlan(BaseModel):
    """One `[[box]]`: a serial server in the loopback network."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    address: Annotated[str, Field(pattern=r"^127(\.\d{1,3}){3}$")]
    base: int = Field(4000, ge=1024, le=65_000, description="the TCP port before that of its first channel")
    console: int = Field(2323, ge=0, le=65_535, description="TCP port of its telnet console; 0: any free one")
    announced: bool = Field(True, description="says its name by multicast DNS")
    serial: str = Field("", description="name of the device that is its serial console")
    channel: list[ChannelPlan] = Field(min_length=1, max_length=32)


class HopPlan(BaseModel):
    """One `[[hop]]`: a stretch of path that leads `to` a host:port."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    to: Annotated[str, Field(pattern=r"^[\w.]+:\d{1,5}$")]
    address: Annotated[str, Field(pattern=r"^127(\.\d{1,3}){3}$")] = "127.0.0.1"
    port: int = Field(0, ge=0, le=65_535)
    delay_ms: float = Field(0.0, ge=0.0, le=60_000, description="each way")
    jitter_ms: float = Field(0.0, ge=0.0, le=60_000)
    loss: float = Field(0.0, ge=0.0, le=0.9)
    udp: bool = False
    late_s: float = Field(0.0, ge=0.0, le=3600, description="it listens only so long after the bench began")
    hangs_up_after: int = Field(0, ge=0, description="bytes after which it hangs up; 0: never")


class DayPlan(BaseModel):
    """`[day]`: a day of the hatchery in fast time (bench.md). `fast`: seconds of the day in one."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    fast: float = Field(600.0, gt=0, le=100_000)
    from_hour: float = Field(6.5, ge=0, lt=24)
    seed: int = 1


class Plan(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    site: str = "bench"
    device: list[DevicePlan] = Field(min_length=1, max_length=64)
    box: list[BoxPlan] = Field([], max_length=8)
    hop: list[HopPlan] = Field([], max_length=16)
    day: DayPlan | None = None
    shell: bool = Field(False, description="a real shell without login, by a pseudo-terminal")

    @model_validator(mode="after")
    def _names_differ(self) -> Plan:
        names = [device.name for device in self.device]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise ValueError(f"two devices are called {twice[0]!r}; give each its own name")
        for box in self.box:
            for name in (*(one.device for one in box.channel), box.serial):
                if name and name not in names:
                    raise ValueError(f"the box {box.name!r} has {name!r}, which is no device of the plan")
        return self


_LARGEST = 4 << 20
"""Bytes of a plan."""


def read_plan(path: Path | None) -> Plan:
    """The plan in a file, or the demo plan. Raises PlanError."""
    where = str(path) if path else "the demo plan"
    try:
        with path.open("rb") if path else files("ordolex.bench").joinpath("alder_brook.toml").open("rb") as file:
            data = file.read(_LARGEST + 1)
        if len(data) > _LARGEST:
            raise PlanError(f"{where} is longer than {_LARGEST >> 20} MB; give the path of a bench plan")
        return Plan.model_validate(tomllib.loads(data.decode()))
    except OSError as error:
        raise PlanError(f"{where} cannot be read: {error.strerror}; give the path of a bench plan") from error
    except RecursionError:
        raise PlanError(f"{where}: it is nested too deep to be read") from None
    except ValidationError as error:
        raise PlanError(f"{where}: {_first_fault(error)}") from error
    except ValueError as error:  # also a number of thousands of digits
        raise PlanError(f"{where} is no TOML: {error}") from error


def _first_fault(error: ValidationError) -> str:
    first = error.errors()[0]
    place = ".".join(str(part + 1 if isinstance(part, int) else part) for part in first["loc"])
    message = refusal_words(first, Plan)
    return f"{place}: {message}" if place else message
