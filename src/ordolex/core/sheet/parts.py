"""A sheet's parts: line settings, questions, lists, what must be ready, how the device is left."""

from __future__ import annotations

import re
from typing import Literal

from pydantic import Field, field_validator, model_validator

from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.sheet.base import Part, Pattern, PatternWords, Sent, SentWords, Words
from ordolex.core.sheet.fields import ValueField, groups_are_there
from ordolex.core.text.escapes import to_bytes
from ordolex.core.wiring.connectors import ENDS


def end_of(value: str) -> str:
    if value not in ENDS:
        raise ValueError(f"{value!r} is no end; choose one of {', '.join(ENDS)}")
    return value


class SheetLine(Part):
    """Line settings as shipped, and where they are known from."""

    settings: str
    source: Words

    @field_validator("settings")
    @classmethod
    def _can_be_read(cls, value: str) -> str:
        return value if value == "any" else read_line(value).settings.text


class SheetQuestion(Part):
    """Something to send. `like` is a pattern for the whole of a right answer; only harmless ones are asked unbidden.
    `value` says where values stand in it, `between` what stands between its columns."""

    name: Words
    send: SentWords
    like: Pattern = ""
    timeout_s: float = Field(1.0, gt=0, le=600)
    harmless: bool = False
    means: str = ""
    between: str = ""
    value: list[ValueField] = []

    @model_validator(mode="after")
    def _has_groups(self) -> SheetQuestion:
        groups_are_there(self.value, self.like)
        return self

    def question(self) -> Question:
        return Question(
            to_bytes(self.send), timeout_s=self.timeout_s, like=self.like, means=self.means, harmless=self.harmless
        )


class Jumper(Part):
    """A jumper or switch that is moved for the work, and put back afterwards. `positions` are the words printed
    beside it, from left to right or from top to bottom, for a drawing."""

    what: Words
    for_work: Words
    restore: Words
    positions: list[Words] = []


class Mode(Part):
    """An operating mode of a serial server's channel. `gives` is what is to be had at its TCP port then: rfc2217, tcp,
    caller (it calls by itself), udp or nothing."""

    name: Words
    gives: Literal["rfc2217", "tcp", "caller", "udp", "nothing"]
    means: str = ""


class Channels(Part):
    """The channels of a serial server: `ask` brings one line for each, which `row` reads by its groups `channel`,
    `port` (the TCP port), `mode`, and if it has them `line` and `held`; `nobody` stands there for a free one."""

    ask: Sent
    row: Pattern
    done: Pattern
    nobody: str = "nobody"
    mode: list[Mode]

    @model_validator(mode="after")
    def _row_has_its_groups(self) -> Channels:
        missing = {"channel", "port", "mode"} - set(re.compile(self.row).groupindex)
        if missing:
            raise ValueError(f"row lacks the group {sorted(missing)[0]!r}")
        return self


class Lamp(Part):
    """Something that the device's own lamp or display shows, and what that means."""

    shows: Words
    means: Words


class Revision(Part):
    """A model or hardware revision whose connector differs."""

    model: Words
    wiring_end: str

    @field_validator("wiring_end")
    @classmethod
    def _is_an_end(cls, value: str) -> str:
        return end_of(value)


class ListPlan(Part):
    """One list of the device. `row` is a pattern for a whole row, its named groups the columns; without it, columns are
    found in the text. Lines that `heading` fits are no rows. A list that is asked for in another way than the others
    says so itself."""

    number: int = Field(0, ge=0, le=65535)
    name: Words
    row: Pattern = ""
    heading: Pattern = ""
    command: Sent = ""
    more: str | None = None
    go_on: Sent | None = None
    end: Pattern | None = None
    echo: bool | None = None


class Lists(Part):
    """How lists are asked for. `{number}` in the command is the list's; `more` is the text at which a page ends, and
    `go_on` what is sent there; `end` is a pattern for what stands behind the last row; `echo` says that the device
    gives the command back first."""

    command: Sent = ""
    more: str = ""
    go_on: Sent = " "
    end: Pattern = ""
    echo: bool = False
    table: list[ListPlan] = []

    @model_validator(mode="after")
    def _each_is_asked_for(self) -> Lists:
        lacking = next((one.name for one in self.table if not (one.command or self.command)), None)
        if lacking is not None or not (self.table or self.command):
            raise ValueError(f"nothing says how {lacking or 'a list'} is asked for: command")
        return self

    def of(self, one: ListPlan) -> Lists:
        """How that one is asked for: what it says itself goes before what holds for all."""
        own = {key: said for key in ("more", "go_on", "end", "echo") if (said := getattr(one, key)) is not None}
        command = (one.command or self.command).replace("{number}", str(one.number))
        return self.model_copy(update={**own, "command": command, "table": []})


class Menu(Part):
    """A way into one of the device's own menus: `enter` is sent at its usual prompt."""

    name: Words
    enter: SentWords
    means: str = ""


class Leave(Part):
    """How the device is left properly. `open` is a pattern for the prompt at which something is still open, `send`
    what closes it there, and `done` a pattern for what the device says then."""

    open: PatternWords
    send: SentWords
    done: Pattern = ""
    save: Sent = ""
    """What stores the changes and leaves, where that is another way than `send`, which leaves without storing."""


class Ready(Part):
    """What must be so before the hunt for the port begins."""

    power: Words
    boot_s: float = Field(0.0, ge=0, le=3600)
    sign: Words
    order: list[Words] = []
    jumper: list[Jumper] = []
    credentials: str = ""
    project: str = ""
    power_down: list[Words] = []
    """What to do at the end, in its order."""
