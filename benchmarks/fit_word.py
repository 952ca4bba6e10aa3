"""Fits how sure Match's word is, on what `benchmarks.corpus --set fitted --dump FILE` kept, and says how often it would
be right: each family of content is judged by weights that were fitted on the others.

    python -m benchmarks.corpus --set fitted --cases 2 --dump fit.jsonl && python -m benchmarks.fit_word fit.jsonl
"""

from __future__ import annotations

import json
import sys
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

_BINS = (0.0, 0.3, 0.5, 0.7, 0.9, 0.98, 1.01)
Numbers = NDArray[np.float64]


def fitted(given: Numbers, right: Numbers) -> Numbers:
    """Weights of a logistic, held back a little; the first is a constant."""
    weights, held = np.zeros(given.shape[1]), np.ones(given.shape[1])
    held[0] = 1e-6
    for _ in range(100):
        share = 1 / (1 + np.exp(-given @ weights))
        slope = given.T @ (right - share) - held * weights
        curve = (given * (share * (1 - share))[:, None]).T @ given + np.diag(held)
        weights += np.linalg.solve(curve, slope)
    return weights


def main() -> None:
    rows = [json.loads(line) for line in Path(sys.argv[1]).read_text().splitlines()]
    rows = [row for row in rows if len(row) > 4]
    families = np.array([row[0] for row in rows])
    right = np.array([float(row[2]) for row in rows])
    given = np.array([row[4:] for row in rows], float)
    said = np.zeros(len(rows))
    for family in set(families):
        mine = families == family
        said[mine] = 1 / (1 + np.exp(-given[mine] @ fitted(given[~mine], right[~mine])))
    for low, high in pairwise(_BINS):
        mine = (said >= low) & (said < high)
        if mine.any():
            true = f"{right[mine].sum():.0f} of {mine.sum()} right"
            print(f"{low:.2f} to {min(1, high):.2f}: {true}, {said[mine].mean():.0%} said")
    print("weights:", ", ".join(f"{weight:.2f}" for weight in fitted(given, right)))


if __name__ == "__main__":
    main()
