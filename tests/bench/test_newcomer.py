"""What CONTRIBUTING promises: a stand-in is one module, its sheet one file, and nothing else is touched."""

import re
from importlib.resources import files
from pathlib import Path

import pytest

from ordolex.bench.catalogue import kinds
from ordolex.bench.plan import Plan
from ordolex.core.line.notation import read_line
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from tests.conftest import Notes, ServeBench


async def test_the_example_of_contributing_is_proven_by_its_own_sheet(serve_bench: ServeBench, notes: Notes) -> None:
    sheet = all_sheets()[0]["outlet-gate"]
    bench = await serve_bench({"name": "gate", "kind": sheet.bench_kind, "line": sheet.line.settings})
    runner = LinkRunner(1, bench.notice().devices[0].endpoint, read_line(sheet.line.settings).settings, notes)
    await runner.open()
    for question in sheet.harmless:
        await runner.ask(question.question())
    assert runner.rung.word == "Proven"
    await runner.release()


def test_the_example_is_small_and_nothing_else_knows_it() -> None:
    source = Path(str(files("ordolex")))
    module, sheet = source / "bench/devices/gate.py", source / "sheets/outlet-gate.toml"
    assert len(module.read_text().splitlines()) + len(sheet.read_text().splitlines()) < 100
    others = (path for path in source.rglob("*.py") if path != module)
    assert not [path for path in others if "GatePosition" in path.read_text() or '"gate"' in path.read_text()]


def test_a_kind_that_is_none_is_refused_with_those_there_are() -> None:
    assert {"gate", "oxygen", "bus-tcp"} <= set(kinds())
    page = (Path(__file__).parents[2] / "docs" / "bench.md").read_text()
    (named,) = re.findall(r'kind = "oxygen" +# (.*?)\nline', page, re.S)
    assert set(re.findall(r"[a-z][a-z-]*", named.replace(" or ", ", "))) == set(kinds())
    with pytest.raises(ValueError, match=r"'gat' is no stand-in; there are alarms, .*bus,.* gate,"):
        Plan.model_validate({"device": [{"name": "a", "kind": "gat"}]})
