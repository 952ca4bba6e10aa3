"""Whether what Match says is as often right as it says: reliability tables of the inference, by zone.

    .venv/bin/python -m benchmarks.calibration [--set held-out] [--cases 40] [--bytes 64] [--no-flags]

Families of the set `tuning` were looked at while weights were chosen, those of `held-out` were not
(benchmarks/families.py). A zone is the sender's rate against the listener's.
"""

from __future__ import annotations

import argparse
import random
import time
from dataclasses import dataclass, replace
from itertools import pairwise
from multiprocessing import Pool

from benchmarks.families import EIGHT_BITS, FRAMES, HELD_OUT, TUNING
from benchmarks.match_cases import as_heard

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.match.infer import Group, infer
from ordolex.core.match.verdict import Kind, judge

RATES = (110, 150, 200, 300, 600, 1200, 2400, 4800, 9600, 10400, 14400, 19200, 31250, 38400, 57600, 115200, 230400)
FORMATS = ("8N1",) * 6 + ("8E1", "7E1") * 3 + ("8N2", "8O1", "7O1") * 2 + ("7N2", "7M1", "7S1", "8M1")
ZONES = {
    "own rate": (1.0, 1.0),
    "slower": (0.104, 0.95),
    "faster": (1.05, 2.05),
    "far": (0.0, 0.1),
    "too fast": (2.2, 12),
}
LEVELS = (0.0, 0.3, 0.5, 0.7, 0.9, 0.98, 1.01)


@dataclass(frozen=True)
class Job:
    seed: int
    zone: str
    families: str
    count: int
    flags: bool


@dataclass(frozen=True)
class Outcome:
    job: Job
    family: str
    rate: bool
    first: bool
    three: bool
    said: float
    kind: Kind
    seconds: float
    words: str
    truth: str
    margin: float
    ratio: float


def run(job: Job) -> Outcome:
    rng = random.Random(job.seed)
    families = TUNING if job.families == "tuning" else HELD_OUT
    family = rng.choice(sorted(families))
    low, high = ZONES[job.zone]
    while True:
        baud, heard = rng.choice(RATES), rng.choice(RATES)
        if low <= baud / heard <= high:
            break
    format_ = rng.choice(FORMATS)
    if family in EIGHT_BITS:
        format_ = f"8{format_[1:]}"
    sender = LineSettings(baud, int(format_[0]), Parity(format_[1]), float(format_[2]))
    inverted = rng.random() < 0.06
    messages = [families[family](rng) for _ in range(200)]
    gap_bits = rng.choice((0.0, 0.0, 0.0, 1.0, rng.uniform(0.2, 20)))
    case = as_heard(
        rng, sender, LineSettings(heard), messages, inverted=inverted, wrong=rng.choice((0.0, 0.0, 0.01)),
        gap_bits=gap_bits, burst=1 if family in FRAMES else rng.randint(1, 6), kind=family,
    )  # fmt: skip
    capture = case.capture.first(job.count)
    if not job.flags:
        capture = replace(capture, flags=None)
    began = time.process_time()
    found = infer([capture])
    seconds = time.process_time() - began
    verdict = judge([capture], found)

    def right(group: Group) -> bool:
        best = group.best
        return case.reads_alike(best.settings, best.inverted)

    rights = [right(group) for group in found.groups[:3]] or [False]
    best = found.groups[0].best if found.groups else None
    near = best is not None and abs(best.settings.baud / baud - 1) < 0.03
    said = found.groups[0].probability if found.groups else 0.0
    truth = f"{sender.text}{' inverted' if inverted else ''} heard at {heard}"
    ratio = best.exact_baud / heard if best is not None else 0.0
    return Outcome(
        job,
        family,
        near,
        rights[0],
        any(rights),
        said,
        verdict.kind,
        seconds,
        verdict.words,
        truth,
        found.margin,
        ratio,
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--set", default="held-out", choices=("tuning", "held-out"))
    parser.add_argument("--cases", type=int, default=40)
    parser.add_argument("--bytes", type=int, default=64)
    parser.add_argument("--seed", type=int, default=50_000)
    parser.add_argument("--no-flags", action="store_true")
    parser.add_argument("--wrong", action="store_true", help="show what was said with confidence and is wrong")
    parser.add_argument("--zones", default=",".join(ZONES))
    given = parser.parse_args()
    jobs = [
        Job(given.seed + number, zone, given.set, given.bytes, not given.no_flags)
        for zone in given.zones.split(",")
        for number in range(given.cases)
    ]
    with Pool(2) as pool:
        done = pool.map(run, jobs, chunksize=4)
    print(f"{given.set} families, {given.bytes} bytes, {'with' if not given.no_flags else 'without'} line errors\n")
    print("| sender against listener | cases | rate | first | among three | median s |")
    print("| --- | --- | --- | --- | --- | --- |")
    for zone in given.zones.split(","):
        rows = [o for o in done if o.job.zone == zone]
        shares = " | ".join(str(sum(getattr(o, name) for o in rows)) for name in ("rate", "first", "three"))
        print(f"| {zone} | {len(rows)} | {shares} | {sorted(o.seconds for o in rows)[len(rows) // 2]:.2f} |")
    print("\n| said | answers | right | of those in reach |\n| --- | --- | --- | --- |")
    for low, high in pairwise(LEVELS):
        of = [o for o in done if low <= o.said < high and o.kind in (Kind.CERTAIN, Kind.LIKELY, Kind.OPEN)]
        near = [o for o in of if o.job.zone not in ("far", "too fast")]
        print(f"| {low:.2f} to {min(high, 1.0):.2f} | {len(of)} | {sum(o.first for o in of)} |"
              f" {sum(o.first for o in near)} of {len(near)} |")  # fmt: skip
    certain = [o for o in done if o.kind is Kind.CERTAIN]
    print(f"\nsaid to be certain: {sum(o.first for o in certain)} of {len(certain)} right")
    if given.wrong:
        for o in done:
            if o.said >= 0.9 and not o.first and o.kind is Kind.CERTAIN:
                print(f"  {o.job.seed} {o.job.zone}, {o.family}, {o.truth}: {o.words}")


if __name__ == "__main__":
    main()
