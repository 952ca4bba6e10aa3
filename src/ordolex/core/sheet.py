"""A device's sheet: what a technician knows of one kind of device, in a file that he can write with the manual beside
him. docs/sheets.md describes every key; a test holds the two together.

This first form holds identity, line settings with their source, wake, harmless questions, lists, readiness and wiring
end.
"""

from __future__ import annotations

import re
import tomllib
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, ValidationError, field_validator

from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.text.escapes import to_bytes
from ordolex.core.wiring.connectors import ENDS

Words = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=400)]


class SheetError(ValueError):
    """A sheet that cannot be read; the message names file, line, key and what would be right."""


class _Table(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


def _pattern(value: str) -> str:
    try:
        re.compile(value)
    except re.error as error:
        raise ValueError(f"is no pattern: {error}") from error
    return value


def _sent(value: str) -> str:
    to_bytes(value)
    return value


Pattern = Annotated[str, AfterValidator(_pattern)]
"""A regular expression."""
PatternWords = Annotated[Words, AfterValidator(_pattern)]
Sent = Annotated[str, AfterValidator(_sent)]
"""Text in which control bytes are written out."""
SentWords = Annotated[Words, AfterValidator(_sent)]


def _end(value: str) -> str:
    if value not in ENDS:
        raise ValueError(f"{value!r} is no end; choose one of {', '.join(ENDS)}")
    return value


class SheetLine(_Table):
    """Line settings as shipped, and where they are known from."""

    settings: str
    source: Words

    @field_validator("settings")
    @classmethod
    def _can_be_read(cls, value: str) -> str:
        return value if value == "any" else read_line(value).settings.text


class SheetQuestion(_Table):
    """Something to send. `like` is a pattern for the whole of a right answer; only harmless ones are asked unbidden."""

    name: Words
    send: SentWords
    like: Pattern = ""
    timeout_s: float = Field(1.0, gt=0, le=600)
    harmless: bool = False
    means: str = ""

    def question(self) -> Question:
        return Question(to_bytes(self.send), timeout_s=self.timeout_s, like=self.like)


class Jumper(_Table):
    """A jumper or switch that is moved for the work, and put back afterwards. `positions` are the words printed
    beside it, from left to right or from top to bottom, for a drawing."""

    what: Words
    for_work: Words
    restore: Words
    positions: list[Words] = []


class Lamp(_Table):
    """Something that the device's own lamp or display shows, and what that means."""

    shows: Words
    means: Words


class Revision(_Table):
    """A model or hardware revision whose connector differs."""

    model: Words
    wiring_end: str

    @field_validator("wiring_end")
    @classmethod
    def _is_an_end(cls, value: str) -> str:
        return _end(value)


class ListPlan(_Table):
    """One list of the device. `row` is a pattern for a whole row, its named groups the columns; without it, columns are
    found in the text. Lines that `heading` fits are no rows."""

    number: int = Field(ge=0, le=65535)
    name: Words
    row: Pattern = ""
    heading: Pattern = ""


class Lists(_Table):
    """How lists are asked for. `{number}` in the command is the list's; `more` is the text at which a page ends, and
    `go_on` what is sent there; `end` is a pattern for what stands behind the last row; `echo` says that the device
    gives the command back first."""

    command: SentWords
    more: str = ""
    go_on: Sent = " "
    end: Pattern = ""
    echo: bool = False
    table: list[ListPlan] = []


class Leave(_Table):
    """How the device is left properly. `open` is a pattern for the prompt at which something is still open, `send`
    what closes it there, and `done` a pattern for what the device says then."""

    open: PatternWords
    send: SentWords
    done: Pattern = ""


class Ready(_Table):
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


class Sheet(_Table):
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
    lists: Lists | None = None
    leave: Leave | None = None
    ready: Ready | None = None

    @field_validator("wiring_end")
    @classmethod
    def _is_an_end(cls, value: str) -> str:
        return _end(value) if value else value

    @field_validator("wake")
    @classmethod
    def _can_wake(cls, value: list[str]) -> list[str]:
        for text in value:
            to_bytes(text)
        return value

    @property
    def harmless(self) -> list[SheetQuestion]:
        return [question for question in self.question if question.harmless]


def read_sheet(text: str, file: str) -> Sheet:
    """Raises SheetError."""
    try:
        return Sheet.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise SheetError(f"{file}: {error}") from error
    except ValidationError as error:
        first = error.errors()[0]
        cause = first.get("ctx", {}).get("error")
        message = str(cause) if isinstance(cause, ValueError) else first["msg"]
        key = ".".join(str(part + 1) if isinstance(part, int) else part for part in first["loc"])
        raise SheetError(f"{file}, line {line_of(text, first['loc'])}: {key}: {message}") from error


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


def to_restore(sheet: Sheet, ticked: list[str]) -> list[str]:
    """What must be put back at the end, because the step that moved it was ticked; and how what was given power is
    powered down, in its order."""
    jumpers = sheet.ready.jumper if sheet.ready is not None else []
    moved = [f"{j.what}: {j.restore}" for j in jumpers if any(step.startswith(f"{j.what}:") for step in ticked)]
    powered = sheet.ready is not None and any(step.startswith("Power:") for step in ticked)
    steps = sheet.ready.power_down if powered and sheet.ready is not None else []
    return moved + [f"{sheet.device}, step {number}: {step}" for number, step in enumerate(steps, 1)]


def jumper_drawing(jumper: Jumper) -> list[str]:
    """The jumper or switch with its positions, for the work and afterwards: `■` where it stands, `□` where not.

    A position is taken to be meant where its printed word stands in the sheet's sentence; none drawn without words.
    """
    rows = []
    for when, sentence in (("for the work", jumper.for_work), ("afterwards", jumper.restore)):
        at = [word for word in jumper.positions if re.search(rf"(?<!\w){re.escape(word)}(?!\w)", sentence)]
        if len(at) == 1:
            rows.append(
                f"{when:14}" + "   ".join(f"{'■' if word == at[0] else '□'} {word}" for word in jumper.positions)
            )
    return rows


def checklist(sheet: Sheet) -> list[str]:
    """The readiness list in the order of the work."""
    ready = sheet.ready
    if ready is None:
        return []
    steps = [f"Saved project: {ready.project}"] if ready.project else []
    steps.append(f"Power: {ready.power}")
    steps += [f"Plugging, step {number}: {step}" for number, step in enumerate(ready.order, 1)]
    steps += [f"{jumper.what}: {jumper.for_work} (put back at the end: {jumper.restore})" for jumper in ready.jumper]
    if ready.boot_s:
        steps.append(f"Booted: up to {ready.boot_s:g} s after power; c counts down")
    steps.append(f"Ready: {ready.sign}")
    if ready.credentials:
        steps.append(f"Credentials in hand: {ready.credentials}")
    return steps
