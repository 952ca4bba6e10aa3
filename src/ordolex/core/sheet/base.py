"""What all parts of a sheet share."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, StringConstraints

from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.patterns import checked

Words = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=400)]


class SheetError(ValueError):
    """A sheet that cannot be read; the message names file, line, key and what would be right."""


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


def _sent(value: str) -> str:
    to_bytes(value)
    return value


Pattern = Annotated[str, AfterValidator(checked)]
"""A regular expression."""
PatternWords = Annotated[Words, AfterValidator(checked)]
Sent = Annotated[str, AfterValidator(_sent)]
"""Text in which control bytes are written out."""
SentWords = Annotated[Words, AfterValidator(_sent)]
