"""What is known of the bytes that arrive on a link, for the causes of what looks wrong."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.charsets import UNCHOSEN
from ordolex.core.text.readable import readable_share

LOOKED_AT = 512
"""Bytes, the latest, that are looked at."""
_CONTROLS = b"\r\n\t\x1b\x0e\x0f\x08\x07\x0c\x01\x02\x03\x04\x06\x11\x13\x15"


@dataclass(frozen=True, slots=True)
class Signs:
    """What is known of the bytes that arrive.

    data      the latest of them, LOOKED_AT at the most
    errors    line errors among them; None where the port reports none
    sent      what was sent last, without an answer of known shape since
    unasked   whether they came without a question
    bursts    how many separate arrivals they came in
    charset   in which they are read, a name of CHARSETS
    asked     questions sent since the port was opened, and `unanswered` those that nothing came back to
    """

    data: bytes
    errors: LineErrors | None = None
    sent: bytes = b""
    unasked: bool = False
    bursts: int = 1
    asked: int = 0
    unanswered: int = 0
    charset: str = UNCHOSEN

    def __post_init__(self) -> None:
        object.__setattr__(self, "data", self.data[-LOOKED_AT:])

    @property
    def readable(self) -> float:
        """Share of bytes that stand in a text."""
        return readable_share(self.data.replace(b"\r\0", b"\r"), self.charset, _CONTROLS)

    def rate(self, kind: str) -> float:
        """Line errors of one kind for each byte."""
        return getattr(self.errors, kind) / max(1, len(self.data)) if self.errors is not None else 0.0

    @property
    def lines(self) -> list[bytes]:
        return [line for line in re.split(rb"[\r\n]+", self.data) if line]


def text_share(data: bytes) -> float:
    """Share of bytes that are printable ASCII, line ends or tabs."""
    good = sum(32 <= byte < 127 or byte in b"\r\n\t" for byte in data)
    return good / len(data) if data else 0.0
