"""A capture as it reads if the sender uses supposed settings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ordolex.core.match.capture import Capture, segments, timed
from ordolex.core.match.compiled import following
from ordolex.core.match.content import TEXT
from ordolex.core.match.formats import Format
from ordolex.core.match.samples import sender_bits
from ordolex.core.match.ways import Candidates
from ordolex.core.uart.receiver import Resync


@dataclass(frozen=True, slots=True)
class Supposed:
    """What the sender is supposed to use; `ratio` is his rate to the receiver's, `content` TEXT or BINARY."""

    format: Format
    inverted: bool
    ratio: float
    content: int = TEXT


@dataclass(frozen=True, slots=True)
class Characters:
    """data   the characters of which all bits are known
    gaps   how many were left out
    """

    data: bytes
    gaps: int


def read_out(capture: Capture, supposed: Sequence[Supposed], habit: Resync = Resync.EDGE) -> list[Characters]:
    """The capture as it reads at each of these; all are followed at once."""
    ratios = np.array([one.ratio for one in supposed])
    parts = timed(segments(capture, habit), capture, float(ratios[0]))
    bits, clashes = sender_bits(parts, ratios)
    rows = np.arange(len(supposed))
    content = np.array([one.content for one in supposed])
    inverted = np.array([int(one.inverted) for one in supposed])
    formats = [one.format for one in supposed]
    run = following(Candidates(formats, rows, ratios, rows, content, inverted), history=True)
    run.run(parts, bits, clashes)
    out = []
    for row, one in enumerate(supposed):
        full = (1 << one.format.data_bits) - 1
        frames = run.reading(row)
        known = bytes(value for value, mask, _ in frames if mask == full)
        out.append(Characters(known, len(frames) - len(known)))
    return out
