"""What Match says of content that nobody tuned to: right of said, by zone and by how sure it was, and its time.

    python -m benchmarks.corpus [--set held-out] [--cases 4] [--seed 90000] [--jobs 2] [--families "english,log"]

The families of `fitted` were looked at while weights were chosen, those of `held-out` (tests/corpus/maker.py) were not.
"""

from __future__ import annotations

import argparse
import json
import random
import time
from collections import Counter, defaultdict
from dataclasses import dataclass
from itertools import pairwise
from multiprocessing import Pool
from pathlib import Path

from tests.corpus.line import heard
from tests.corpus.maker import ALL, FITTED, HELD_OUT, messages

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.match.infer import infer

RATES = (300, 1200, 2400, 4800, 9600, 14400, 19200, 28800, 38400, 57600, 76800, 115200)
SEVEN = ("7E1", "7E1", "7O1", "7N2", "8N1", "8N1", "8N1", "8E1")
EIGHT = ("8N1", "8N1", "8N1", "8E1", "8O1", "8N2")
ZONES = ("own", "slower", "faster", "format", "inverted", "none")
BINS = (0.0, 0.5, 0.7, 0.9, 0.98, 1.01)


@dataclass(frozen=True)
class Outcome:
    family: str
    zone: str
    said: float
    first: bool
    rate: bool
    ten: bool
    clean: bool
    seconds: float
    words: str
    features: tuple[float, ...] = ()


def settings_of(text: str, baud: int) -> LineSettings:
    return LineSettings(baud, int(text[0]), Parity(text[1]), float(text[2]))


def one(job: tuple[str, str, int]) -> Outcome:
    name, zone, seed = job
    rng = random.Random(f"{name} {zone} {seed}")
    family = next(one for one in ALL if one.name == name)
    sender = settings_of(rng.choice(EIGHT if family.eight else SEVEN), rng.choice(RATES))
    inverted = zone == "inverted"
    at = sender.baud
    if zone == "slower":
        at = rng.choice([rate for rate in RATES if 1.1 < rate / sender.baud <= 8] or [sender.baud * 2])
    elif zone == "faster":
        at = rng.choice([rate for rate in RATES if 1.1 < sender.baud / rate <= 2.1] or [sender.baud // 2])
    elif inverted:
        at = rng.choice([rate for rate in RATES if 1 <= rate / sender.baud <= 4])
    elif zone == "none":
        at = rng.choice([rate for rate in RATES if sender.baud / rate >= 3.5] or [sender.baud])
    here = LineSettings(at)
    if zone == "own":
        here = sender
    elif zone == "format":
        here = settings_of(rng.choice([text for text in ("8N1", "7E1", "8E1", "7O1") if text != sender.format]), at)
    count = rng.choice((32, 64, 128))
    wrong = 1.0 if zone == "none" and at == sender.baud else rng.choice((0, 0, 0.01))
    found = heard(rng, messages(family, rng, 5 * count), sender, here, count, inverted=inverted, wrong=wrong)
    began = time.process_time()
    inference = infer([found.capture])
    seconds = time.process_time() - began
    groups = inference.groups
    if not groups:
        return Outcome(name, zone, 0.0, False, False, False, zone == "own", seconds, "nothing")
    best = groups[0].best
    right = [found.reads_alike(group.best.settings, group.best.inverted) for group in groups[:10]]
    if zone == "none":
        right = [False] * len(right)
    rate = abs(best.settings.baud / sender.baud - 1) < 0.03 and best.inverted == inverted
    true = f"{sender.text}{' inv' if inverted else ''} at {here.text}"
    told = f"{best.settings.text}{' inv' if best.inverted else ''} {groups[0].probability:.2f}"
    words = f"{true}: {told} {best.reading[:40]!r}"
    features = getattr(inference, "features", ())
    return Outcome(
        name, zone, groups[0].probability, right[0], rate, any(right), zone == "own", seconds, words, features
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--set", default="held-out", choices=("fitted", "held-out"))
    parser.add_argument("--families", default="")
    parser.add_argument("--cases", type=int, default=2)
    parser.add_argument("--seed", type=int, default=90000)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--wrong", action="store_true", help="show those that are wrong though said for sure")
    parser.add_argument("--dump", default="", help="a file for what the word rests on, to fit it")
    given = parser.parse_args()
    families = [one.name for one in (HELD_OUT if given.set == "held-out" else FITTED)]
    families = given.families.split(",") if given.families else families
    jobs = [(name, zone, given.seed + n) for name in families for zone in ZONES for n in range(given.cases)]
    with Pool(given.jobs) as pool:
        outcomes = list(pool.imap_unordered(one, jobs, chunksize=2))
    if given.dump:
        Path(given.dump).write_text(
            "".join(f"{json.dumps([o.family, o.zone, o.first, o.said, *o.features])}\n" for o in outcomes)
        )
    for zone in ZONES:
        mine = [o for o in outcomes if o.zone == zone]
        share = [
            sum(each) / len(mine) for each in ((o.first for o in mine), (o.rate for o in mine), (o.ten for o in mine))
        ]
        print(f"{zone:9} {len(mine):4}  first {share[0]:4.0%}  rate {share[1]:4.0%}  among ten {share[2]:4.0%}")
    for low, high in pairwise(BINS):
        mine = [o for o in outcomes if low <= o.said < high]
        if mine:
            said = sum(o.said for o in mine) / len(mine)
            right = f"{sum(o.first for o in mine):3} of {len(mine):3} right"
            print(f"said {low:.2f} to {min(1, high):.2f}: {right}, {said:.0%} said")
    times = sorted(o.seconds for o in outcomes)
    print(f"seconds: {times[len(times) // 2]:.2f} median, {times[int(len(times) * 0.95)]:.2f} at 95 %")
    bad: dict[str, Counter[bool]] = defaultdict(Counter)
    for o in outcomes:
        if o.zone in ("own", "format"):
            bad[o.family][o.first] += 1
    print(
        "own and format, worst:",
        ", ".join(
            f"{f} {c[True]}/{c.total()}" for f, c in sorted(bad.items(), key=lambda x: x[1][True] / x[1].total())[:8]
        ),
    )
    if given.wrong:
        for o in outcomes:
            if o.said >= 0.7 and not o.first:
                print(f"  {o.family}, {o.zone}: {o.words}")


if __name__ == "__main__":
    main()
