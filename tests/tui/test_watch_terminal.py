"""Watch in the real program: a round made by keyboard, its chart, limits, a silent unit, an answer that is split."""

from __future__ import annotations

import json
import re
import sqlite3
import subprocess
import time
from pathlib import Path
from xml.etree import ElementTree

import pytest

from ordolex.core.port.bench_notice import BenchNotice
from ordolex.io.ports.benches import tell
from ordolex.tui.desks.talk.jobs import JOBS
from tests.conftest import program
from tests.tui.terminal import IN_TMUX, Terminal

pytestmark = IN_TMUX


def give(terminal: Terminal, seen: str, text: str) -> None:
    terminal.see(seen)
    terminal.press("C-u")
    terminal.type(text)
    terminal.press("Enter")


def until_there(path: Path) -> None:
    """What is said of it on the screen, alarms may say over."""
    deadline = time.monotonic() + 60
    while not path.exists():
        assert time.monotonic() < deadline, f"{path} was never written"
        time.sleep(0.05)


@pytest.mark.timeout(280)
def test_the_demo_round_shows_a_day_its_limits_and_its_silent_unit_and_its_chart_is_drawn(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    terminal.start("--book", str(book), size=(140, 50))
    terminal.see("Find: choose a port")
    terminal.press("F7")
    terminal.see("No round runs")
    terminal.press("d")
    terminal.see("demo +runs")
    terminal.see(r"◆ raceway 1 +\d\.\d+ mg/l ✓ good", 40)
    terminal.see("Pump house bus .*line time +[0-9]+% planned, [0-9]+% used", 40)
    terminal.see("last 1 min +━ raceway 1 mg/l +• raceway 2")
    terminal.see("▲ .*stand, .* not acknowledged; first up: ", 60)
    terminal.press("a")
    terminal.see("acknowledged")
    wanted = {"is low: ", "no longer low", "raceway 4 is stuck", "oxygen answers again"}
    deadline = time.monotonic() + 150  # a day of the bench: the blower trips, a unit is silent for a while
    while missing := {one for one in wanted if not re.search(one, said(book))}:
        assert time.monotonic() < deadline, f"{missing} in {said(book)}"
        time.sleep(0.2)
    terminal.press("x")
    terminal.see("Export 4 items")
    terminal.press("End", "Enter")
    give(terminal, "File for the drawing", str(tmp_path / "day.svg"))
    until_there(tmp_path / "day.svg")
    text = "".join(ElementTree.parse(tmp_path / "day.svg").getroot().itertext())
    assert "raceway 1" in text and "limit 7" in text and "mg/l" in text
    terminal.press("x")
    terminal.see("Export 4 items")
    terminal.press("Enter")
    terminal.see("Values of which items")
    terminal.press("Enter")
    give(terminal, "File for the values", str(tmp_path / "day.csv"))
    until_there(tmp_path / "day.csv")
    head, *rows = (tmp_path / "day.csv").read_text().splitlines()
    assert head == "time,raceway 1 (mg/l),raceway 2 (mg/l),raceway 3 (mg/l),raceway 4 (mg/l)" and len(rows) > 20
    values = [value for (value,) in sqlite3.connect(book).execute("SELECT value FROM value")]
    assert 1999 in values or 19.99 in values  # the spike of one sample was kept


def said(book: Path) -> str:
    rows = sqlite3.connect(book).execute("SELECT text FROM event WHERE kind = 'watch'").fetchall()
    return "\n".join(text for (text,) in rows)


def test_the_last_question_of_talk_is_split_named_charted_and_talk_still_answers(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    oxygen = next(device for device in bench_process.devices if device.name == "Raceway 2 oxygen")
    subprocess.run(program("ask", oxygen.endpoint, "*IDN?\\n", "--line", "19200 8N1", "--book", str(book)), timeout=60)
    terminal.start("--book", str(book), size=(130, 46))
    terminal.see("Find: choose a port")
    terminal.press("F5", "C-o")
    terminal.see("is open at 19200 8N1", 30)
    terminal.type("MEAS:OXYG?;MEAS:TEMP?")  # two values in one answer
    terminal.press("Enter")
    terminal.see(r"◂ [0-9.]+ mg/l;", 30)
    terminal.press("C-b")
    terminal.see("Ask again and again|Break")
    terminal.press(*["Down"] * [job.id for job in JOBS if not job.key].index("talk.repeat"), "Enter")
    terminal.see("What to ask again and again")
    terminal.see(r"MEAS:OXYG\?;MEAS:TEMP\?")
    terminal.press("Enter")
    give(terminal, "How often, in ms", "200")
    give(terminal, "Names of 2 values", "oxygen here, water")
    give(terminal, "Name of the round", "by hand")
    terminal.see("by hand +runs", 30)
    terminal.see(r"oxygen here +\d+\.\d+ mg/l ✓ good", 30)
    terminal.press("Down", "Space")
    terminal.see("◆ (oxygen here|water)")
    terminal.press("l")
    give(terminal, "Limits of", "0 .. 1 hysteresis 0.5")
    terminal.see(r"▲ high, 1", 30)
    terminal.press("l")
    give(terminal, "Limits of", "0 .. 99")
    terminal.see("nothing is out of limits", 30)
    terminal.press("F5")
    terminal.type("*IDN?")
    terminal.press("Enter")
    terminal.see("◂ Brookmade,OX-2,unit 2,1.14", 30)
    terminal.press("F7")
    terminal.see("by hand +runs")
    tell(bench_process, "vanish Raceway 2")
    terminal.see("✗ no answer", 40)
    tell(bench_process, "return Raceway 2")
    terminal.see(r"oxygen here +\d+\.\d+ mg/l ✓ good", 60)
    terminal.press("p")
    terminal.see("by hand +paused")
    terminal.press("Enter")
    terminal.see("Stop by hand")
    terminal.press("Down", "Enter")
    terminal.see("by hand is stopped")
    kept = json.dumps(sqlite3.connect(book).execute("SELECT name, unit FROM item ORDER BY id").fetchall())
    assert kept == '[["oxygen here", "mg/l"], ["water", "C"]]'


def test_on_a_small_screen_table_and_chart_take_turns(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    terminal.start("--book", str(tmp_path / "b.ordolex"), size=(80, 24))
    terminal.see("Find")
    terminal.press("F7")
    terminal.see("No round runs")
    terminal.press("d")
    terminal.see("raceway 1 .*good", 40)
    assert "┤" not in terminal.screen()
    terminal.press("v")
    terminal.see("┤")
    assert "Pump house bus" not in terminal.screen()
    terminal.press("v")
    terminal.see("raceway 2 ")
