"""Where a value stands in the answer to a question, what it is, and what "no value" looks like there."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from ordolex.core.sheet.base import Part, Pattern, Words


class ValueField(Part):
    """One value of an answer, found in one way:

    group     a group of the question's `like`
    column    the column of this number, from 1; with `sentence` the field behind that sentence's address
    places    first and last character, from 1, of the first line
    key       what stands before `=` or `:`

    `comma` says that numbers have a decimal comma; one between digits then separates no columns.
    `none` lists what stands there when the device has no value; `scale` and `offset` make number × scale + offset.
    """

    name: Words
    unit: str = ""
    kind: Literal["number", "text"] = "number"
    comma: bool = False
    scale: float = 1.0
    offset: float = 0.0
    none: list[str] = []
    group: str = ""
    column: int = Field(default=0, ge=0, le=250)
    places: tuple[int, int] | None = None
    key: str = ""
    sentence: str = ""

    @model_validator(mode="after")
    def _is_found_in_one_way(self) -> ValueField:
        ways = [way for way in ("group", "places", "key") if getattr(self, way)] + (["column"] if self.column else [])
        if len(ways) != 1:
            raise ValueError(f"value {self.name!r}: give one of group, column, places or key")
        if self.sentence and not self.column:
            raise ValueError(f"value {self.name!r}: a sentence needs the number of its field as column")
        if self.places is not None and not 1 <= self.places[0] <= self.places[1]:
            raise ValueError(f"value {self.name!r}: places are the first and the last character, from 1")
        if self.scale == 0:
            raise ValueError(f"value {self.name!r}: scale 0 cannot be")
        return self


class Said(Part):
    """Something that a device says by itself, again and again, with values in it. `like` fits one such line."""

    name: Words
    like: Pattern
    between: str = ""
    value: list[ValueField]

    @model_validator(mode="after")
    def _has_groups(self) -> Said:
        groups_are_there(self.value, self.like)
        return self


def groups_are_there(fields: list[ValueField], like: str) -> None:
    """Raises ValueError where a field names a group that its pattern lacks."""
    import regex

    groups = set(regex.compile(like).groupindex) if like else set()
    for field in fields:
        if field.group and field.group not in groups:
            raise ValueError(f"value {field.name!r}: the pattern has no group {field.group!r}")
