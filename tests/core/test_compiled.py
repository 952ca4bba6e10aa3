"""The forward algorithm in C says what the one in numpy says."""

from __future__ import annotations

import random
import shutil
from dataclasses import replace
from difflib import SequenceMatcher
from itertools import islice

import numpy as np
import pytest

from ordolex.core.line.settings import LineSettings, Parity
from ordolex.core.match import compiled, infer, read
from ordolex.core.match.compiled import Compiled, library
from ordolex.core.match.forward import Forward
from ordolex.core.match.ways import Candidates
from tests.corpus.line import heard
from tests.corpus.maker import ALL, messages

pytestmark = pytest.mark.skipif(library() is None and not shutil.which("cc"), reason="built without a C compiler")
_CLOSE = 0.02  # nats, of some hundreds: rounding
_TIED = 0.02  # share of candidates where two ways were as likely, and rounding chose


def _captures(seed: int):
    rng = random.Random(seed)
    for name in rng.sample(sorted(one.name for one in ALL), 2):
        family = next(one for one in ALL if one.name == name)
        sender = LineSettings(9600, 8, rng.choice([Parity.NONE, Parity.EVEN]), 1.0)
        at = LineSettings(rng.choice([4800, 9600, 19200, 57600]), 8, Parity.NONE, 1.0)
        for flags in (True, False):
            told = messages(family, rng, 300)
            found = heard(rng, told, sender, at, 48, inverted=rng.random() < 0.3, flags=flags).capture
            yield found
            yield replace(found, spread_s=found.spread_s / 1000)  # so fine that they count the sender's bits


def test_the_compiled_part_was_built() -> None:
    assert library() is not None, "a compiler is here, and libforward.so.1 is not: pip install -e . again"


def test_weights_of_all_candidates_agree(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every call that an inference makes is made of both, cuts and history included."""
    apart: list[float] = []
    readings: list[float] = []

    class Both:
        def __init__(self, candidates: Candidates, history: bool = False) -> None:
            self.slow, self.fast = Forward(candidates, history), Compiled(candidates, history)

        def run(self, *given) -> None:
            self.slow.run(*given)
            self.fast.run(*given)

        def totals(self):
            slow, fast = self.slow.totals(), self.fast.totals()
            assert (np.isfinite(slow) == np.isfinite(fast)).all()
            known = np.isfinite(slow)
            apart.extend(np.abs(slow[known] - fast[known]))
            return slow

        def keep(self, keep) -> None:
            self.slow.keep(keep)
            self.fast.keep(keep)

        def reading(self, row: int):
            slow = self.slow.reading(row)
            readings.append(SequenceMatcher(None, slow, self.fast.reading(row), autojunk=False).ratio())
            return slow

    monkeypatch.setattr(infer, "following", Both)
    monkeypatch.setattr(read, "following", Both)
    for capture in _captures(41):
        infer.infer([capture])
    assert len(apart) > 5000 and len(readings) > 100
    assert np.mean(np.array(apart) > _CLOSE) < _TIED
    assert np.mean(readings) > 0.97, "only where two ways are as likely may another one be read"


def test_what_is_said_is_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    for capture in islice(_captures(random.randrange(10**6)), 3):
        fast = infer.infer([capture]).best
        with monkeypatch.context() as without:
            without.setattr(compiled, "library", lambda: None)
            slow = infer.infer([capture]).best
        assert fast and slow
        assert fast.best.settings == slow.best.settings or abs(fast.probability - slow.probability) < 0.05
        assert fast.probability == pytest.approx(slow.probability, abs=0.05)


def test_a_library_of_another_source_is_not_used(monkeypatch: pytest.MonkeyPatch, tmp_path) -> None:
    (tmp_path / "libforward.so.1").write_bytes(b"\x7fELF not one")
    monkeypatch.setattr(compiled, "LIBRARY", str(tmp_path / "libforward.so.1"))
    assert library.__wrapped__() is None
