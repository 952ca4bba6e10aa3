"""Match on a device that talks or answers, on a made-up clock: the inference takes no time, everything else its own."""

from __future__ import annotations

import random
from collections.abc import Sequence

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Inference, infer
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.asks import generic
from ordolex.io.match.matcher import Matcher
from ordolex.io.match.options import Options
from ordolex.io.match.search import Search
from ordolex.io.match.trials import Match
from tests.conftest import Notes
from tests.corpus.line import Talker
from tests.corpus.maker import Family
from tests.strangers.made_up_clock import run


async def _at_once(search: Search, heard: Sequence[Capture], most_rates: int) -> Inference:
    return infer(heard, shapes=search.options.shapes, most_rates=most_rates, data_bits=search.options.data_bits)


def matched(talker: Talker, port_at: LineSettings, options: Options | None = None) -> tuple[Match, LineSettings]:
    """What became of it, and where the port is left."""
    wanted = options or Options(generic())

    async def match() -> tuple[Match, LineSettings]:
        runner = LinkRunner(1, "rfc2217://127.0.0.1:1", port_at, Notes(), lambda endpoint: talker)
        await runner.open()
        try:
            return await Matcher(runner, wanted).run(), runner.line
        finally:
            await runner.release()

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Search, "infer", _at_once)
        found: tuple[Match, LineSettings] = run(match())
        return found


def talker_of(family: Family, settings: LineSettings, seed: int, period_s: float = 1.0, burst: int = 1) -> Talker:
    rng = random.Random(seed)
    return Talker(settings, lambda: b"".join(family.make(rng) for _ in range(burst)), period_s, seed=seed)
