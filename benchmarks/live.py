"""Match on devices that talk by themselves or wait to be asked, on a made-up clock: found right, found wrong, seconds.

    python -m benchmarks.live [receiver | talkers | silent] [--seeds 5] [--jobs 2]

The seconds are the device's and the port's; the inference takes none of them. `receiver` is one that says its position
at 38400 8N1, the port left at each of twelve rates.
"""

from __future__ import annotations

import argparse
import random
from collections import Counter
from multiprocessing import Pool

from tests.corpus.line import Talker
from tests.corpus.live import matched, talker_of
from tests.corpus.maker import HELD_OUT, named

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.io.match.asks import generic
from ordolex.io.match.options import Options

RATES = (300, 600, 1200, 2400, 4800, 9600, 14400, 19200, 28800, 57600, 76800, 115200)
TEXTS = (
    "1200 7E1", "2400 8N1", "4800 7E1", "9600 8N1", "10400 8N1", "19200 8E1", "28800 7O1", "31250 8N1", "38400 8E1",
    "57600 8N1", "76800 8N1", "115200 8N1",
)  # fmt: skip
ANSWER = b"raceway 3 oxygen 10.1 mg/l, spring level 412 mm\r\n"


def one(job: tuple[str, str, str, int]) -> tuple[str, bool, bool, float, str]:
    """(what, whether it was found right, whether it was found wrong, seconds, words)."""
    kind, family, own_text, seed = job
    rng = random.Random(f"{job}")
    own = read_line(own_text).settings
    at = LineSettings(rng.choice(RATES) if kind != "receiver" else RATES[seed % len(RATES)])
    if kind == "silent":
        question = rng.choice((b"\r", b"*IDN?\n"))
        talker = Talker(own, None, asked=lambda data: ANSWER if question in data else b"", seed=seed)
        options = Options(generic(), give_up_s=700.0)
    else:
        talker = talker_of(named([family])[0], own, seed, rng.choice((0.5, 1.0, 2.0)), rng.randint(1, 3))
        options = Options(generic())
    match, _ = matched(talker, at, options)
    found = match.found
    right = found is not None and (found.baud, found.data_bits, found.parity) == (own.baud, own.data_bits, own.parity)
    seconds = sum(trial.seconds for trial in match.trials)
    words = f"{family or 'silent'} {own.text} at {at.text}: {found.text if found else 'not found'}, {match.evidence}"
    return kind, right, found is not None and not right, seconds, words


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("kind", choices=("receiver", "talkers", "silent"))
    parser.add_argument("--seeds", type=int, default=5)
    parser.add_argument("--jobs", type=int, default=2)
    given = parser.parse_args()
    rng = random.Random(given.kind)
    if given.kind == "receiver":
        jobs = [("receiver", "receiver", "38400 8N1", n) for n in range(given.seeds * len(RATES))]
    elif given.kind == "silent":
        jobs = [("silent", "", text, n) for n in range(given.seeds) for text in TEXTS]
    else:
        families = [family for family in HELD_OUT if family.name != "dots"]
        jobs = []
        for number in range(given.seeds * len(TEXTS)):
            text = TEXTS[number % len(TEXTS)]
            fits = [family.name for family in families if text.split()[1].startswith("8") or not family.eight]
            jobs.append(("talkers", rng.choice(fits), text, number))
    counts: Counter[str] = Counter()
    times = []
    with Pool(given.jobs) as pool:
        for _, right, wrong, seconds, words in pool.imap_unordered(one, jobs):
            counts["right" if right else "wrong" if wrong else "not found"] += 1
            times.append(seconds)
            if not right:
                print("  ", words, flush=True)
    times.sort()
    print(
        f"{given.kind}: {dict(counts)} of {len(jobs)}; {times[len(times) // 2]:.1f} s median, {times[-1]:.1f} s longest"
    )


if __name__ == "__main__":
    main()
