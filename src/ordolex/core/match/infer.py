"""The inverse of the wire model: from what a receiver got, the settings that the sender uses, with probabilities.

Three things are weighed together: what the line allows at all (forward.py), what the content looks like (content.py,
shapes.py), and what is usual in the trade. Several captures of the same sender, heard at different settings, add up.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.match import rates
from ordolex.core.match.capture import Capture, Segment, segments, timed
from ordolex.core.match.compiled import following
from ordolex.core.match.content import ANY, EIGHT_BITS, KINDS, kind_weight
from ordolex.core.match.formats import Format, formats, usual
from ordolex.core.match.read import Characters, Supposed, read_out
from ordolex.core.match.repetition import new_in
from ordolex.core.match.samples import sender_bits
from ordolex.core.match.shapes import Shape, like_text, parted, seen_in
from ordolex.core.match.ways import Candidates
from ordolex.core.match.word import fixed_last_bit, grounds
from ordolex.core.uart.receiver import Resync

_CUTS = ((4, 320), (10, 140), (24, 80), (48, 48))  # after so many segments, go on with so many settings
_READ = 16  # so many settings are read out and looked at as a whole
_TEMPER = 0.7  # log weights are multiplied by this: neighbouring bytes are not as independent as the model has it
_SEEN_WELL = 0.4  # sender's rate to the receiver's, above which a capture shows all bits of a frame
_FAR, _HIDES_FORMAT, _HIDES_FASTER, _HIDES_CHARACTERS = 0.2, 0.9, 0.5, 0.93
_UNREAD = 2  # characters not known for each that is read
_RARE = 0.12
_FLATTEST = 0.2
_RESTS = 0.05  # how usual it is that a sender rests behind each character
_COUNTED = 0.5  # of the sender's bits: times that are so good count them
_INVERTED = 0.12  # how usual an inverted line is, against a right one
MOST_BYTES = 256
"""Bytes of one capture that are looked at; more do not change the answer."""


@dataclass(frozen=True, slots=True)
class Ranked:
    """One setting that the sender may use.

    settings     as a technician would set a port
    exact_baud   the sender's rate as measured, in bit/s
    inverted     whether the levels are swapped
    probability  of this setting alone
    reading      the characters as they read at it; those of which bits are not known are left out
    gaps         where in the reading something is not known
    shape        what makes the content credible: sentences with a right checksum and the like
    """

    settings: LineSettings
    exact_baud: float
    inverted: bool
    probability: float
    reading: bytes
    gaps: int = 0
    shape: str = ""

    @property
    def polarity(self) -> str:
        return "inverted" if self.inverted else "normal"


@dataclass(frozen=True, slots=True)
class Group:
    """Settings at which the same characters are read, the likeliest first; they cannot be told apart from this."""

    members: tuple[Ranked, ...]

    @property
    def best(self) -> Ranked:
        return self.members[0]

    @property
    def probability(self) -> float:
        return sum(member.probability for member in self.members)


@dataclass(frozen=True, slots=True)
class Inference:
    """All settings by probability, and the same in groups that read alike. `outside` is the probability that it is none
    of them: a faster sender, two at once, or noise. `margin` says by how much the best explains what was heard
    better than chance does, in nats, and `features` what the word on it rests on (word.py)."""

    ranked: tuple[Ranked, ...]
    groups: tuple[Group, ...]
    outside: float = 0.0
    margin: float = 0.0
    features: tuple[float, ...] = ()

    @property
    def best(self) -> Group | None:
        return self.groups[0] if self.groups else None


@dataclass(frozen=True, slots=True)
class _Key:
    baud: int
    format: Format
    inverted: bool


def infer(
    captures: Sequence[Capture],
    *,
    data_bits: Sequence[int] = (7, 8),
    shapes: Sequence[Shape] = (),
    most_rates: int = 12,
) -> Inference:
    """Ranks the sender's settings. No captures with bytes, no answers. Raises nothing for any bytes."""
    heard = [capture.first(MOST_BYTES) for capture in captures if capture.data]
    if not heard:
        return Inference((), ())
    chosen = formats(data_bits)
    only: set[int] = set()
    for capture in heard if len(heard) > 1 else ():
        found = rates.candidates(segments(capture, Resync.EDGE), capture.heard_at.baud, most_rates)
        only |= {rate.baud for rate in found[:9]}
    weighed: list[dict[tuple[_Key, int], float]] = []
    fits: dict[tuple[_Key, int], _Fit] = {}
    for capture in heard:
        one = _weigh_capture(capture, chosen, most_rates, sorted(only), fits)
        weighed.append(one)
    total = _together(weighed, _temper(fits), {capture.heard_at.baud for capture in heard})
    return _tried_by_chance(_ranked(total, fits, shapes), heard, weighed)


@dataclass(slots=True)
class _Fit:
    """What is needed to read a candidate out: the capture in which it weighs most, its habit and its ratio."""

    capture: Capture
    habit: Resync
    ratio: float
    weight: float


def _weigh_capture(
    capture: Capture,
    chosen: Sequence[Format],
    most_rates: int,
    only: Sequence[int],
    fits: dict[tuple[_Key, int], _Fit],
) -> dict[tuple[_Key, int], float]:
    habits = [Resync.EDGE]
    if any(flag.framing and not flag.broken for flag in capture.flags or ()):
        habits.append(Resync.CLASSIC)
    out: dict[tuple[_Key, int], float] = {}
    for habit in habits:
        parts = segments(capture, habit)
        found = rates.candidates(parts, capture.heard_at.baud, most_rates, only)
        clocks = Counter(rate.baud for rate in found)
        parts = timed(parts, capture, found[0].ratio if found else 1.0)
        for key, kind, ratio, weight in _weigh(parts, found, chosen, (capture.heard_at.baud,)):
            weight -= float(np.log(len(habits) * clocks[key.baud]))
            place = (key, kind)
            if place not in fits or weight > fits[place].weight:
                fits[place] = _Fit(capture, habit, ratio, weight)
            out[place] = float(np.logaddexp(out[place], weight)) if place in out else weight
    return out


def _weigh(
    parts: Sequence[Segment], found: Sequence[rates.Rate], chosen: Sequence[Format], heard: Collection[int]
) -> list[tuple[_Key, int, float, float]]:
    """(settings, content, ratio, log weight) of the candidates that are worth it, as each kind of content; which are is
    found with the kinds as one."""
    if not found:
        return []
    rate_of, format_of, inverted = (
        axis.ravel() for axis in np.meshgrid(range(len(found)), range(len(chosen)), (0, 1), indexing="ij")
    )
    ratios = np.array([rate.ratio for rate in found])
    bits, clashes = sender_bits(parts, ratios)
    run = following(Candidates(chosen, format_of, ratios, rate_of, np.full(len(format_of), ANY), inverted))
    kept = np.arange(len(format_of))
    prior = np.array([
        _usual(_Key(found[int(r)].baud, chosen[int(f)], bool(i)), heard)
        for r, f, i in zip(rate_of, format_of, inverted, strict=True)
    ])  # fmt: skip
    done = 0
    for until, most in _CUTS:
        until = min(until, len(parts))
        run.run(parts[done:until], bits[done:until], clashes[done:until])
        done = until
        best = np.argsort(run.totals() * _TEMPER + prior[kept])[-most:]
        run.keep(np.sort(best))
        kept = kept[np.sort(best)]
        if done == len(parts):
            break
    kept = kept[np.argsort(run.totals() * _TEMPER + prior[kept])[-_CUTS[-1][1] :]]
    eight = np.array([chosen[int(f)].data_bits == 8 for f in format_of[kept]])
    rows = np.concatenate([kept[eight] if kind in EIGHT_BITS else kept for kind in KINDS])
    kinds = np.concatenate([
        np.full(int(eight.sum()) if kind in EIGHT_BITS else len(kept), kind) for kind in KINDS
    ])  # fmt: skip
    last = following(Candidates(chosen, format_of[rows], ratios, rate_of[rows], kinds, inverted[rows]))
    last.run(parts, bits, clashes)
    return [
        (
            _Key(found[int(rate_of[k])].baud, chosen[int(format_of[k])], bool(inverted[k])),
            int(kind),
            float(ratios[rate_of[k]]),
            float(weight),
        )
        for k, kind, weight in zip(rows, kinds, last.totals(), strict=True)
    ]


def _temper(fits: dict[tuple[_Key, int], _Fit]) -> float:
    """Far above the sender's rate little is seen of each character, and weights promise more than they can keep; what
    is said again tells nothing new."""
    best = max(fits.values(), key=lambda fit: fit.weight)
    return float(_TEMPER * min(1.0, best.ratio / _SEEN_WELL) * new_in(best.capture.data) ** 0.5)


def _tried_by_chance(
    found: Inference, heard: Sequence[Capture], weighed: Sequence[dict[tuple[_Key, int], float]]
) -> Inference:
    """All probabilities by how sure the word on the best can be: what it loses goes to the others in their order, and
    to none of them where chance explains what was heard as well."""
    if found.best is None:
        return found
    best = found.best.best
    key = _Key(best.settings.baud, _format_of(best.settings), best.inverted)
    near = min(range(len(heard)), key=lambda at: abs(np.log(best.exact_baud / heard[at].heard_at.baud)))
    capture = heard[near]
    weight = max(weighed[near].get((key, kind), -np.inf) for kind in KINDS)
    if not np.isfinite(weight):
        return found
    counted = bool(capture.times_s) and capture.spread_s * best.exact_baud < _COUNTED
    ratio = best.exact_baud / capture.heard_at.baud
    told = grounds(found.best.probability, weight, capture, ratio, counted=counted)
    sure = told.probability * _share_of_format(found.best, ratio, told=counted)
    others = (1 - sure) * float(1 / (1 + np.exp(-np.clip(told.better, -60, 60))))
    mine = set(found.best.members)
    before = np.array([entry.probability for entry in found.ranked])
    own = np.array([entry in mine for entry in found.ranked])
    share = _flattened(before, own, sure / (sure + others))
    held = dict(zip(found.ranked, share, strict=True))
    best_share, *rest = (sum(held[one] for one in group.members) for group in found.groups)
    most = sure / max([best_share, *rest])  # no other rises above the best
    factors = np.where(own, sure / best_share, min(most, others / max(1e-9, 1 - best_share)))
    anew = {
        entry: replace(entry, probability=float(one))
        for entry, one in zip(found.ranked, share * factors, strict=True)
    }  # fmt: skip
    ranked = sorted(anew.values(), key=lambda entry: -entry.probability)
    groups = tuple(Group(tuple(anew[entry] for entry in group.members)) for group in found.groups)
    groups = tuple(sorted(groups, key=lambda group: -group.probability))  # the best stays first: sorting is stable
    outside = max(0.0, 1 - sum(entry.probability for entry in ranked))
    return Inference(tuple(ranked), groups, outside, float(told.margin * len(capture.data)), told.features)


def _flattened(shares: NDArray[np.float64], best: NDArray[np.bool_], wanted: float) -> NDArray[np.float64]:
    """`shares` to such a power that those of the `best` come to what is `wanted`: their order stays. Not flatter than
    all that is known of them bears."""
    logs = np.log(np.maximum(shares, 1e-300))

    def to(power: float) -> NDArray[np.float64]:
        raised = np.exp((logs - logs.max()) * power)
        out: NDArray[np.float64] = raised / raised.sum()
        return out

    low, high = _FLATTEST, 8.0
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if to(middle)[best].sum() < wanted else (low, middle)
    return to(low)


def _format_of(settings: LineSettings) -> Format:
    return Format(settings.data_bits, settings.parity, int(settings.stop_bits))


def _share_of_format(group: Group, ratio: float, *, told: bool) -> float:
    """What is left of a group for what its formats hide. Far above the sender's rate little is seen of a format, unless
    times have `told` of it; a faster sender, whose characters are over early, looks like one whose last bit is always
    high; and where hardly a character is read, nothing of it can speak against the format."""
    high = fixed_last_bit([(m.settings.data_bits, m.settings.parity) for m in group.members])
    reading = group.best.reading
    if high and 0.97 <= ratio <= 1.03 and not (like_text(reading) and parted(reading)):
        return _HIDES_FASTER
    fixed = all(m.settings.parity in (Parity.MARK, Parity.SPACE) for m in group.members)
    if fixed and all(usual(_format_of(m.settings)) <= _RARE for m in group.members):
        return _HIDES_FASTER  # hardly any device is set so; what looks so is nearly always another rate
    if group.best.gaps > _UNREAD * len(reading):
        return _HIDES_CHARACTERS
    return _HIDES_FORMAT if ratio < _FAR and not told else 1.0


def _together(
    weighed: Sequence[dict[tuple[_Key, int], float]], temper: float, heard: Collection[int]
) -> dict[tuple[_Key, int], float]:
    """The sum over the captures. What one capture does not know of weighs there as its poorest candidate does."""
    keys = {key for one in weighed for key in one}
    floors = [min(one.values(), default=0.0) - 5.0 for one in weighed]
    total = {key: sum(one.get(key, floor) for one, floor in zip(weighed, floors, strict=True)) for key in keys}
    return {key: value * temper + _prior(*key, heard) for key, value in total.items()}


def _prior(key: _Key, kind: int, heard: Collection[int]) -> float:
    return _usual(key, heard) + float(np.log(kind_weight(kind, key.format.data_bits)))


def _usual(key: _Key, heard: Collection[int]) -> float:
    return float(np.log(rates.usual(key.baud, heard) * usual(key.format) * (_INVERTED if key.inverted else 1.0)))


def _ranked(
    total: dict[tuple[_Key, int], float], fits: dict[tuple[_Key, int], _Fit], shapes: Sequence[Shape]
) -> Inference:
    by_key: dict[_Key, float] = {}
    for (key, _), weight in total.items():
        by_key[key] = float(np.logaddexp(by_key[key], weight)) if key in by_key else weight
    for key, weight in _with_habitual_rest(by_key).items():
        by_key[key] = weight
    order = sorted(by_key, key=lambda key: -by_key[key])
    entries: list[tuple[float, Ranked]] = []
    chosen = [(key, max((k for k in KINDS if (key, k) in total), key=lambda k: total[key, k])) for key in order]
    readings = _read_all(chosen[:_READ], fits)
    for place, (key, kind) in enumerate(chosen):
        fit = fits[key, kind]
        exact = fit.ratio * fit.capture.heard_at.baud
        settings = LineSettings(key.baud, key.format.data_bits, key.format.parity, float(key.format.stop_bits))
        entry = Ranked(settings, exact, key.inverted, 0.0, b"")
        weight = by_key[key]
        if place < _READ:
            characters = readings[place]
            entry = replace(entry, reading=characters.data, gaps=characters.gaps)
            bonus, shape = seen_in(entry.reading, shapes)
            entry = replace(entry, shape=shape)
            weight += bonus
        entries.append((weight, entry))
    top = max(weight for weight, _ in entries)
    sum_ = sum(float(np.exp(weight - top)) for weight, _ in entries)
    ranked = [replace(entry, probability=float(np.exp(weight - top)) / sum_) for weight, entry in entries]
    ranked.sort(key=lambda entry: -entry.probability)
    return Inference(tuple(ranked), tuple(_grouped(ranked)))


def _with_habitual_rest(by_key: dict[_Key, float]) -> dict[_Key, float]:
    """What looks like a second stop bit, or one more bit that is always high, may be a sender that rests behind each
    character: that is rarer than a sender that does not, and not as rare as some formats."""
    out: dict[_Key, float] = {}
    for key, weight in by_key.items():
        bits, parity, stop = key.format.data_bits, key.format.parity, key.format.stop_bits
        shorter = [Format(bits, parity, 1)] if stop == 2 else []
        shorter += [Format(bits, Parity.NONE, 1)] if parity is Parity.MARK else []
        for format_ in shorter:
            short = replace(key, format=format_)
            habit = weight + float(np.log(_RESTS * usual(format_) / usual(key.format)))
            if short in by_key:
                out[short] = float(np.logaddexp(out.get(short, by_key[short]), habit))
    return out


def _read_all(chosen: Sequence[tuple[_Key, int]], fits: dict[tuple[_Key, int], _Fit]) -> dict[int, Characters]:
    """What each of these reads, by its place; those of one capture and habit are read out together."""
    together: dict[tuple[int, Resync], list[int]] = {}
    for place, one in enumerate(chosen):
        together.setdefault((id(fits[one].capture), fits[one].habit), []).append(place)
    out: dict[int, Characters] = {}
    for places in together.values():
        first = fits[chosen[places[0]]]
        supposed = [
            Supposed(key.format, key.inverted, fits[key, kind].ratio, kind)
            for key, kind in (chosen[place] for place in places)
        ]
        out |= dict(zip(places, read_out(first.capture, supposed, first.habit), strict=True))
    return out


def _grouped(ranked: Sequence[Ranked]) -> list[Group]:
    groups: list[list[Ranked]] = []
    for entry in ranked:
        home = next((group for group in groups if _alike(group[0], entry)), None)
        if home is None:
            groups.append([entry])
        else:
            home.append(entry)
    return sorted((Group(tuple(members)) for members in groups), key=lambda group: -group.probability)


def _alike(a: Ranked, b: Ranked) -> bool:
    """Whether both read the same, but for what is cut off at the ends."""
    if (a.settings.baud, a.inverted) != (b.settings.baud, b.inverted) or not (a.reading and b.reading):
        return False
    short, long = sorted((a.reading, b.reading), key=len)
    return len(long) - len(short) <= 2 and (short in long or (len(short) > 4 and short[1:-1] in long))
