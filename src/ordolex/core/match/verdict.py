"""What an inference comes to: how sure it is, what stays open, and at which setting to listen next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import Enum

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.match.buses import bus_of
from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Group, Inference
from ordolex.core.match.shapes import like_text
from ordolex.core.match.trouble import spoilt_by
from ordolex.core.text.chance import chance

CERTAIN, LIKELY = 0.95, 0.5
_ENOUGH = 4  # fewer bytes than this say nothing of a sender that is far off
_ALMOST_ALL = 0.9
_UNEXPLAINED = 0.5
_OWN = 0.97  # of the rate heard at: from here on it is no slower sender
_HIGH = 460800  # from here on there is no faster sender to speak of
_NO_LESS, _ALIKE = 0.5, 0.05  # of the odds of the best: so much does not speak against, where it reads alike or not
_SOME = 12  # characters, to say what they look like


class Kind(Enum):
    """How the words go on a screen: certain, likely, or what else is known."""

    CERTAIN = "certain"
    LIKELY = "likely"
    OPEN = "open"
    SLOWER = "slower"
    FASTER = "faster"
    NOTHING = "nothing heard"
    HELD = "held low"
    SPOILT = "two senders or noise"
    ONCE = "spoke once"
    BUS = "another kind of bus"


NO_SETTINGS = (Kind.SPOILT, Kind.BUS)
"""What is wrong, or different, is no matter of settings: nothing more is tried."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """words      one sentence
    listen_at  where to listen next, where that helps
    apart      settings that read alike and cannot be told apart from this
    """

    kind: Kind
    words: str
    listen_at: LineSettings | None = None
    apart: tuple[str, ...] = ()


def judge(captures: Sequence[Capture], inference: Inference) -> Verdict:
    """The verdict on everything heard so far; the last capture decides where to listen next."""
    heard = [capture for capture in captures if capture.data]
    if not heard:
        return Verdict(Kind.NOTHING, "nothing was heard; ask something, or wait for the device to speak")
    last = heard[-1]
    if _only_breaks(last) and len(heard) == sum(_only_breaks(capture) for capture in heard):
        slower = next((baud for baud in (9600, 2400, 300) if baud * 6 <= last.heard_at.baud), 300)
        if last.heard_at.baud <= 300:
            return Verdict(Kind.OPEN, "breaks only, at the lowest rate: the line is held low. Measure its idle voltage")
        return Verdict(
            Kind.SLOWER,
            f"the sender is slower than {last.heard_at.baud / 9.6:.0f} baud, or the line is held low: only breaks come",
            LineSettings(slower),
        )
    bus = bus_of(last)
    if bus:
        return Verdict(Kind.BUS, bus)
    best = inference.best
    spoilt = spoilt_by(last)
    if spoilt and (best is None or best.best.settings.baud == last.heard_at.baud):
        return Verdict(Kind.SPOILT, spoilt)
    if best is None:
        return Verdict(Kind.OPEN, "nothing fits what was heard")
    if inference.outside > _UNEXPLAINED:
        return _unexplained(last)
    settings = best.best.settings
    if best.probability < LIKELY and _too_fast(last, best):
        return Verdict(
            Kind.FASTER,
            f"the sender is faster than {last.heard_at.baud} baud; this capture cannot say by how much",
            LineSettings(min(921600, 115200 if last.heard_at.baud < 115200 else last.heard_at.baud * 4)),
        )
    if last.heard_at.baud < 115200 and settings.baud >= 0.9 * last.heard_at.baud and _reads_oddly(best):
        return Verdict(
            Kind.OPEN,
            f"at {settings.baud} it reads neither as text nor as frames: the sender may be faster",
            LineSettings(115200),
        )
    apart = tuple(member.settings.format for member in best.members if member.probability > 0.02)
    percent = chance(best.probability)
    shape = f", {best.best.shape}" if best.best.shape else ""
    inverted = ", inverted" if best.best.inverted else ""
    which = " or ".join(apart[:3]) if len(apart) > 1 else settings.format
    words = f"{settings.baud} {which}{inverted}: {percent}{shape}"
    nearer = last.heard_at.baud != settings.baud
    kind = Kind.CERTAIN if best.probability >= CERTAIN else Kind.LIKELY if best.probability >= LIKELY else Kind.OPEN
    there = LineSettings(settings.baud) if nearer else None
    if kind is not Kind.CERTAIN and not nearer and last.flags is None:
        there = LineSettings(min(921600, settings.baud * 2))  # there all formats can be told apart without flags
    return Verdict(kind, words, there, apart if len(apart) > 1 else ())


def _unexplained(last: Capture) -> Verdict:
    """Chance explains it as well as any setting in reach."""
    words = (
        f"no setting within reach of {last.heard_at.baud} baud explains this: a faster sender, two at once, or noise. A"
        " listen at a higher rate tells the first from the others"
    )
    if last.heard_at.baud >= _HIGH:
        return Verdict(
            Kind.OPEN, f"no setting explains this, at {last.heard_at.baud} baud either: two at once, or noise"
        )
    return Verdict(Kind.FASTER, words, LineSettings(115200 if last.heard_at.baud < 57600 else 921600))


def speaks_for(alone: Inference, settings: LineSettings, *, few: bool) -> bool:
    """Whether what came at these settings, weighed by itself, speaks for them. Where `few` characters came, it must not
    speak for others clearly more."""
    best = alone.best
    if best is None or best.best.settings.baud != settings.baud or best.best.inverted:
        return False
    mine = next((each.probability for each in alone.ranked if each.settings == settings and not each.inverted), 0.0)
    alike = settings in [member.settings for member in best.members]
    return (alike and mine >= _ALIKE * best.best.probability) or (few and mine >= _NO_LESS * best.best.probability)


def inverted_advice() -> str:
    """What to do about an inverted line, which no line settings mend."""
    return (
        "The line is inverted: no line settings mend that. Either logic levels meet an RS-232 port without a level"
        " shifter (measure: 3.3 or 5 V at rest, not -5 to -12 V), or the two wires of an RS-485 pair are swapped."
        " Put the right converter in, or swap A and B; Wire (F3) shows which"
    )


def listening_settings(settings: LineSettings) -> LineSettings:
    """Eight data bits without parity at the same rate: it shows every bit of any format."""
    return LineSettings(settings.baud, 8, Parity.NONE, 1.0)


def _only_breaks(capture: Capture) -> bool:
    if len(capture.data) < _ENOUGH:
        return False
    zeros = sum(byte == 0 for byte in capture.data)
    if capture.flags is not None:
        zeros = sum(flag.broken for flag in capture.flags)
    return zeros >= _ALMOST_ALL * len(capture.data)


def _reads_oddly(best: Group) -> bool:
    """A sender several times faster, with frames as long, is heard without errors, and reads as always the same odd
    bytes."""
    reading = best.best.reading
    return not best.best.shape and len(reading) >= _SOME and not like_text(reading)


def _too_fast(capture: Capture, best: Group) -> bool:
    if best.best.exact_baud > 1.2 * capture.heard_at.baud:
        return True
    if best.best.exact_baud < _OWN * capture.heard_at.baud:
        return False  # a slower sender gives framing errors too
    errors = sum(flag.framing for flag in capture.flags or ())
    return capture.heard_at.baud < 115200 and errors > 0.35 * len(capture.data)
