"""What is most likely wrong at the first rung that is not reached, and the one cheap test that tells.

Ranked causes come from the tables of causes in docs/design.md. Only what the evidence supports is said.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ordolex.core.advice.causes import NOTHING_TOLD, Cause, Told, causes
from ordolex.core.link.ladder import Rung
from ordolex.core.link.state import Evidence

_SILENT_AFTER_S = 3.0
NOT_TRIED = "not tried yet"
"""Of a network address that nobody announces: whether somebody listens there is known once it is opened."""
ASK = "Ask it something in Talk."


@dataclass(frozen=True, slots=True)
class Advice:
    """causes: likeliest first, each a short clause. test: one thing to do now that separates them."""

    causes: tuple[str, ...]
    test: str

    @property
    def sentence(self) -> str:
        if not self.causes:
            return self.test
        head = self.causes[0][0].upper() + self.causes[0][1:]
        rest = f", or {self.causes[1]}" if len(self.causes) > 1 else ""
        return f"{head}{rest}. {self.test}"


def advise(
    evidence: Evidence, now_s: float, question: str = "*IDN?", ask: str = ASK, told: Told = NOTHING_TOLD
) -> Advice | None:
    """Advice for the first rung that is missing; None for a proven link. `question` is one whose answer would be known,
    such as the device's sheet has it, empty where there is none; `ask` says how it is asked; `told` is what tests by
    hand and an inference say."""
    match evidence.rung:
        case Rung.ABSENT if not evidence.trouble:
            return Advice((), "Its port is being looked for.")
        case Rung.ABSENT if evidence.trouble == NOT_TRIED:
            return Advice((), "A network address that was not opened yet: Enter in Find opens it, and tells.")
        case Rung.ABSENT if evidence.called:
            return Advice((evidence.trouble,), "Look whether it is on and reached; Enter in Find calls it again.")
        case Rung.ABSENT:
            return Advice((evidence.trouble,), "Plug it in again; it is reopened by itself.")
        case Rung.PRESENT:
            if evidence.trouble:
                return Advice((evidence.trouble,), "")
            return Advice((), "Enter in Find opens the port.")
        case Rung.HELD:
            return _silent(evidence, now_s, ask, told)
        case Rung.HEARD:
            return _unclear(evidence, told)
        case Rung.CLEAR:
            return _unproven(evidence, question, told)
        case Rung.PROVEN:
            return None


def _silent(evidence: Evidence, now_s: float, ask: str, told: Told) -> Advice:
    open_s = now_s - (evidence.opened_s if evidence.opened_s is not None else now_s)
    if not evidence.sent:
        if open_s < _SILENT_AFTER_S:
            return Advice((), f"Open. Listening. {ask}")
        return Advice((f"open, 0 bytes in {open_s:.0f} s; it may only speak when asked",), ask)
    if evidence.unanswered and told.outcomes:
        found = causes(evidence.signs, told)
        return Advice(tuple(f"no answer: {cause.words}" for cause in found[:1]), f"{found[0].test}.")
    if evidence.unanswered and not evidence.has_line:
        return Advice(
            (
                "no answer: another line end, or another question",
                "the device behind it is off, or its port there is set otherwise",
            ),
            "Try the other line end (Ctrl+N in Talk); look at the server's page for that port.",
        )
    if evidence.unanswered:
        return Advice(
            ("no answer: wrong rate or line end", "the device is off or the cable is not crossed"),
            "Try the other line end, then another rate; check its lamp.",
        )
    return Advice((), "Sent. Waiting for the answer.")


def _unclear(evidence: Evidence, told: Told) -> Advice:
    if evidence.bad_lately == 0:
        return Advice((), "Too little heard yet to say that it is clear. Ask once more.")
    told = told if evidence.has_line else replace(told, without_line=True)
    found = causes(evidence.signs, told)
    if found and (evidence.has_line or found[0].name == "charset"):
        first = found[0]
        return Advice(tuple(cause.words for cause in found[:2]), f"{first.test}.")
    if evidence.checks_wrong:
        return Advice(("bytes are damaged: noise, or bytes missing",), "Slow the device down or shorten the cable.")
    if not evidence.has_line:
        return Advice(
            ("not readable as text: a server that speaks RFC 2217, or a device that speaks binary",),
            "Open it as rfc2217:// (a in Find).",
        )
    return Advice(
        ("not readable as text: wrong rate, or a device that speaks binary",),
        "Match (F4) finds the rate, if it is the rate.",
    )


_SEEN_WHEN_CLEAR = frozenset({"doubled", "escapes", "charset", "two sources", "overrun", "missing", "two answers"})


def odd_when_clear(evidence: Evidence, told: Told = NOTHING_TOLD) -> list[Cause]:
    """What looks wrong although it reads clear."""
    return [cause for cause in causes(evidence.signs, told) if cause.name in _SEEN_WHEN_CLEAR and cause.likely >= 0.8]


def _unproven(evidence: Evidence, question: str, told: Told) -> Advice:
    if evidence.echoed:
        return Advice(
            ("your own bytes came back: a loopback, or a device that echoes",),
            f"The path to there and back is whole. A device would answer {question or 'a question'}.",
        )
    odd = odd_when_clear(evidence, told)
    if odd:
        return Advice((odd[0].words,), f"{odd[0].test}.")
    if evidence.checks_right:
        return Advice(
            (f"it talks by itself, {evidence.checks_right} checksums right",),
            "Clear is as far as listening goes; only an answered question proves it.",
        )
    if evidence.unjudged:
        return Advice(
            (), "It answers; what a right answer looks like is not known. Ins in Talk takes the last one for right."
        )
    such = f", such as {question}, proves it." if question else " proves it."
    return Advice((), f"Reads clear. A question with a known answer{such}")
