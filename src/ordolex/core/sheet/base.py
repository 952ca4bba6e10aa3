"""What all parts of a sheet share."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, StringConstraints

from ordolex.core.text.charsets import UNCHOSEN, encoded
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.patterns import checked

FIELD = re.compile(r"\{(\w+)\}")


def filled(template: str, values: Mapping[str, str], charset: str = UNCHOSEN) -> bytes:
    """What is sent for a template: its own control bytes are written out, those of a value are not read as such.
    Raises CharsetError for a character of a value that the character set has not."""
    out, end = b"", 0
    for found in FIELD.finditer(template):
        if found[1] in values:
            out += to_bytes(template[end : found.start()]) + encoded(values[found[1]].strip(), charset)
            end = found.end()
    return out + to_bytes(template[end:])


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
