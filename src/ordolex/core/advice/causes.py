"""Why what arrives looks wrong, or why nothing comes: ranked causes, each with what speaks for and against it.

Everything is weighed in one place: what the bytes show, what the control lines are, what an inference says of the
settings, and what tests by hand came out as. Each cause has one function that says how strongly the bytes speak for it,
from 0 to 1; the rest changes its odds. Nothing is said that the evidence does not support: a cause without any stays
out of the list.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from ordolex.core.advice.by_hand import HAND_TESTS
from ordolex.core.advice.facts import Fact, facts
from ordolex.core.advice.signs_of import OF_BYTES, OF_SILENCE
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.signs import Signs
from ordolex.core.text.chance import chance
from ordolex.core.text.counts import counted

_ANOTHER = 0.3  # odds of a cause that is not in the list
_NO_SIGN = 0.03  # how likely a cause is that the bytes do not speak for, where a test does
_NEAR = 0.03  # rates nearer together than this are one


@dataclass(frozen=True, slots=True)
class Inferred:
    """What reasoning over the bytes says of the sender's settings, heard at `heard_at`."""

    settings: LineSettings
    inverted: bool
    probability: float
    heard_at: LineSettings


@dataclass(frozen=True, slots=True)
class Told:
    """What is known of a link besides its bytes.

    inputs    control lines that are on; None where the port tells nothing of them
    inferred  what an inference over the same bytes says
    outcomes  name of a test by hand → the number of its outcome
    bus       whether devices have addresses
    proven    a question was answered rightly, at the settings of now
    in_vain   questions that a match asked at other settings, and that brought nothing
    far, without_line  what the way to the device is
    """

    inputs: frozenset[str] | None = None
    inferred: Inferred | None = None
    outcomes: Mapping[str, int] = field(default_factory=dict)
    bus: bool = False
    proven: bool = False
    in_vain: int = 0
    far: bool = False
    """Line errors are those of a serial server's port, not of this computer's."""
    without_line: bool = False
    """Line settings mean nothing on the way from here: raw TCP or UDP."""


NOTHING_TOLD = Told()
_OF_A_LINE = frozenset({"rate", "parity", "inverted", "clock", "floating", "overrun", "crossed", "broken", "handshake"})
"""What cannot be seen or changed from here where bytes come over raw TCP."""
_OVERRUN_FAR = "bytes are lost at the serial server: its port was not emptied in time"
_REFUTED_BY_A_RIGHT_ANSWER = frozenset({"line end"})
"""Both ends take each other's line ends then, whichever they are."""


@dataclass(frozen=True, slots=True)
class Cause:
    """name        short, stable
    words       the cause
    test        the cheapest test for it, in words; `by_hand` names it among HAND_TESTS
    likely      how strongly the bytes speak for it, 0 to 1
    share       how likely it is among all, another cause included
    speaks_for  what speaks for it, and `against` what speaks against it
    """

    name: str
    words: str
    test: str
    likely: float
    by_hand: str = ""
    share: float = 0.0
    speaks_for: tuple[str, ...] = ()
    against: tuple[str, ...] = ()


def causes(signs: Signs, told: Told = NOTHING_TOLD) -> list[Cause]:
    """What the evidence speaks for, the likeliest first; why what was asked brought nothing where nothing came."""
    if signs.data or (signs.errors is not None and signs.errors.total):
        found = [Cause(name, words, test, speaks(signs), by_hand) for name, words, test, by_hand, speaks in OF_BYTES]
    else:
        found = list(_of_silence(signs, told))
    known = [*facts(signs), *_of_told(signs, told)]
    weighs = _weights(told)
    if told.proven:
        found = [cause for cause in found if cause.name not in _REFUTED_BY_A_RIGHT_ANSWER]
    if told.without_line:
        found = [cause for cause in found if cause.name not in _OF_A_LINE]
    if told.far:
        found = [replace(c, words=_OVERRUN_FAR) if c.name == "overrun" else c for c in found]
    found = [cause for cause in found if cause.likely > 0 or weighs.get(cause.name, 0) > 0]
    odds = [_odds(cause, weighs.get(cause.name, 0.0)) for cause in found]
    total = sum(odds) + _ANOTHER
    out = [_with_words(cause, one / total, known) for cause, one in zip(found, odds, strict=True)]
    return sorted(out, key=lambda cause: -cause.share)


def _odds(cause: Cause, weighs: float) -> float:
    likely = min(0.99, max(_NO_SIGN, cause.likely))
    return likely / (1 - likely) * math.exp(weighs)


def _with_words(cause: Cause, share: float, known: list[Fact]) -> Cause:
    return Cause(
        cause.name,
        cause.words,
        cause.test,
        cause.likely,
        cause.by_hand,
        share,
        tuple(fact.words for fact in known if cause.name in fact.speaks_for),
        tuple(fact.words for fact in known if cause.name in fact.against),
    )


def _of_silence(signs: Signs, told: Told) -> Iterator[Cause]:
    for name, words, test, by_hand, usual in OF_SILENCE:
        if (name == "asked" and (signs.asked or told.in_vain)) or (name == "address" and not told.bus):
            continue
        if name == "server":
            usual = 0.3 if told.without_line else 0.0
        if (name == "other line end" and told.bus) or (
            name == "other question" and not signs.asked and not told.outcomes
        ):
            continue
        yield Cause(name, words, test, usual, by_hand)


def _weights(told: Told) -> dict[str, float]:
    """Cause → how much its odds change, in nats, by all that is known besides the bytes."""
    out: dict[str, float] = {}
    for name, number in told.outcomes.items():
        for cause, weight in HAND_TESTS[name].outcomes[number].weighs.items():
            out[cause] = out.get(cause, 0.0) + weight
    if told.inputs is not None:
        there = bool(told.inputs & {"CTS", "DSR", "DCD"})
        driven = (("off", -1.5), ("broken", -1.0), ("crossed", -1.0))
        for cause, weight in driven if there else (("handshake", 0.7), ("off", 0.3), ("crossed", 0.5)):
            out[cause] = out.get(cause, 0.0) + weight
    for cause, weight in _of_inference(told.inferred).items():
        out[cause] = out.get(cause, 0.0) + weight
    return out


def _of_inference(inferred: Inferred | None) -> dict[str, float]:
    """By its odds: for the causes that would make the settings what they seem, against the others."""
    if inferred is None:
        return {}
    odds = min(5.0, max(-5.0, math.log(max(1e-6, inferred.probability) / max(1e-6, 1 - inferred.probability))))
    mine, seems = inferred.heard_at, inferred.settings
    rate = abs(math.log(seems.baud / mine.baud)) > _NEAR
    is_so = {
        "rate": rate,
        "inverted": inferred.inverted,
        "parity": not (rate or inferred.inverted) and (mine.data_bits, mine.parity) != (seems.data_bits, seems.parity),
    }
    return {name: odds if so else -max(0.0, odds) for name, so in is_so.items()}


def _of_told(signs: Signs, told: Told) -> Iterator[Fact]:
    """The same in words."""
    for name, number in told.outcomes.items():
        outcome = HAND_TESTS[name].outcomes[number]
        yield Fact(
            f"{HAND_TESTS[name].short}: {outcome.words}",
            tuple(cause for cause, weight in outcome.weighs.items() if weight > 0),
            tuple(cause for cause, weight in outcome.weighs.items() if weight < 0),
        )
    if told.inputs is not None:
        on = sorted(told.inputs & {"CTS", "DSR", "DCD"})
        if on:
            yield Fact(f"{' and '.join(on)} on: something at the far end is powered", (), ("off", "broken", "crossed"))
        else:
            yield Fact("CTS, DSR and DCD are off", ("handshake", "off", "crossed"))
    if told.inferred is not None:
        weighs = _of_inference(told.inferred)
        polarity = ", inverted" if told.inferred.inverted else ""
        yield Fact(
            f"what Match heard speaks for {told.inferred.settings.text}{polarity}, {chance(told.inferred.probability)}",
            tuple(name for name, weight in weighs.items() if weight > 0),
            tuple(name for name, weight in weighs.items() if weight < 0),
        )
    if signs.asked and not signs.data:
        yield Fact(f"{signs.unanswered} of {counted(signs.asked, 'question')} brought nothing")
    if told.in_vain and not signs.data:
        yield Fact(
            f"{counted(told.in_vain, 'question')} of Match, at many settings, brought nothing",
            ("crossed", "broken", "off"),
            ("rate",),
        )
