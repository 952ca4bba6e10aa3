"""How well the sender's settings are inferred from received bytes: accuracy by number of bytes, calibration, time.

    .venv/bin/python -m benchmarks.match [--cases 120] [--seed 20000]

Cases are random (benchmarks/match_cases.py); the seeds up to 19999 were used while the weights were chosen, so report
with a seed from 20000 on.
"""

from __future__ import annotations

import argparse
import random
import time
from dataclasses import dataclass, replace
from multiprocessing import Pool

from benchmarks.match_cases import random_case

from ordolex.core.match.infer import Group, infer

_TRUE_RATE = 0.03


@dataclass(frozen=True)
class Job:
    seed: int
    same_rate: bool
    count: int
    flags: bool


@dataclass(frozen=True)
class Outcome:
    job: Job
    ratio: float
    habit: str
    rate: bool
    first: bool
    three: bool
    said: float
    seconds: float


def run(job: Job) -> Outcome:
    rng = random.Random(job.seed)
    case = random_case(rng, same_rate=job.same_rate)
    capture = case.capture.first(job.count)
    if not job.flags:
        capture = replace(capture, flags=None)
    began = time.perf_counter()
    groups = infer([capture]).groups
    seconds = time.perf_counter() - began

    def right(group: Group) -> bool:
        best = group.best
        return case.reads_alike(best.settings, best.inverted)

    rights = [right(group) for group in groups[:3]]
    best = groups[0].best
    rate = abs(best.settings.baud / case.sender.baud - 1) < _TRUE_RATE
    ratio = case.heard_at.baud / case.sender.baud
    return Outcome(job, ratio, case.habit.value, rate, rights[0], any(rights), groups[0].probability, seconds)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=300)
    parser.add_argument("--seed", type=int, default=20_000)
    parser.add_argument("--counts", default="8,16,32,64,128")
    given = parser.parse_args()
    counts = [int(count) for count in given.counts.split(",")]
    jobs = [
        Job(given.seed + number, same, count, flags)
        for same in (True, False)
        for flags in (True, False)
        for count in counts
        for number in range(given.cases)
    ]
    with Pool(2) as pool:
        done = pool.map(run, jobs, chunksize=8)
    print("| listening | line errors | bytes | rate | reading first | among three | s, mean | s, worst |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for same in (True, False):
        for flags in (True, False):
            for count in counts:
                rows = [o for o in done if (o.job.same_rate, o.job.flags, o.job.count) == (same, flags, count)]
                where = "at the sender's rate" if same else "1 to 10 times above it"
                shares = " | ".join(_share(getattr(o, name) for o in rows) for name in ("rate", "first", "three"))
                mean, worst = sum(o.seconds for o in rows) / len(rows), max(o.seconds for o in rows)
                print(f"| {where} | {'yes' if flags else 'no'} | {count} | {shares} | {mean:.2f} | {worst:.2f} |")
    print("\nreading first, by the listener's rate over the sender's (64 bytes, line errors, 1 to 10 times above)")
    rows = [o for o in done if not o.job.same_rate and o.job.flags and o.job.count == 64]
    for ratio in sorted({round(o.ratio, 2) for o in rows}):
        of = [o for o in rows if round(o.ratio, 2) == ratio]
        print(f"  {ratio:5.2f}  {len(of):4} cases  {_share(o.first for o in of)}")
    for habit in ("edge", "classic"):
        print(f"  habit {habit}: {_share(o.first for o in rows if o.habit == habit)}")
    print("\ncalibration, all of the above: said → right")
    for low, high in ((0.0, 0.3), (0.3, 0.5), (0.5, 0.7), (0.7, 0.9), (0.9, 1.01)):
        of = [o for o in done if low <= o.said < high]
        print(f"  {low:.1f} to {min(high, 1.0):.1f}: {len(of):5} answers, {_share(o.first for o in of)} right")


def _share(values: object) -> str:
    given = list(values)  # type: ignore[call-overload]
    return f"{sum(given) / len(given):.3f}" if given else "none"


if __name__ == "__main__":
    main()
