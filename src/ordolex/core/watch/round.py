"""A round: a repeated pass of questions over links, with its values; from TOML (docs/watch.md), or made in Watch."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from pydantic import Field, ValidationError, field_validator, model_validator

from ordolex.core.line.notation import read_line
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.sheet.base import Part, Pattern, Sent, Words
from ordolex.core.sheet.fields import ValueField, groups_are_there
from ordolex.core.sheet.parameters import Register
from ordolex.core.sheet.sheet import refused_at
from ordolex.core.text.escapes import to_bytes
from ordolex.core.watch.derived import trouble_with
from ordolex.core.watch.limits import Limits

SHORTEST_S, LONGEST_S = 0.02, 7 * 86_400.0
LARGEST = 4 << 20
"""Characters of a round file."""


class RoundError(ValueError):
    """A round that cannot be; the message says where, and what would be right."""


class RoundLink(Part):
    """name       as items name it
    endpoint   where its bytes go
    line       line settings; the sheet's where left out
    sheet      the name of its sheet; none where left out
    unit       unit ID on a bus, for items that give none
    answers_s  how long an answer takes to begin, where that is known; else what was measured, else an assumption
    """

    name: Words
    endpoint: str
    line: str = ""
    sheet: str = ""
    unit: int = Field(default=-1, ge=-1, le=255)
    answers_s: float = Field(default=0.0, ge=0, le=60)

    @field_validator("endpoint")
    @classmethod
    def _is_one(cls, value: str) -> str:
        return read_endpoint(value).text

    @field_validator("line")
    @classmethod
    def _can_be_read(cls, value: str) -> str:
        return value if value in ("", "any") else read_line(value).settings.text


class RoundItem(Part):
    """One value, or the fields of one answer, that is asked for, listened for or computed.

    read      a value that the link's sheet offers: a parameter, or question/value
    ask       what is sent; `value` says where the values stand in the answer (none: one value, the first number)
    modbus    where it lies in a Modbus unit
    hear      a pattern for a line that the device says by itself; its group `value`, or the fields of `value`
    derive    computed `of` other items
    """

    name: Words
    link: str = ""
    unit_id: int = Field(default=-1, ge=-1, le=255)
    read: str = ""
    ask: Sent = ""
    like: Pattern = ""
    between: str = ""
    modbus: Register | None = None
    hear: Pattern = ""
    value: ValueField | None = None
    derive: str = ""
    of: list[str] = []
    over_s: float = Field(default=60.0, gt=0, le=86_400)
    per_s: float = Field(default=60.0, gt=0, le=86_400)
    shown: float = Field(default=0.0, allow_inf_nan=False)
    unit: str = ""
    every_s: float = Field(default=1.0, ge=SHORTEST_S, le=LONGEST_S, allow_inf_nan=False)
    timeout_s: float = Field(default=1.0, gt=0, le=60)
    low: float | None = Field(default=None, allow_inf_nan=False)
    high: float | None = Field(default=None, allow_inf_nan=False)
    hysteresis: float = Field(default=0.0, ge=0, allow_inf_nan=False)
    delay_s: float = Field(default=0.0, ge=0, le=86_400)
    dead_band: float = Field(default=0.0, ge=0, allow_inf_nan=False)
    stale_after_s: float = Field(default=0.0, ge=0)
    stuck_after_s: float = Field(default=0.0, ge=0)

    @model_validator(mode="after")
    def _is_had_in_one_way(self) -> RoundItem:
        ways = [way for way in ("read", "ask", "modbus", "hear", "derive") if getattr(self, way)]
        if len(ways) != 1:
            raise ValueError(f"item {self.name!r}: give one of read, ask, modbus, hear or derive")
        if self.derive:
            trouble = trouble_with(self.derive, self.of)
            if trouble:
                raise ValueError(f"item {self.name!r}: {trouble}")
        elif not self.link:
            raise ValueError(f"item {self.name!r}: say which link it is of")
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise ValueError(f"item {self.name!r}: low must be less than high")
        if self.value is not None:
            groups_are_there([self.value], self.like or self.hear)
        elif self.hear and "(?P<value>" not in self.hear:
            raise ValueError(
                f"item {self.name!r}: its pattern needs the group (?P<value>…), or a value that says where"
            )
        if self.ask:
            to_bytes(self.ask)
        return self

    @property
    def stale_s(self) -> float:
        """After how long a value is not one of now any more: three intervals, where nothing else is said."""
        return self.stale_after_s or max(3 * self.every_s, self.every_s + 2 * self.timeout_s)

    @property
    def limits(self) -> Limits:
        return Limits(self.low, self.high, self.hysteresis, self.delay_s, self.stuck_after_s, 2 * self.stale_s)


class Alarm(Part):
    """A command that the operating system runs when a condition begins or ends: a program and its arguments, no shell.
    What happened stands in its environment. None where left out."""

    run: list[str] = Field(default=[], max_length=32)
    bell: bool = True


class Kept(Part):
    """rotate       a size or a time after which the older bytes go into a volume beside the book, such as 500MB or 1d
    bytes_days   bytes older than this are dropped; 0: never
    values_days  values older than this are dropped, their summaries stay; 0: never
    """

    bytes_days: float = Field(default=0.0, ge=0)
    values_days: float = Field(default=0.0, ge=0)
    rotate: str = ""


class Round(Part):
    """publish  a broker that its values and events go to, whenever it runs; none where left out"""

    name: Words
    site: str = ""
    link: list[RoundLink] = []
    item: list[RoundItem] = Field(min_length=1, max_length=2000)
    until: str = ""
    publish: str = ""
    alarm: Alarm = Alarm()
    keep: Kept = Kept()

    @field_validator("publish")
    @classmethod
    def _is_a_broker(cls, value: str) -> str:
        if value and not re.fullmatch(r"mqtts?://(\[[0-9A-Fa-f:.]+\]|[^\s/@:]+)(:\d{1,5})?/?", value):
            raise ValueError(
                f"{value[:60]!r} is no broker: write mqtt://host:1883 or mqtts://host:8883; no password in it"
            )
        return value

    @model_validator(mode="after")
    def _hangs_together(self) -> Round:
        links, items = [link.name for link in self.link], [item.name for item in self.item]
        for names, what in ((links, "links"), (items, "items")):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice:
                raise ValueError(f"two {what} are called {twice!r}; give each its own name")
        for item in self.item:
            if item.link and item.link not in links:
                raise ValueError(f"item {item.name!r}: there is no link {item.link!r}; there are {', '.join(links)}")
            for one in item.of:
                if one not in items:
                    raise ValueError(f"item {item.name!r}: there is no item {one!r} to compute it of")
        self._no_circle()
        return self

    def _no_circle(self) -> None:
        made_of = {item.name: set(item.of) for item in self.item}
        while ready := [name for name, of in made_of.items() if not of & made_of.keys()]:
            for name in ready:
                del made_of[name]
        if made_of:
            raise ValueError(f"{', '.join(made_of)}: each is computed of the other")

    def link_named(self, name: str) -> RoundLink:
        return next(link for link in self.link if link.name == name)


def read_round(text: str, file: str) -> Round:
    """Raises RoundError."""
    if len(text) > LARGEST:
        raise RoundError(f"{file} has {len(text)} characters; a round has at most {LARGEST}")
    try:
        found = Round.model_validate(tomllib.loads(text))
    except ValidationError as error:
        raise RoundError(refused_at(text, file, error, Round)) from error
    except (ValueError, RecursionError) as error:
        raise RoundError(f"{file}: {error}") from error
    if found.until:
        check_until(found, found.until, file)
    return found


def check_until(round_: Round, text: str, where: str) -> None:
    """Raises RoundError for a condition that cannot be read, or speaks of what is not in the round."""
    from ordolex.core.watch.condition import ConditionError, read_condition

    try:
        condition = read_condition(text)
    except ConditionError as error:
        raise RoundError(f"{where}: {error}") from error
    unknown = sorted(condition.names - {item.name for item in round_.item})
    if unknown:
        names = ", ".join(item.name for item in round_.item[:12])
        raise RoundError(f"{where}: there is no item {unknown[0]!r}; there are {names}")


def as_toml(round_: Round) -> str:
    """The round as a file that `read_round` reads: a table for each link and item, for people to change."""
    plain = round_.model_dump(mode="json", exclude_defaults=True, exclude_none=True)
    parts = [_lines({key: value for key, value in plain.items() if key not in ("link", "item")})]
    for kind in ("link", "item"):
        parts += [f"[[{kind}]]\n{_lines(one)}" for one in plain.get(kind, [])]
    return "\n".join(parts)


def _lines(table: dict[str, Any]) -> str:
    import tomli_w

    out = ""
    for key, value in table.items():
        if isinstance(value, dict):
            inside = ", ".join(tomli_w.dumps({name: one}).strip() for name, one in value.items())
            out += f"{key} = {{ {inside} }}\n"
        else:
            out += tomli_w.dumps({key: value})
    return out
