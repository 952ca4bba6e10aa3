"""The rate of a device and of the port changed in lock step, as a sequence: told, set, asked; back where that fails."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.exchange import Answer
from ordolex.core.link.question import Question
from ordolex.core.link.steps import Retune, Steps, Tell, Wait, asked
from ordolex.core.text.charsets import text_of
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text

SETTLE_S = 0.3
BACK_TRIES = 7
BACK_S = 1.0


@dataclass(frozen=True, slots=True)
class Changed:
    """proven: whether the device answers at the wanted rate. line: where both ends are now, as far as is known."""

    proven: bool
    line: LineSettings
    words: str


def change_rate(before: LineSettings, command: bytes, to: LineSettings, question: Question) -> Steps[Changed]:
    """Sends the device's own command, sets the port, and asks; if nothing right comes, returns to the old rate, asks
    there, and says which of the two answers."""
    if command:
        yield Tell(f"telling the device: {to.baud}")
        told = yield from asked(Question(command, timeout_s=1.0))
        if refuses(told.data):
            said = visible_text(text_of(told.data).strip()[-40:])
            words = f"the device refused: {said}; nothing was changed, both are at {before.baud}"
            return Changed(False, before, words)
        yield Wait(SETTLE_S)
    yield Retune(to)
    yield Tell(f"asking at {to.baud}")
    for attempt in range(2):
        answer = yield from asked(question)
        if understood(answer):
            if attempt:  # what was heard in the middle of the change says nothing about the new rate
                yield Retune(to)
                answer = yield from asked(question)
            return Changed(
                True, to, f"both are at {to.baud} now: {counted(len(answer.data), 'byte')} answered without errors"
            )
    yield Retune(before)
    for number in range(BACK_TRIES):
        yield Tell(f"back at {before.baud}, asking, try {number + 1}")
        answer = yield from asked(question)
        if understood(answer):
            return Changed(False, before, f"no right answer at {to.baud}; both are back at {before.baud}")
        yield Wait(BACK_S)
    words = f"no right answer at {to.baud}, and none at {before.baud} any more; Match (F4) finds where the device is"
    return Changed(False, before, words)


_REFUSED = re.compile(
    rb"(?:^|\W)(?:ERROR|ERR|INVALID|REFUSED|DENIED|NOT SUPPORTED|UNKNOWN|ILLEGAL|BAD|FAILED|NAK)(?:\W|$)",
    re.IGNORECASE,
)


def refuses(answer: bytes) -> bool:
    """Whether a device's answer to a command says no: NAK, or one of the usual words."""
    return b"\x15" in answer or _REFUSED.search(answer) is not None


def understood(answer: Answer) -> bool:
    """Whether something readable came without line errors. It may stand at another prompt than was expected, or be an
    echo: that is no matter of the rate."""
    if not answer.data or answer.errors.total:
        return False
    good = sum(32 <= byte < 127 or byte in b"\r\n\t\x1b\x08" for byte in answer.data)
    return good >= 0.9 * len(answer.data)
