"""In which order settings are tried on a device that only speaks when asked, and what is sent at each.

One port setting reaches several formats of the device. Sent with two stop bits and eight data bits, a character with
its bit 7 as it happens to be is right for 8N1, 8N2 and 7S1; with bit 7 as its parity it is right for 7E1 or 7O1; with
bit 7 set it is right for 7M1 and 7N2. Only eight bits with parity need a setting of their own.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from ordolex.core.line.settings import LineSettings, Parity, parity_bit
from ordolex.core.match.formats import Format
from ordolex.core.match.formats import usual as usual_format
from ordolex.core.match.rates import usual as usual_rate

RATES = (9600, 19200, 115200, 38400, 4800, 2400, 57600, 1200, 300, 600, 14400, 28800, 230400, 31250, 76800, 460800,
         921600, 110, 150, 10400, 250000)  # fmt: skip
"""From the most usual to the rarest."""
_WAIT_S, _TUNE_S = 0.32, 0.05
_FIRST = 3.0  # the second question is worth three quarters of the first
_FRAMED = {"8E1": 6.0, "8N1": 5.0, "8N2": 2.5, "8O1": 1.5}
"""How usual a format is where frames of bytes are spoken: Modbus over serial line V1.02, 2.5.1, wants 8E1, and two stop
bits where there is no parity; devices are often 8N1 all the same."""
_SIGN_ON = b"/?"
_SIGN_ON_AT, _METER = {300: 12.0, 9600: 1.5, 2400: 1.0, 4800: 1.0, 19200: 1.0}, {"7E1": 8.0, "8N1": 1.0}
"""IEC 62056-21, 6.2: a meter is signed on to at 300 7E1; some are set to another rate for good."""


@dataclass(frozen=True, slots=True)
class Attempt:
    """line      how the port is set
    question  what is meant; sent: the bytes as they go out at this port setting
    reaches   formats of the device that read it rightly, like `7E1`
    """

    line: LineSettings
    question: bytes
    sent: bytes
    reaches: tuple[str, ...]

    @property
    def key(self) -> tuple[str, bytes]:
        """By which the book says that it was tried."""
        return self.line.text, self.sent


def with_bit_7(data: bytes, parity: Parity) -> bytes:
    """Seven-bit characters whose eighth bit is the parity bit."""
    return bytes(byte & 0x7F | (parity_bit(parity, (byte & 0x7F).bit_count()) or 0) << 7 for byte in data)


def attempts(
    questions: Sequence[bytes],
    known: Sequence[LineSettings] = (),
    tried: Collection[tuple[str, bytes]] = (),
    wait_s: float = _WAIT_S,
) -> list[Attempt]:
    """All attempts in order: `known` settings first (of the sheet, of the site's other links), then what is expected to
    settle most for each second that it takes; `wait_s` is how long an answer is waited for.

    Nothing in `tried` comes again, and no bytes twice at one setting.
    """
    out: list[Attempt] = []
    for settings in known:
        out += [Attempt(settings, q, q, (settings.format,)) for q in questions]
    near = {settings.baud for settings in known}
    rest = [one for baud in {*near, *RATES} for one in (*_plain(baud, questions), *_with_parity(baud, questions))]
    place = {question: number for number, question in enumerate(questions)}
    out += sorted(rest, key=lambda one: -expected(one, place[one.question], near) / seconds(one, wait_s))
    seen = set(tried)
    fresh = []
    for attempt in out:
        if attempt.key not in seen:
            seen.add(attempt.key)
            fresh.append(attempt)
    return fresh


def expected(attempt: Attempt, place: int, near: Collection[int] = ()) -> float:
    """How likely it is, as a weight, that the device is set so and answers this question: `place` is the question's
    among all, the likeliest first. Frames of bytes that are no characters travel in eight bits, mostly with parity."""
    if attempt.question.startswith(_SIGN_ON):
        own = _SIGN_ON_AT.get(attempt.line.baud, 0.3) * max(_METER.get(reach, 0.1) for reach in attempt.reaches)
        return own / (place + _FIRST)
    framed = any(byte >= 0x80 or byte < 0x08 for byte in attempt.question)
    formats = sum(_FRAMED.get(reach, 0.0) if framed else usual_format(_format(reach)) for reach in attempt.reaches)
    return usual_rate(attempt.line.baud, near) * formats / (place + _FIRST)


def reaction_s(question: bytes) -> float:
    """How long a device may take by its standard before it answers; 0 where none says so. A meter that is signed on to
    may take 1.5 s (IEC 62056-21, 6.2): left earlier, its answer comes at other settings."""
    return 1.6 if question.startswith(_SIGN_ON) else 0.0


def _format(text: str) -> Format:
    return Format(int(text[0]), Parity(text[1]), int(text[2]))


def seconds(attempt: Attempt, wait_s: float) -> float:
    """What it takes where nothing answers: the bytes, the wait, and the change of settings."""
    return max(wait_s, reaction_s(attempt.question)) + attempt.line.seconds_for(len(attempt.sent) + 2) + _TUNE_S


def _plain(baud: int, questions: Sequence[bytes]) -> list[Attempt]:
    line = LineSettings(baud, 8, Parity.NONE, 2.0)
    out = []
    for question in questions:
        out.append(Attempt(line, question, question, ("8N1", "8N2", "7S1")))
        if all(byte < 0x80 for byte in question):
            out.append(Attempt(line, question, with_bit_7(question, Parity.EVEN), ("7E1",)))
            out.append(Attempt(line, question, with_bit_7(question, Parity.ODD), ("7O1",)))
            out.append(Attempt(line, question, with_bit_7(question, Parity.MARK), ("7M1", "7N2")))
    return out


def _with_parity(baud: int, questions: Sequence[bytes]) -> list[Attempt]:
    return [
        Attempt(LineSettings(baud, 8, parity, 1.0), question, question, (f"8{parity.value}1",))
        for parity in (Parity.EVEN, Parity.ODD)
        for question in questions
    ]


def longest_s(plan: Sequence[Attempt], wait_s: float) -> float:
    """The most that trying all of them can take."""
    return sum(seconds(attempt, wait_s) for attempt in plan)


def with_units(question: bytes, units: Sequence[int]) -> list[bytes]:
    """The question for each unit, where it carries `{unit}`; else the question itself."""
    if b"{unit}" not in question:
        return [question]
    return [question.replace(b"{unit}", str(unit).encode()) for unit in units]
