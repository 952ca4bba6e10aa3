"""How long the finder takes on the bench over RFC 2217: random talking and random silent devices.

    .venv/bin/python -m benchmarks.finder [--cases 100] [--seed 1]

Beside it stands trying the table of settings in order, the usual ones first: where each case stands in that table, and
the seconds that one try of it takes (measured on some of the cases in the same run).
"""

from __future__ import annotations

import argparse
import asyncio
import json
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.link.question import Question
from ordolex.core.match.formats import formats, usual
from ordolex.core.match.order import RATES
from ordolex.io.book.nowhere import NoBook
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.asks import generic
from ordolex.io.match.matcher import Matcher
from ordolex.io.match.options import Options

VERBOSE = False
_TABLE = [
    LineSettings(baud, f.data_bits, f.parity, float(f.stop_bits))
    for baud in RATES
    for f in sorted(formats(), key=lambda format_: -usual(format_))
]


def plan(cases: list[LineSettings], kind: str) -> str:
    rows = []
    for number, line in enumerate(cases):
        rows.append(f'[[device]]\nname = "{kind} {number}"\nkind = "{kind}"\nline = "{line.text}"\ninterval_s = 0.0\n')
    return "\n".join(rows)


async def one(endpoint: str, questions: Sequence[Question]) -> tuple[LineSettings | None, float, int, int, bool]:
    runner = LinkRunner(0, endpoint, LineSettings(9600), NoBook())
    await runner.open()
    options = Options(questions, listen_s=2.0 if not questions else 0.4, give_up_s=120)
    began = time.perf_counter()
    try:
        found = await Matcher(runner, options).run()
    finally:
        await runner.release()
    if VERBOSE:
        for trial in found.trials:
            print("     ", trial.line.text, trial.sent, len(trial.heard.data), trial.words, f"{trial.seconds:.2f}")
    return found.found, time.perf_counter() - began, found.retunings, len(found.trials), found.inverted


async def one_try(endpoint: str, line: LineSettings) -> float:
    """Seconds of one try of the table: set it, ask, wait."""
    runner = LinkRunner(0, endpoint, line, NoBook())
    await runner.open()
    began = time.perf_counter()
    await runner.ask(Question(b"*IDN?\n", timeout_s=0.25))
    seconds = time.perf_counter() - began
    await runner.release()
    return seconds


def same_reading(found: LineSettings | None, true: LineSettings) -> bool:
    """The rate, and a format at which the same characters come."""
    if found is None or found.baud != true.baud:
        return False
    frame = {
        (7, Parity.SPACE): (8, Parity.NONE),
        (7, Parity.MARK): (7, Parity.NONE),
        (8, Parity.MARK): (8, Parity.NONE),
    }
    a, b = ((s.data_bits, s.parity) for s in (found, true))
    return frame.get(a, a) == frame.get(b, b)


def run(kind: str, cases: list[LineSettings], questions: Sequence[Question]) -> None:
    name = "talking" if kind == "logger" else "silent"
    results = []
    tries: list[float] = []
    for first in range(0, len(cases), 50):
        some = cases[first : first + 50]
        with tempfile.TemporaryDirectory() as folder:
            file, ready = Path(folder) / "plan.toml", Path(folder) / "ready.json"
            file.write_text(plan(some, kind))
            command = [sys.executable, "-m", "ordolex", "bench", "--plan", str(file), "--ready-file", str(ready)]
            with subprocess.Popen(command, stdout=subprocess.DEVNULL) as bench:
                while not ready.exists() or not ready.read_text().strip():
                    time.sleep(0.05)
                endpoints = [device["endpoint"] for device in json.loads(ready.read_text())["devices"]]
                for endpoint, line in zip(endpoints, some, strict=True):
                    if VERBOSE:
                        print(line.text)
                    results.append((line, *asyncio.run(one(endpoint, questions))))
                    if len(tries) < 8 and questions:
                        tries.append(asyncio.run(one_try(endpoint, LineSettings(1200))))
                bench.terminate()
    right = [row for row in results if same_reading(row[1], row[0]) and not row[5]]
    print(f"{name}: {len(right)} of {len(results)} found rightly")
    forty = [row[2] / (40 * row[0].bits_per_frame / row[0].baud * 2 + 1) for row in right]
    print(f"  seconds: median {statistics.median(row[2] for row in right):.2f}, 90 % within"
          f" {sorted(row[2] for row in right)[int(0.9 * len(right))]:.2f}")  # fmt: skip
    if questions:
        places = [_TABLE.index(line) + 1 for line in cases]
        print(f"  trials: median {statistics.median(row[4] for row in right)}; the table has {len(_TABLE)} settings")
        median_try = statistics.median(tries)
        print(f"  the table in order: median {statistics.median(places)} tries of {median_try:.2f} s:"
              f" {statistics.median(places) * median_try:.0f} s")  # fmt: skip
    else:
        print(f"  time against twice its first 40 characters plus 1 s: median ratio {statistics.median(forty):.2f}")
        few = sum(row[3] <= 3 for row in right) / len(results)
        print(f"  re-tunings: median {statistics.median(row[3] for row in right)}, at most 3 in {few:.0%} of all cases")
        places = [_TABLE.index(line) + 1 for line in cases]
        print(f"  the table in order: median {statistics.median(places)} listens")
    for line, found, seconds, *_ in results:
        if not same_reading(found, line):
            print(f"  missed {line.text}: {found.text if found is not None else 'nothing'} after {seconds:.1f} s")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--cases", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", choices=("talking", "silent"), default=None)
    parser.add_argument("--verbose", action="store_true", help="print every trial")
    given = parser.parse_args()
    global VERBOSE
    VERBOSE = given.verbose
    rng = random.Random(given.seed)
    usual_rates = [rate for rate in RATES if 300 <= rate <= 115200]
    all_formats = formats()

    def case() -> LineSettings:
        format_ = rng.choice(all_formats)
        return LineSettings(rng.choice(usual_rates), format_.data_bits, format_.parity, float(format_.stop_bits))

    talking, silent = [case() for _ in range(given.cases)], [case() for _ in range(given.cases)]
    if given.only != "silent":
        run("logger", talking, ())
    if given.only != "talking":
        run("oxygen", silent, generic())


if __name__ == "__main__":
    main()
