"""What the book keeps, as data: links, chunks of bytes and events. Times are microseconds; UTC since 1970."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ordolex.core.link.judge import LineErrors
from ordolex.core.text.charsets import CHARSETS, UNCHOSEN


@dataclass(frozen=True, slots=True)
class LinkRecord:
    """A link of the book. `adapter` is the port's identity, which outlives its number; `source` says where the line
    settings came from; `first_question` is offered when the link is opened; `sheet` names the device's sheet,
    `unit` is the unit ID on a bus (-1: as the sheet says), `identity` what the device said that it is."""

    id: int
    name: str
    endpoint: str
    line: str = ""
    source: str = ""
    adapter: str = ""
    first_question: str = ""
    line_end: str = "LF"
    sheet: str = ""
    unit: int = -1
    identity: str = ""
    outputs: str = ""
    """`low`: the port is opened with DTR and RTS low, for a device that resets when DTR rises."""
    charset: str = ""
    """The device's character set, a name of CHARSETS; empty where nobody chose one."""

    @property
    def reads_in(self) -> str:
        """The character set in which its lines are shown, and what is typed goes out."""
        return self.charset if self.charset in CHARSETS else UNCHOSEN


@dataclass(slots=True)
class Chunk:
    """Bytes that passed one link in one direction, `rx` or `tx`, with the time of the first and of the last.

    Line errors belong to the first byte: a byte that came with an error begins a chunk.
    """

    link: int
    direction: str
    utc_us: int
    mono_us: int
    parts: list[bytes]
    last_mono_us: int
    errors: LineErrors | None = None
    id: int = 0

    @property
    def data(self) -> bytes:
        return self.parts[0] if len(self.parts) == 1 else b"".join(self.parts)


CUTTING_EVENTS = frozenset({"opened", "released", "lost", "settings", "answer"})
"""Events after which a line that was coming in does not go on, or which speak of it: it stands before them."""


BOOKKEEPING = frozenset({"rung", "answer", "lines"})
"""Kinds of events that say again what the bytes beside them say: a timeline folds them away until it is asked."""


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened, other than bytes. `link` is 0 for the book as a whole.

    Kinds: opened, refused, released, lost, back, settings, rung, answer, lines, note, recording, try, everywhere,
    trial, match, sent (a break), outputs, table (a list pulled from the device), withheld (a secret, or its echo:
    `direction` and number of `bytes` in the detail), mark.
    """

    link: int
    utc_us: int
    mono_us: int
    kind: str
    text: str
    detail: dict[str, Any] = field(default_factory=dict)
    id: int = 0

    @property
    def words(self) -> str:
        """The sentence for a timeline."""
        return f"rung {self.text}" if self.kind == "rung" else self.text
