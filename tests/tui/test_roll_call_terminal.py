"""Unit scans by keyboard: probes that are asked by a letter, then watched; units of a bus against who should be there;
the table of another instrument beside what is asked."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import time
from pathlib import Path

import pytest

from ordolex.core.port.bench_notice import BenchNotice
from ordolex.core.sheet import read_sheet
from ordolex.io.ports.benches import tell
from ordolex.tui.desks.talk.jobs import JOBS
from ordolex.tui.desks.watch.jobs import JOBS as WATCH_JOBS
from tests.conftest import program
from tests.tui.terminal import IN_TMUX, Terminal

pytestmark = IN_TMUX


def give(terminal: Terminal, seen: str, text: str) -> None:
    terminal.see(seen)
    terminal.press("C-u")
    terminal.type(text)
    terminal.press("Enter")


def chosen(terminal: Terminal, id_: str, jobs: tuple[object, ...]) -> None:
    """A line of the desk's menu, which stands."""
    places = [job.id for job in jobs if not job.key]  # type: ignore[attr-defined]
    terminal.press(*["Down"] * places.index(id_), "Enter")


def linked(bench: BenchNotice, name: str, book: Path, line: str, asked: str) -> None:
    """The book has this link, and it was asked once."""
    device = next(device for device in bench.devices if device.name == name)
    command = program("ask", device.endpoint, asked, "--line", line, "--book", str(book))
    subprocess.run(command, timeout=60, check=False, capture_output=True)


@pytest.mark.timeout(200)
def test_probes_are_swept_from_talk_and_all_that_answer_become_a_table_with_another_instrument_beside(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    linked(bench_process, "Water probes", book, "9600 7E1", "A\\r")
    terminal.start("--book", str(book), size=(132, 46))
    terminal.see("Find: choose a port")
    terminal.press("F5", "C-o")
    terminal.see("is open at 9600 7E1", 30)
    terminal.press("C-b")
    terminal.see("unit scan by a question")
    chosen(terminal, "talk.units", JOBS)
    give(terminal, "Question to each unit", "{unit}\\r")
    give(terminal, "Which units", "A-F")
    give(terminal, "Which should be there", "A-E")
    give(terminal, "How long to wait for each", "400")
    terminal.see(r"4 of 6 answered rightly, 1 missing", 40)
    terminal.see(r"E +✗ missing +no answer")
    terminal.see(r"B +✓ answers +\d+ ms +7\.\d\d \d+\.\d 0\.\d+ \d+\.\d")
    terminal.press("w")
    give(terminal, "How often each is asked, in ms", "1000")
    give(terminal, "Names of 4 values", "pH, temperature, conductivity, -")
    give(terminal, "Name of the round", "probes")
    terminal.see(r"probes +runs", 30)
    terminal.see(r"D temperature +1\d\.\d ✓ good", 40)
    terminal.press("m")
    terminal.see("Make a sheet of the columns")
    chosen(terminal, "watch.sheet", WATCH_JOBS)
    give(terminal, "Name of the sheet", "own-probes")
    give(terminal, "Which device is it", "water probes of the hatching room")
    terminal.see("4 questions, a draft that wants your words; the link has it now", 30)
    (sheet,) = tmp_path.rglob("own-probes.toml")
    made = read_sheet(sheet.read_text(), sheet.name)
    assert [one.send for one in made.question] == ["A<CR>", "B<CR>", "C<CR>", "D<CR>"]
    assert [field.name for field in made.question[0].value] == ["pH", "temperature", "conductivity"]
    assert made.question[0].question().judge(b"7.31 10.9 0.315 97.2\r\n").value == "right"
    began = time.time()
    rows = [f"{began - 20 + n:.1f};{11.4 + n / 100:.2f}".replace(".", ",") for n in range(60)]
    (tmp_path / "other.csv").write_text(
        "time;hand [C]\n" + "\n".join(row.split(",")[0] + ";" + row.split(";")[1] for row in rows)
    )
    terminal.press("m")
    terminal.see("Import the table")
    chosen(terminal, "watch.import", WATCH_JOBS)
    give(terminal, "Table of another instrument", str(tmp_path / "other.csv"))
    terminal.see("Seconds to move its times by")
    terminal.press("Enter")
    terminal.see("60 values of 1 column are in the book", 30)
    terminal.see(r"imported: other\.csv")
    terminal.press("End", "Space")
    terminal.see(r"◆ hand")
    terminal.press("l")
    terminal.see("of the round that runs")  # another instrument's values have no limits here
    kept = sqlite3.connect(book).execute("SELECT detail FROM event WHERE kind = 'scan'").fetchone()
    assert json.loads(kept[0])["expected"] == dict.fromkeys("ABCDE", "")


@pytest.mark.timeout(200)
def test_a_bus_is_called_against_who_should_be_there_and_the_sheet_of_a_unit_is_proposed(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    linked(bench_process, "Pump house bus", book, "19200 8E1", "\\x00")
    terminal.start("--book", str(book), size=(120, 36))
    terminal.see("Find: choose a port")
    terminal.press("F5", "C-o")
    terminal.see("is open at 19200 8E1", 30)
    terminal.press("F6", "n")
    give(terminal, "Which unit IDs", "1-8")
    give(terminal, "Which should be there", "3 4 5")
    terminal.see(r"3 of 8 answered rightly, 1 missing, 1 not expected", 40)
    terminal.press("Down")
    terminal.press("Enter")
    terminal.see(r"Unit 4 says that it is Brookmade, VD-3 pump, 2\.03: which sheet", 30)
    terminal.see("variable-speed-drive +it names the model VD-3")
    terminal.press("Enter")
    terminal.see("unit 4 is worked on with variable-speed-drive", 30)
    tell(bench_process, "garble Pump house bus clash")
    terminal.press("n")
    give(terminal, "Which unit IDs", "3-5")
    terminal.see("Which should be there")
    assert "3-5" in terminal.screen()  # as the last unit scan
    terminal.press("Enter")
    terminal.see(r"\? two at once|. two at once\?", 60)
    tell(bench_process, "garble Pump house bus off")
