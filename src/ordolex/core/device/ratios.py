"""Instrument transformers before a meter: ratios, whether they are sane, and which mistake explains a wrong reading.

Rated values: IEC 61869-2, 5.201 (secondary current 1 or 5 A) and IEC 61869-3, 5.301 (secondary voltage 100 to 120 V, or
that divided by the root of three; 230 V and more for low voltage without a transformer).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from ordolex.core.text.digits import exact, short


class RatioTrouble(ValueError):
    """A text that is no ratio, or one that cannot be. The message says what one looks like."""


@dataclass(frozen=True, slots=True)
class Ratio:
    primary: float
    secondary: float

    @property
    def factor(self) -> float:
        return self.primary / self.secondary

    @property
    def text(self) -> str:
        return f"{self.primary:g}/{self.secondary:g}"


def read_ratio(text: str) -> Ratio:
    """`300/5`, `10000:100`, `60` for 60/1. Raises RatioTrouble."""
    found = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*(?:[/:]\s*(\d+(?:\.\d+)?))?\s*[AV]?\s*", text)
    if found is None:
        raise RatioTrouble(f"{text.strip()!r} is no ratio; write it like 300/5")
    ratio = Ratio(float(found[1]), float(found[2] or 1))
    if not ratio.primary or not ratio.secondary:
        raise RatioTrouble("a side of the ratio is 0")
    return ratio


def doubts(ratio: Ratio, kind: str) -> list[str]:
    """What is unusual about a ratio; `kind` is current or voltage."""
    out = []
    if kind == "current":
        if ratio.secondary not in (1, 5):
            out.append(f"secondary {ratio.secondary:g} A: rated ones are 1 A and 5 A")
        if not 1 <= ratio.primary <= 10_000:
            out.append(f"primary {ratio.primary:g} A lies outside 1 to 10000 A")
    else:
        usual = (100, 110, 115, 120, *(round(v / math.sqrt(3), 1) for v in (100, 110, 115, 120)), 1)
        if not any(abs(ratio.secondary - v) < 0.6 for v in usual):
            out.append(f"secondary {ratio.secondary:g} V: rated ones are 100 to 120 V, or that by root 3")
        if ratio.primary > 800_000:
            out.append(f"primary {ratio.primary:g} V is more than any network has")
    if ratio.factor < 1:
        out.append("primary is less than secondary: are the two sides changed over?")
    return out


_MISTAKES = {
    5.0: "a secondary of 1 A taken for 5 A, or the other way round", math.sqrt(3): "root 3: phase for line voltage",
    3.0: "one phase taken for the sum of three", 1000.0: "kilo left out or counted twice", 10.0: "a decimal place",
    2.0: "the conductor passes the transformer twice, or half the winding is used",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Compared:
    """`off` is the relative difference from the front panel; `why` names a mistake that explains it, or is empty."""

    computed: float
    shown: float
    off: float
    why: str

    @property
    def fits(self) -> bool:
        return abs(self.off) <= 0.02

    @property
    def words(self) -> str:
        both = f"computed {short(self.computed)}, the front panel shows {exact(self.shown)}"
        if self.fits:
            return f"{both}: they agree to {abs(self.off):.1%}"
        explained = f"; a factor of {self.why}" if self.why else "; no usual mistake explains the factor"
        return f"{both}: {self.off:+.1%}{explained}"


def compare(reading: float, shown: float, *ratios: Ratio) -> Compared:
    """A secondary reading, multiplied by the ratios, beside what the front panel shows."""
    computed = reading * math.prod(ratio.factor for ratio in ratios)
    if not shown:
        return Compared(computed, shown, 0.0 if not computed else math.inf, "")
    factor = computed / shown
    why = ""
    suspects = dict(_MISTAKES)
    for ratio in ratios:
        suspects.setdefault(ratio.factor, f"the ratio {ratio.text} counted twice or not at all")
        suspects.setdefault(ratio.factor**2, f"the ratio {ratio.text} turned over")
    for value, words in suspects.items():
        for turned in (value, 1 / value):
            if not why and value > 1.02 and factor > 0 and abs(factor / turned - 1) <= 0.02:
                why = f"{value:.4g}: {words}"
    return Compared(computed, shown, factor - 1, why)
