"""What the Match desk shows of one link, and where its cursor stands: a cell of rates by formats, and the polarity."""

from __future__ import annotations

from dataclasses import dataclass, field

from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture
from ordolex.core.match.content import TEXT
from ordolex.core.match.explain import Misreading, misread
from ordolex.core.match.formats import Format, formats, usual
from ordolex.core.match.infer import Inference
from ordolex.core.match.rates import STANDARD
from ordolex.core.match.read import Characters, Supposed, read_out
from ordolex.core.match.verdict import Verdict
from ordolex.io.match.trials import Match, Trial

RATES = tuple(baud for baud in STANDARD if baud not in (7200, 76800, 128000, 153600, 250000, 256000, 500000, 576000))
"""The rates of the map in bit/s, one a row."""
_READ_BYTES = 48


@dataclass(slots=True)
class Seen:
    """Of a running match, or of a span of the record."""

    captures: list[Capture]
    inference: Inference
    verdict: Verdict | None
    trials: list[Trial]
    now: str = ""
    found: tuple[int, str] | None = None
    """Rate and format at which it was then heard."""
    inverted: bool = False
    """The match found the line inverted, and saw it rest at the wrong level."""

    @classmethod
    def of(cls, match: Match) -> Seen:
        found = (match.found.baud, match.found.format) if match.found is not None else None
        return cls(
            list(match.captures), match.inference, match.verdict, list(match.trials), match.now, found, match.inverted
        )


@dataclass(slots=True)
class Board:
    """formats   the columns
    cell      column and row that are chosen
    bits_at   from which column on the drawn bits are shown
    """

    formats: list[Format] = field(default_factory=lambda: _columns((7, 8)))
    cell: list[int] = field(default_factory=lambda: [0, RATES.index(9600)])
    inverted: bool = False
    bits_at: int = 0
    _read: tuple[object, Characters, Misreading] | None = None

    def weigh(self, data_bits: tuple[int, ...]) -> None:
        """Columns for these numbers of data bits."""
        settings = self.settings
        self.formats = _columns(data_bits)
        self.go_to(settings, self.inverted)

    def show(self, seen: Seen | None, line: LineSettings) -> None:
        """Stands on what was found or is most likely; before anything was looked at, on the settings in use."""
        if seen is not None and seen.found is not None:
            self._stand_on(*seen.found, seen.inverted)
        elif seen is not None and seen.inference.best is not None:
            self.go_to(seen.inference.best.best.settings, seen.inference.best.best.inverted)
        elif seen is None:
            self.go_to(line, False)

    def go_to(self, settings: LineSettings, inverted: bool) -> None:
        self._stand_on(settings.baud, settings.format, inverted)

    def _stand_on(self, baud: int, form: str, inverted: bool) -> None:
        texts = [format_.text for format_ in self.formats]
        self.cell[0] = texts.index(form) if form in texts else 0
        self.cell[1] = min(range(len(RATES)), key=lambda at: abs(RATES[at] - baud))
        self.inverted = inverted

    def move(self, across: int, down: int) -> None:
        self.cell[0] = max(0, min(self.cell[0] + across, len(self.formats) - 1))
        self.cell[1] = max(0, min(self.cell[1] + down, len(RATES) - 1))

    @property
    def settings(self) -> LineSettings:
        """Of the chosen cell."""
        format_ = self.formats[self.cell[0]]
        return LineSettings(RATES[self.cell[1]], format_.data_bits, format_.parity, float(format_.stop_bits))

    def cells(self, seen: Seen | None) -> dict[tuple[int, str], float]:
        """Probability by baud and format, at the chosen polarity."""
        out: dict[tuple[int, str], float] = {}
        for entry in seen.inference.ranked if seen is not None else ():
            if entry.inverted == self.inverted:
                key = (entry.settings.baud, entry.settings.format)
                out[key] = out.get(key, 0.0) + entry.probability
        return out

    def chance(self, seen: Seen | None) -> float:
        return self.cells(seen).get((self.settings.baud, self.settings.format), 0.0)

    def capture(self, seen: Seen | None) -> Capture | None:
        """The capture that says most about the chosen rate: the one heard nearest above it."""
        heard = [capture for capture in seen.captures if capture.data] if seen is not None else []
        baud = self.settings.baud
        fit = [capture for capture in heard if 0.34 * capture.heard_at.baud <= baud <= 1.05 * capture.heard_at.baud]
        return max(fit or heard, key=lambda capture: min(len(capture.data), _READ_BYTES)) if heard else None

    def reading(self, capture: Capture) -> tuple[Characters, Misreading]:
        """How a capture reads at the chosen cell, and its bits with where they were sampled."""
        settings = self.settings
        key = (id(capture), settings, self.inverted)
        if self._read is None or self._read[0] != key:
            format_, ratio = self.formats[self.cell[0]], settings.baud / capture.heard_at.baud
            part = capture.first(_READ_BYTES)
            (characters,) = read_out(part, [Supposed(format_, self.inverted, ratio, TEXT)])
            picture = misread(characters.data[:24], settings, capture.heard_at, inverted=self.inverted)
            self._read = (key, characters, picture)
        return self._read[1], self._read[2]


def _columns(data_bits: tuple[int, ...]) -> list[Format]:
    return sorted(formats(data_bits), key=lambda format_: -usual(format_))
