"""Strangers, drawn at random: devices of habits that nobody built the program for. See `habits.py` and `trial.py`."""

from __future__ import annotations

import os
import secrets
import warnings

import pytest

from tests.strangers.habits import Habits
from tests.strangers.trial import Trial, minimised, tried

SEEDS = [int(os.environ["STRANGERS_FROM"])] if "STRANGERS_FROM" in os.environ else [1, 101, 201]
MANY = int(os.environ.get("STRANGERS", "60"))
"""`STRANGERS_FROM=1000 STRANGERS=20000 pytest tests/strangers -k fixed` tries as many as are wanted."""


def none_fails(seeds: range) -> int:
    """How many values were read in all; says with which fewest habits the first one fails that does."""
    values = 0
    for seed in seeds:
        trial = tried(seed)
        if trial.faults:
            habits = minimised(seed)
            pytest.fail(f"stranger {seed}: {tried(seed, habits).faults[:3]}, with {habits}")
        values += trial.values
    return values


@pytest.mark.parametrize("first", SEEDS)
def test_no_fixed_stranger_is_told_of_falsely(first: int) -> None:
    values = none_fails(range(first, first + MANY))
    assert values > 8 * MANY, "and what they say is read: a tool that believes nothing is never wrong"


FEW = 2
"""Of 60 new ones so many may be told of falsely: of 6,000 that nobody had seen before 15 were (1 December). Three of 60
are that once in two thousand runs. Each is named in a warning, to be reduced by `minimised` and mended."""


def test_hardly_any_new_stranger_is_told_of_falsely() -> None:
    first = secrets.randbelow(10**9)
    failing = [(seed, trial.faults[0]) for seed in range(first, first + 60) if (trial := tried(seed)).faults]
    if failing:
        warnings.warn(f"strangers told of falsely: {failing}", stacklevel=1)
    assert len(failing) <= FEW, failing


def trial_of(habits: Habits, seed: int = 1) -> Trial:
    trial = tried(seed, habits)
    assert not trial.faults, trial.faults
    return trial
