"""The idle voltage on a pin: what it says about level, transmitter and polarity.

Thresholds: TIA-232-F, 2.1.3 (mark below -3 V, space above 3 V, between them undefined, up to 25 V open circuit); logic
levels after JESD8C (3.3 V) and common 5 V logic; RS-485 bias after TIA-485-A (200 mV between the lines).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


class ReadingError(ValueError):
    """Readings that no pin can show."""


@dataclass(frozen=True, slots=True)
class Idle:
    """level: what drives the pin. means: what follows for wiring and polarity. sure: False in undefined bands."""

    level: str
    means: str
    sure: bool = True


_MOST = 25.0  # TIA-232-F: open-circuit voltage of a driver
_SPREAD = 0.6

_AGAIN = "measure again with nothing joined"

# upper bound of the band, level, what it means, sure
_BANDS: tuple[tuple[float, str, str, bool], ...] = (
    (-3.0, "RS-232, idle (mark)", "a transmitter at the right polarity: join it to a receiver's input", True),
    (-0.4, "undefined, between RS-232 mark and 0 V", f"a weak or loaded RS-232 driver: {_AGAIN}", False),
    (0.4, "no drive, or logic low", "an input, an open pin, or inverted logic: measure the other data pin", False),
    (2.0, "undefined, between logic levels", f"a floating input, or two drivers against each other: {_AGAIN}", False),
    (2.8, "undefined: bus bias, or a loaded logic output", "measure between the two lines of the pair", False),
    (3.8, "logic 3.3 V, idle (mark)", "a 3.3 V transmitter: never join RS-232 to it, use a 3.3 V adapter", True),
    (4.3, "undefined, between logic 3.3 V and 5 V", "take it for 3.3 V until the supply is known", False),
    (5.25, "logic 5 V, idle (mark)", "a 5 V transmitter: never join RS-232 to it, and no 3.3 V input", True),
    (
        6.0,
        "undefined: logic 5 V with a high supply, or a weak RS-232 driver at space",
        "measure while it sends: below 0 V then, and it is RS-232 with polarity turned; never below, and it is logic",
        False,
    ),
    (_MOST, "RS-232, space", "a break, or polarity turned: an idle RS-232 line is negative", True),
)


def idle(readings: Sequence[float]) -> Idle:
    """The verdict on one pin against signal ground, in volts. Raises ReadingError for what cannot be."""
    if not readings:
        raise ReadingError("give at least one reading in volts, such as -8.4")
    for volts in readings:
        if not -_MOST <= volts <= _MOST:
            raise ReadingError(
                f"{volts:g} V is beyond the {_MOST:g} V of any data line: is the meter on the right pin?"
            )
    low, high = min(readings), max(readings)
    if low < -3.0 and high > 3.0:
        return Idle("RS-232, sending", "it swings both ways: a transmitter that talks by itself", True)
    if low < 0.8 and 2.4 < high <= 5.6 and low > -0.5:
        kind = "5 V" if high > 4.3 else "3.3 V"
        return Idle(f"logic {kind}, sending", "it swings between 0 V and its supply: a transmitter that talks", True)
    if high - low > _SPREAD and _band(low) != _band(high):
        raise ReadingError(f"readings from {low:g} to {high:g} V contradict each other: measure again while it is idle")
    _, level, means, sure = _BANDS[_band((low + high) / 2)]
    return Idle(level, means, sure)


def idle_pair(plus_volts: float, minus_volts: float) -> Idle:
    """The verdict on the two lines of a pair, each against ground: what the bias says about A and B."""
    difference = plus_volts - minus_volts
    if not all(-_MOST <= v <= _MOST for v in (plus_volts, minus_volts)):
        raise ReadingError(f"readings beyond {_MOST:g} V: is the meter on the right pins?")
    if abs(difference) < 0.2:
        return Idle(
            "RS-485, no bias", "less than 200 mV apart: the idle state is undefined; the bus wants bias once", False
        )
    if difference > 0:
        return Idle("RS-485, biased", f"{difference * 1000:.0f} mV: the line taken for positive is B (+)")
    return Idle("RS-485, biased, lines swapped", f"{difference * 1000:.0f} mV: swap the two lines, or their names")


def _band(volts: float) -> int:
    return next(i for i, (upper, *_) in enumerate(_BANDS) if volts <= upper)
