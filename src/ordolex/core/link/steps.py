"""Sequences as data: what is sent, asked, waited for and set, one step after the other. A sequence is a generator that
yields steps and gets back what came of each; whoever performs it has the clock and the port, and a test has neither."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass
from typing import Any, TypeVar

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer
from ordolex.core.link.question import Question

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Ask:
    """Gives back the Answer."""

    question: Question


@dataclass(frozen=True, slots=True)
class Send:
    data: bytes


@dataclass(frozen=True, slots=True)
class Wait:
    seconds: float


@dataclass(frozen=True, slots=True)
class Quiet:
    """Waits until nothing went out for so long."""

    seconds: float


@dataclass(frozen=True, slots=True)
class Outputs:
    """Our control lines; None leaves one as it is."""

    dtr: bool | None = None
    rts: bool | None = None


@dataclass(frozen=True, slots=True)
class Retune:
    """The port to other line settings."""

    line: LineSettings


@dataclass(frozen=True, slots=True)
class Tell:
    """How far it is, for who looks on."""

    words: str


Step = Ask | Send | Wait | Quiet | Outputs | Retune | Tell
Steps = Generator[Step, Any, T]


def asked(question: Question) -> Steps[Answer]:
    """The answer, for `yield from`."""
    answer: Answer = yield Ask(question)
    return answer
