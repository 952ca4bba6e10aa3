"""Questions whose right answer is known by shape, from open standards. The proof of a link is an answered question.

A device's sheet will add its own; these hold for any instrument that follows IEEE 488.2, whose queries a person types
by hand. A question of any other form gets no verdict: its answer shows that bytes came back, not that they are right.
So do words that answer a query for which the standard allows more than numbers and strings.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from enum import Enum
from typing import TYPE_CHECKING, Protocol

from ordolex.core.link.echo import Echo, Form, form_of, own_text
from ordolex.core.text.charsets import UNREAD, readings_of, text_of
from ordolex.core.text.escapes import named
from ordolex.core.text.patterns import found_in, fullmatch
from ordolex.core.text.readable import beyond_ascii
from ordolex.core.text.refused import is_refusal, stands_instead
from ordolex.core.text.shown import shown
from ordolex.core.text.visible import without_codes

if TYPE_CHECKING:
    from regex import Match

_NO_CONTROLS = dict.fromkeys([*range(9), *range(14, 32), 127])
_NOT_SHOWN = bytes(range(0x20)) + b"\x7f"
_NR1 = r"[+-]?\d+"
_NRF = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?(?:[ ]?[A-Za-z%/°]{1,8})?"  # section 8.7.2 to 8.7.4, unit allowed
_ITEM = rf'(?:{_NRF}|"[^"]*")'
_COMMON: dict[str, tuple[str, str]] = {
    "*IDN?": (
        r"[^,]+,[^,]+,[^,]+,[^,]+",
        "four fields: maker, model, serial number, firmware (IEEE 488.2, 10.14)",
    ),
    "*OPC?": (r"1", "the digit 1 (IEEE 488.2, 10.19)"),
    "*ESR?": (r"\d{1,3}", "a number from 0 to 255 (IEEE 488.2, 10.12)"),
    "*ESE?": (r"\d{1,3}", "a number from 0 to 255 (IEEE 488.2, 10.11)"),
    "*SRE?": (r"\d{1,3}", "a number from 0 to 255 (IEEE 488.2, 10.35)"),
    "*STB?": (r"\d{1,3}", "a number from 0 to 255 (IEEE 488.2, 10.36)"),
    "*TST?": (_NR1, "a whole number, 0 for passed (IEEE 488.2, 10.38)"),
}
_CHANGES_NOTHING = frozenset({"*IDN?", "*ESE?", "*SRE?", "*STB?"})
"""*ESR? clears what it reads (11.5.1.2.2), *TST? starts a test (10.38), and *OPC? waits (10.19.3)."""
_QUERY = re.compile(r":?[A-Za-z][A-Za-z0-9_]*(?::[A-Za-z][A-Za-z0-9_]*)*\?")


class Codec(Protocol):
    """How the answer to a framed question is found in what comes, and what it is worth."""

    @property
    def name(self) -> str:
        """What is asked, for people."""

    @property
    def expected(self) -> str:
        """What a right answer looks like, in words."""

    @property
    def patient(self) -> bool:
        """Whether an answer may come in pieces with long silences between; a frame does not."""

    @property
    def numbered(self) -> bool:
        """Whether an answer carries the number of its question, so that it cannot be taken for another's."""

    @property
    def answers_from(self) -> object:
        """Who answers: answers of one peer to different questions can be taken for each other."""

    @property
    def reads(self) -> bool:
        """Whether the protocol says that what is asked changes nothing."""

    def whole(self, data: bytes) -> bool:
        """Whether the answer is there, so that nothing more needs to be waited for."""

    def answers(self, data: bytes) -> list[bytes]:
        """Every whole answer in it, in order, without what stands around them."""

    def after_first(self, data: bytes) -> bytes:
        """What stands behind the first whole answer."""

    def judge(self, data: bytes) -> Verdict: ...

    def refused(self, data: bytes) -> bool:
        """Whether the answer says no: it proves that we were heard, and does nothing of what was asked."""

    def words(self, data: bytes) -> str:
        """What the answer says, or why it is none."""


class Verdict(Enum):
    """What an answer is worth."""

    RIGHT = "right"
    WRONG = "wrong"
    ECHO = "echo"  # our own bytes came back: the path is whole, the device has not spoken
    UNJUDGED = "unjudged"  # the right answer's shape is not known
    NONE = "none"


@dataclass(frozen=True, slots=True)
class Question:
    """Something to send, and what is known about its answer.

    until      bytes that end the answer; None: a line end and a short silence, or a silence alone
    size       how many bytes the answer has, where that is known: a short silence behind as many ends it, right or not
    like       a pattern for the whole of a right answer, as a sheet gives it
    holds      a pattern that a right answer has somewhere in it, as a sheet gives it for a value
    echo       whether the device gives back what it is asked, as far as that is known
    timeout_s  how long to wait for the first byte, and again from the last byte for the end
    codec      finds and judges the answer of a framed question; the rest above does not count then
    harmless   a sheet or a protocol says that it changes nothing, so that it may be asked again without being told
    unhurried  its answer's shape is not known, so that half of it would be taken for all: a silence without a line end
               ends it only once the time-out has passed too
    secret     what is sent is neither shown nor kept, nor is its echo
    charset    in which the answer is text, a name of CHARSETS; empty where that is not known
    owes       an answer must come, whatever its shape, so that a late one is not to be taken for the next question's
    """

    data: bytes
    until: bytes | None = None
    timeout_s: float = 1.0
    like: str = ""
    holds: str = ""
    echo: Echo = Echo.UNKNOWN
    codec: Codec | None = None
    means: str = ""
    """What a right answer says, in words, where somebody wrote that down."""
    owes: bool = False
    harmless: bool = False
    secret: bool = False
    unhurried: bool = False
    size: int = 0
    charset: str = ""

    def __post_init__(self) -> None:
        if self.timeout_s <= 0:
            raise ValueError("the time-out must be more than 0 s")

    @property
    def text(self) -> str:
        """For people; a question that is nothing but a line end has that for its name."""
        if self.codec is not None:
            return self.codec.name
        return text_of(self.data, self.charset).strip() or named(self.data)

    @property
    def expected(self) -> str | None:
        """In words, what a right answer looks like; None where that is not known."""
        if self.codec is not None:
            return self.codec.expected
        if self.like:
            return self.means or f"text like {self.like}"
        if self.holds:
            return self.means or f"text that holds {self.holds}"
        if self.text.upper() in _COMMON:
            return _COMMON[self.text.upper()][1]
        return "numbers or quoted strings (IEEE 488.2, 8.7)" if _QUERY.fullmatch(self.text) else None

    @property
    def must_answer(self) -> bool:
        """Whether silence counts against the link: every instrument knows the common queries."""
        return self.text.upper() in _COMMON

    @property
    def may_repeat(self) -> bool:
        """Whether the program may ask it again by itself. The default is no: commands act."""
        if self.codec is not None and self.codec.reads:
            return True
        return self.harmless or self.text.upper() in _CHANGES_NOTHING

    def judge(self, answer: bytes) -> Verdict:
        if not answer:
            return Verdict.NONE
        if self.codec is not None:
            return self.codec.judge(answer)
        form, _ = form_of(self.data, answer)
        if (form is Form.ALONE and self.echo is not Echo.NEVER) or answer.strip() == self.data.strip() == b"":
            return Verdict.ECHO
        if self.like or self.holds:
            texts = self.texts(answer)
            refused = any(is_refusal(text.lstrip(), self.text, self.like + self.holds) for text in texts)
            right = self.holds == "" or self.find(self.holds, answer) is not None
            right = right and (self.like == "" or any(map(self._is_like, texts)))
            return Verdict.RIGHT if right and not refused and not self._is_instead(texts) else Verdict.WRONG
        if self.until is not None:
            return Verdict.RIGHT if self.until in self.behind_echo(answer) else Verdict.WRONG
        if self.expected is None:
            return Verdict.UNJUDGED
        texts = [text.translate(_NO_CONTROLS).strip() for text in self.texts(answer)]
        if any(is_refusal(text, self.text) for text in texts):
            return Verdict.WRONG
        lines = [
            line.strip() for text in texts for line in text.splitlines()
        ]  # a heading or a prompt may stand beside it
        if any(map(self._fits, lines)):
            return Verdict.RIGHT
        could_be = self.text.upper() not in _COMMON and any(_could_be_right(text, self.text) for text in texts)
        return Verdict.UNJUDGED if could_be else Verdict.WRONG

    def texts(self, answer: bytes) -> list[str]:
        """What a screen would show of the answer, in each way in which it can be read, the likeliest first: without
        the device's echo, where it is one or may be one, and in each character set."""
        return [text for text, _ in self._readings(answer)]

    def _readings(self, answer: bytes) -> list[tuple[str, int]]:
        """Each text with the place up to which it is the question's own: what stands in that alone is no answer."""
        form, behind = form_of(self.data, answer)
        own = form in (Form.LINE, Form.GLUED)
        out = []
        for bare in self.bare(answer):
            upto = len(text_of(own_text(self.data), self.charset).strip()) if own and bare is not behind else 0
            out += [(shown(text), upto) for text in readings_of(bare, self.charset)]
        return out

    def find(self, pattern: str, answer: bytes) -> tuple[str, Match[str]] | None:
        """Where a pattern for a value fits in the answer: the text in which it was found, and the find."""
        for text, upto in self._readings(answer):
            behind = upto + len(text) - len(text.lstrip()) if upto else 0
            found = found_in(pattern, text, behind)
            if found is not None and behind and found[1].start() >= behind:
                return found_in(pattern, text[behind:])  # the question's own text is no part of it
            if found is not None:
                return found
        return None

    def bare(self, answer: bytes) -> tuple[bytes, ...]:
        """The answer without the echo before it. Where it is not known whether what it begins with is an echo, both
        ways, the likelier first."""
        form, behind = form_of(self.data, answer)
        if form is Form.LINE:
            return (answer,) if self.echo is Echo.NEVER else (behind,) if self.echo is Echo.LINE else (behind, answer)
        if form is Form.GLUED and self.echo is Echo.GLUED:  # some devices echo some lines only
            return (behind, answer) if self.like or self.holds else (behind,)
        if form is Form.GLUED:
            return (answer,) if self.echo is Echo.NEVER else (answer, behind)
        return (answer,)

    def is_in_doubt(self, answer: bytes, *, apart: bool = False) -> bool:
        """Whether what the answer begins with may be an echo, or a part of its first number or word; another question
        of another beginning would tell. `apart` says that it came by itself, before the rest."""
        form, behind = form_of(self.data, answer)
        if form is not Form.GLUED:
            return False
        if self.echo is Echo.GLUED:  # where echoes come by themselves, what came in one piece may be none
            return not apart and self.fits_whole(answer) is None and self._runs_on(behind)
        sent_end = self.data[-1:] in (b"\r", b"\n", b"\0")
        if not apart and (sent_end or self.echo is Echo.NEVER):
            return False
        return self._runs_on(behind)

    def _runs_on(self, behind: bytes) -> bool:
        """Whether the question's own text and what stands behind it can be one number or word."""
        first = without_codes(behind).translate(None, _NOT_SHOWN)[:1]
        return (own_text(self.data)[-1:] + first).decode("latin-1").replace(".", "0").replace(",", "0").isalnum()

    def fits_whole(self, answer: bytes) -> bool | None:
        """Where its shape is known: whether only the whole of the answer has it (True), or only what stands behind the
        question's own text (False); None where both have, or neither."""
        form, _ = form_of(self.data, answer)
        if form not in (Form.LINE, Form.GLUED) or not (self.like or self.holds):
            return None
        whole, rest = replace(self, echo=Echo.NEVER), replace(self, echo=Echo.LINE if form is Form.LINE else Echo.GLUED)
        fits = [one.judge(came) is Verdict.RIGHT for one, came in ((whole, answer), (rest, answer))]
        return fits[0] if fits[0] is not fits[1] else None

    def _is_like(self, text: str) -> bool:
        """A pattern may end in the blank of a prompt, or say nothing of line ends."""
        return any(fullmatch(self.like, way) for way in (text.strip(), text.strip("\r\n"), text))

    def _is_instead(self, texts: list[str]) -> bool:
        """Whether all of it is a code in place of a value, such as E05, in which only a number fits."""
        found = found_in(self.holds, texts[0]) if self.holds else None
        if found is None:
            return False
        match = found[1]
        bare = match.span() == match.span(1 if match.re.groups else 0)
        return bare and bool(stands_instead(found[0], match.start(), self.text))

    def words(self, answer: bytes) -> str:
        """What the answer says, for people."""
        return self.codec.words(answer) if self.codec is not None else text_of(answer, self.charset).strip()

    def behind_echo(self, answer: bytes) -> bytes:
        """What came without our own question at its beginning, as far as that is an echo; nothing while it may still
        be all of it."""
        form, behind = form_of(self.data, answer)
        if form in (Form.ALONE, Form.PART) and self.echo is not Echo.NEVER:
            return b""
        if form is Form.LINE and self.until is not None and not self.until.strip() and behind.startswith(self.until):
            behind = behind[len(self.until) :]  # the line end of the echo is not that of the answer
            return behind if self.echo is not Echo.NEVER else answer
        return self.bare(answer)[0]

    def _fits(self, text: str) -> bool:
        common = _COMMON.get(self.text.upper())
        if common is not None:
            return bool(re.fullmatch(common[0], text)) and text.isprintable()
        return bool(re.fullmatch(rf"{_ITEM}(?:\s*[,;]\s*{_ITEM})*", text))


def _could_be_right(text: str, asked: str) -> bool:
    """Whether it is words, of which nobody but the device knows whether they are right: character data, or any text
    (IEEE 488.2, 8.7.1 and 8.7.11). A refusal and what cannot be read are neither."""
    text = " ".join(text.split())
    words = beyond_ascii(text, single=True).words
    readable = text.isprintable() and UNREAD not in text and (sum(map(str.isascii, text)) + words) * 2 > len(text)
    return readable and not is_refusal(text, asked)
