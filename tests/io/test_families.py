"""A protocol is one record and what stands beside it: a toy one is added in just those places, and works throughout."""

from __future__ import annotations

import pytest

from ordolex.core.device.setting import Outcome
from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.protocols.families import FAMILIES
from ordolex.io.device.settings import DEVICES, device_for
from ordolex.io.link.runner import LinkRunner
from ordolex.io.match.asks import chosen
from ordolex.io.match.matcher import Matcher
from ordolex.io.match.options import Options
from ordolex.io.own.sheets import all_sheets
from tests.conftest import Notes, ServeBench
from tests.toy_protocol import add_toy


def test_every_protocol_has_its_device() -> None:
    assert set(DEVICES) == set(FAMILIES)
    assert all(family.name == name and family.read_by for name, family in FAMILIES.items())


async def test_a_toy_protocol_is_matched_proven_and_read_by_its_sheet(
    serve_bench: ServeBench, notes: Notes, monkeypatch: pytest.MonkeyPatch
) -> None:
    add_toy(monkeypatch)
    sheets, faults = all_sheets()
    assert not faults
    sheet = sheets["tally-box"]
    bench = await serve_bench({"name": "box", "kind": "tally", "line": "4800 8E1"})
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, LineSettings(9600), notes)
    await runner.open()
    match = await Matcher(runner, Options(chosen(sheet), listen_s=0.1).knowing(sheet)).run()
    assert match.found == read_line("4800 8E1").settings and match.answered and runner.rung.word == "Proven"
    (reading,) = await device_for(runner, sheet).read(sheet.parameter)
    assert (reading.outcome, reading.value) == (Outcome.READ, 412)
    await runner.release()
