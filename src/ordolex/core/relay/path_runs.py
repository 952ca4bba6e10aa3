"""Measured runs on a path: round trips, throughput, what was lost, and whether two runs differ by more than chance."""

from __future__ import annotations

import struct
import zlib
from dataclasses import asdict, dataclass, field
from typing import Any

_HEAD = struct.Struct(">4sIIH")
_MARK = b"\xa5Ox2"
_TAIL = 4
LEAST = _HEAD.size + _TAIL
_DRAWS = 2000


def probe(run: int, number: int, size: int) -> bytes:
    """A numbered block of `size` bytes, at least LEAST, whose content follows from its numbers, with a check
    (CRC-32)."""
    head = _HEAD.pack(_MARK, run, number, size)
    body = bytes((number * 31 + at * 7) & 0xFF for at in range(size - LEAST))
    return head + body + zlib.crc32(head + body).to_bytes(_TAIL, "big")


@dataclass(slots=True)
class Counted:
    """What came back of `sent` probes."""

    sent: int = 0
    back: int = 0
    doubled: int = 0
    wrong: int = 0
    """Blocks whose check failed."""
    strange: int = 0
    """Bytes that belong to no block."""

    @property
    def lost(self) -> int:
        return max(0, self.sent - self.back - self.wrong)


class Gathered:
    """Finds the probes of a run in what comes back, whatever it is cut into. `arrived` gives the numbers of new
    ones."""

    def __init__(self, run: int) -> None:
        self._run = run
        self._held = bytearray()
        self._seen: set[int] = set()
        self.counted = Counted()

    def arrived(self, data: bytes) -> list[int]:
        self._held += data
        new: list[int] = []
        while True:
            at = self._held.find(_MARK)
            if at < 0:
                self._strange(max(0, len(self._held) - len(_MARK) + 1))
                return new
            self._strange(at)
            if len(self._held) < _HEAD.size:
                return new
            _, run, number, size = _HEAD.unpack_from(self._held)
            if not LEAST <= size <= 0xFFFF:
                self._wrong()
                continue
            if len(self._held) < size:
                return new
            block = bytes(self._held[:size])
            if zlib.crc32(block[:-_TAIL]) != int.from_bytes(block[-_TAIL:], "big") or run != self._run:
                self._wrong()
                continue
            del self._held[:size]
            if number in self._seen:
                self.counted.doubled += 1
            else:
                self._seen.add(number)
                self.counted.back += 1
                new.append(number)

    def _wrong(self) -> None:
        self.counted.wrong += 1
        del self._held[: len(_MARK)]

    def _strange(self, count: int) -> None:
        self.counted.strange += count
        del self._held[:count]


@dataclass(frozen=True, slots=True)
class PathRun:
    """A measured run. Times in ms; throughput in bytes/s, None where it was not measured.

    conditions  path, rate, mode, and whatever else was typed or known
    how         `loop`: blocks that come back; `question`: one question, asked again and again
    beside      (when, ms of round trips to a second host; None for a lost one): before, during, after
    """

    name: str
    at_us: int
    how: str
    conditions: dict[str, str]
    trips_ms: tuple[float, ...]
    sent: int
    lost: int
    wrong: int
    doubled: int
    out_bytes_s: float | None = None
    back_bytes_s: float | None = None
    beside: dict[str, tuple[float | None, ...]] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        raw = asdict(self)
        raw["trips_ms"] = [round(ms, 4) for ms in self.trips_ms]
        raw["beside"] = {when: list(trips) for when, trips in self.beside.items()}
        return raw | figures(self)


def path_run_of(raw: dict[str, Any]) -> PathRun:
    """Raises KeyError or TypeError for what is no run."""
    return PathRun(
        str(raw["name"]), int(raw["at_us"]), str(raw["how"]), dict(raw["conditions"]), tuple(raw["trips_ms"]),
        int(raw["sent"]), int(raw["lost"]), int(raw["wrong"]), int(raw["doubled"]), raw.get("out_bytes_s"),
        raw.get("back_bytes_s"), {when: tuple(trips) for when, trips in raw.get("beside", {}).items()},
    )  # fmt: skip


def percentile(sorted_values: tuple[float, ...] | list[float], share: float) -> float:
    """Of values in order, by the nearest rank: the least value that at least `share` of them do not exceed."""
    rank = max(1, -(-len(sorted_values) * share // 1))
    return float(sorted_values[int(rank) - 1])


def figures(run: PathRun) -> dict[str, float | None]:
    """Median, 95 % and worst round trip in ms; None where none came back."""
    values = sorted(run.trips_ms)
    if not values:
        return {"median_ms": None, "p95_ms": None, "worst_ms": None}
    return {
        "median_ms": round(percentile(values, 0.5), 3),
        "p95_ms": round(percentile(values, 0.95), 3),
        "worst_ms": round(values[-1], 3),
    }


def beside_words(run: PathRun) -> str:
    """What became of the round trips to the second host; empty where there was none."""
    parts = []
    for when, trips in run.beside.items():
        good = sorted(trip for trip in trips if trip is not None)
        lost = len(trips) - len(good)
        middle = f"{percentile(good, 0.5):.1f} ms" if good else "no answer"
        parts.append(f"{when} {middle}" + (f" ({lost} of {len(trips)} lost)" if lost else ""))
    return f"{run.conditions.get('beside', 'second host')}: {', '.join(parts)}" if parts else ""


@dataclass(frozen=True, slots=True)
class Difference:
    """Of the medians, second less first, in ms, with the interval that holds it in 95 of 100 draws (bootstrap)."""

    ms: float
    low: float
    high: float
    enough: bool

    def words(self) -> str:
        if not self.enough:
            return f"{self.ms:+.2f} ms at the median; too few round trips to say more"
        span = f"{self.ms:+.2f} ms at the median, between {self.low:+.2f} and {self.high:+.2f}"
        if self.low <= 0 <= self.high:
            return f"{span}: no difference that chance would not make"
        return f"{span}: it became {'slower' if self.ms > 0 else 'faster'}"


def difference(before: PathRun, after: PathRun) -> Difference | None:
    """None where one of them has no round trip."""
    if not (before.trips_ms and after.trips_ms):
        return None
    import numpy

    dice = numpy.random.default_rng(20217)
    first, second = numpy.array(before.trips_ms), numpy.array(after.trips_ms)
    medians = [numpy.median(dice.choice(values, (_DRAWS, len(values))), axis=1) for values in (first, second)]
    low, high = numpy.percentile(medians[1] - medians[0], (2.5, 97.5))
    enough = min(len(first), len(second)) >= 8
    return Difference(float(numpy.median(second) - numpy.median(first)), float(low), float(high), enough)
