"""The log for support: what was done with ports is in it, what passed on them never."""

import stat
from pathlib import Path

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.question import Question
from ordolex.io.system import log
from tests.bench.test_bench import runner_for
from tests.conftest import OXYGEN, Notes, ServeBench


async def test_the_log_says_what_was_done_and_not_what_passed(
    serve_bench: ServeBench, notes: Notes, tmp_path: Path
) -> None:
    end = log.begin(tmp_path / "state/ordolex.log")
    runner = runner_for(await serve_bench(OXYGEN), "19200 8N1", notes)
    await runner.open()
    await runner.ask(Question(b"PASS trout-4711\n"))
    await runner.ask(Question(b"*IDN?\n"))
    await runner.retune(LineSettings(9600))
    await runner.release()
    end()
    text = (tmp_path / "state/ordolex.log").read_text()
    assert f"link 1 opened: {runner.endpoint.text} opened at 19200 8N1" in text
    assert "19200 8N1 → 9600 8N1" in text and "released" in text and text.startswith("20")
    assert b"Brookmade" in notes.bytes("rx")
    assert not [word for word in ("trout", "PASS", "IDN", "Brookmade") if word in text]


def test_the_log_is_private_bounded_and_never_in_the_way(tmp_path: Path) -> None:
    path = tmp_path / "ordolex.log"
    end = log.begin(path, most_bytes=2_000)
    for number in range(200):
        log.happened("opened", number, "x" * 40)
        log.happened("answer", number, "what a device said")
    end()
    files = sorted(tmp_path.glob("ordolex.log*"))
    assert len(files) == 1 + log.KEPT and all(file.stat().st_size < 2_500 for file in files)
    assert {stat.S_IMODE(file.stat().st_mode) for file in files} == {0o600}
    assert not any("what a device said" in file.read_text() for file in files)
    (tmp_path / "file").write_text("in the way of a folder")
    log.begin(tmp_path / "file/ordolex.log")()
