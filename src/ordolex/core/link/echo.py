"""Whether a device gives back what it is asked, before it answers: learned from what came, over several exchanges.

An answer may begin with the text of its question and be no echo (`1` is answered `12.5`, `RATE` is answered `RATE 12`).
What is typed with a line end comes back with one; without that it is no echo until a device was seen to do so.
"""

from __future__ import annotations

import re
from collections import deque
from enum import Enum
from functools import lru_cache

ENDS = b"\r\n\0"
"""What ends a line, and a NUL that some devices send behind a CR."""
_REMEMBERED = 8
_ENOUGH = 2  # exchanges of one kind, with different questions or answers, before it is taken for a habit
_FIRST_LINES = 4  # in which the echo is looked for: somebody may have spoken before it
_CODES = re.compile(
    rb"(?:\x1b(?:\[[0-?]*[ -/]*[@-~]|[\]PX^_][^\x07\x1b]*(?:\x07|\x1b\\)?|[ -/]*[0-~])|[\x11\x13\x07\r\n\0])*"
)


class Echo(Enum):
    """A device's habit, as far as it is known."""

    UNKNOWN = "not known, or now so and now so"
    NEVER = "answers without giving back the question"
    LINE = "gives back the question as a line"
    GLUED = "gives back the question, and the answer follows on the same line"


class Form(Enum):
    """How one answer begins."""

    BARE = "with something else"
    ALONE = "it is the question's own text, and nothing more"
    LINE = "with the question as a line"
    GLUED = "with the question's own text, and goes on"
    PART = "it is a part of the question's own text"


def own_text(sent: bytes) -> bytes:
    """What is sent, without its line end."""
    return sent.strip(ENDS)


@lru_cache(128)
def form_of(sent: bytes, came: bytes) -> tuple[Form, bytes]:
    """How what came begins, and what stands behind the question's own text there (else all of it)."""
    own = own_text(sent)
    if not own:
        return Form.BARE, came
    rest = came.lstrip(ENDS)
    if not (rest.startswith(own) or own.startswith(rest)):
        at = _CODES.match(came)
        rest = came[at.end() :] if at is not None else came
    if not rest.startswith(own):  # the prompt of the answer before may stand before it, on its line
        prompted = re.match(rb"[^\r\n]{0,12}?[>$#:\])]\s?" + re.escape(own) + rb"(?=[\r\n\0])", rest)
        rest = rest[prompted.end() - len(own) :] if prompted is not None else rest
    if not rest.startswith(own):
        return (Form.PART, b"") if rest and own.startswith(rest) else (Form.BARE, came)
    behind = rest[len(own) :]
    if not behind.strip(ENDS):
        return Form.ALONE, b""
    ended = _CODES.match(behind)
    if ended is not None and set(ended[0]) & set(ENDS):
        return Form.LINE, behind
    return Form.GLUED, behind


class EchoHabit:
    """What one device was seen to do lately."""

    def __init__(self) -> None:
        self._seen: deque[tuple[Form, bytes]] = deque(maxlen=_REMEMBERED)

    def forget(self) -> None:
        self._seen.clear()

    def learn(self, sent: bytes, came: bytes, fits_whole: bool | None = None, *, apart: bool = False) -> None:
        """Takes an answer that has ended. `fits_whole` says, where the shape of a right answer is known, that only the
        whole of what came has it (True), or only what stands behind the question's own text (False). `apart` says that
        the question's own text came by itself, before the rest."""
        form, _ = form_of(sent, came)
        own = own_text(sent)
        if not own or form is Form.PART:
            return
        if form is Form.BARE and any(line.strip() == own for line in re.split(rb"[\r\n]+", came)[:_FIRST_LINES]):
            form = Form.LINE  # somebody spoke before it
        if form in (Form.LINE, Form.GLUED) and fits_whole:
            form = Form.BARE
        elif form is Form.GLUED and fits_whole is None and not apart:
            return  # a likeness says nothing
        if form is Form.ALONE:
            return  # an echo without an answer, or an answer that reads like its question
        self._seen.append((form, came))

    @property
    def now(self) -> Echo:
        forms = [form for form, _ in self._seen]
        lines, glued = forms.count(Form.LINE), forms.count(Form.GLUED)
        if not lines and not glued:
            return Echo.NEVER if len({came for _, came in self._seen}) >= _ENOUGH else Echo.UNKNOWN
        if Form.BARE in forms:
            return Echo.UNKNOWN
        if glued >= _ENOUGH and not lines:
            return Echo.GLUED
        return Echo.LINE if lines >= _ENOUGH and not glued else Echo.UNKNOWN
