"""Procedures: a job that a device leads through prompt by prompt, planned as a form before it is typed."""

from __future__ import annotations

import re
from typing import Literal

from pydantic import Field, field_validator, model_validator

from ordolex.core.line.notation import read_line
from ordolex.core.sheet.base import FIELD, Part, Pattern, Sent, Words


class PlanField(Part):
    """One value of the form. `owner` says who supplies it; `default` is good enough where nobody says otherwise.
    `which` marks one that is no value of the device: it says which of several things is meant, such as a channel."""

    name: str = Field(pattern=r"^\w{1,30}$")
    label: Words
    kind: Literal["ipv4", "mask", "gateway", "second-jack", "host", "domain", "number", "text", "choice"] = "text"
    owner: str = ""
    default: str = ""
    optional: bool = False
    which: bool = False
    low: float | None = None
    high: float | None = None
    choices: list[str] = []
    pattern: Pattern = ""
    jack: str = ""
    """Which of several network jacks it belongs to, by a name of the sheet's own; needed where names do not tell."""
    only_if: str = ""
    """`field=value`: it applies only where another field has this value."""

    @field_validator("only_if")
    @classmethod
    def _is_a_condition(cls, value: str) -> str:
        if value and not re.fullmatch(r"\w+=.+", value):
            raise ValueError("write only_if like dhcp=no")
        return value


class Step(Part):
    """One thing to do; exactly one of the first six, and what must stand there afterwards.

    send     text; `{field}` is a value of the form, `{item}` the one in hand of a repetition
    choose   a name: the number before it in the list that the device just showed is sent, with `end` behind it
    secret   what to ask the technician for; it is neither shown nor kept
    quiet_s  wait until nothing has come for so long
    line     line settings for the port from now on
    expect   a pattern that what comes must end with; alone, nothing is sent before it
    each     repeats send or choose for each of a field's values, which stand with commas between
    only_if  `field=value`, as for a field
    unless   a pattern: the step is left out where the device stands there already
    """

    send: Sent = ""
    choose: str = ""
    secret: str = ""
    quiet_s: float = Field(0.0, ge=0, le=600)
    line: str = ""
    end: Sent = "\\r"
    expect: Pattern = ""
    each: str = ""
    only_if: str = ""
    unless: Pattern = ""
    timeout_s: float = Field(5.0, gt=0, le=600)
    means: str = ""

    @field_validator("line")
    @classmethod
    def _can_be_read(cls, value: str) -> str:
        return read_line(value).settings.text if value else value

    @model_validator(mode="after")
    def _one_thing(self) -> Step:
        given = [name for name in ("send", "choose", "secret", "quiet_s", "line") if getattr(self, name)]
        if len(given) > 1:
            raise ValueError(f"a step does one thing, this one has {' and '.join(given)}")
        if not given and not self.expect:
            raise ValueError("a step needs one of send, choose, secret, quiet_s, line or expect")
        if self.each and not (self.send or self.choose):
            raise ValueError("each repeats send or choose")
        return self

    @property
    def uses(self) -> set[str]:
        used = set(FIELD.findall(self.send + self.choose)) - {"item"}
        return used | ({self.each} if self.each else set()) | ({self.only_if.split("=")[0]} if self.only_if else set())


class Procedure(Part):
    """The form, what leads to where its values can be read (`before`, which changes nothing), the steps, a second pass
    that reads what was kept (`check`; its patterns have groups named after fields), and what makes it last (`finish`).
    With `before`, the check is done once more before anything is changed: what it reads is as found."""

    name: Words
    means: str = ""
    field: list[PlanField] = []
    before: list[Step] = []
    step: list[Step]
    check: list[Step] = []
    finish: list[Step] = []

    @model_validator(mode="after")
    def _fields_exist(self) -> Procedure:
        names = [field.name for field in self.field]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"two fields are called {name!r}")
        if self.before and not self.check:
            raise ValueError("before leads to where check reads the values; there is no check")
        for step in (*self.before, *self.step, *self.check, *self.finish):
            missing = step.uses - set(names)
            if missing:
                raise ValueError(f"a step uses the field {sorted(missing)[0]!r}, which the procedure does not have")
        self._no_circle(names)
        return self

    def _no_circle(self, names: list[str]) -> None:
        """A field that applies only if another does, which applies only if the first does, would never apply."""
        needs = {field.name: field.only_if.split("=")[0] for field in self.field if field.only_if}
        for name in names:
            seen = {name}
            at = needs.get(name)
            while at is not None:
                if at not in names:
                    raise ValueError(f"only_if of {name!r} names the field {at!r}, which the procedure does not have")
                if at in seen:
                    raise ValueError(f"only_if goes in a circle: {' → '.join([*sorted(seen), at])}")
                seen.add(at)
                at = needs.get(at)
