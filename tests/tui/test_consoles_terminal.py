"""Devices with a console, in the real program: secrets, menus, lists, floods, and codes that must not get through."""

import os
import re
import signal
import sqlite3
import subprocess
import time
from pathlib import Path

import pytest

from ordolex.bench.devices.feeder import LOGIN, PASSWORD
from ordolex.core.port.bench_notice import BenchNotice
from tests.conftest import program
from tests.tui.terminal import IN_TMUX, Terminal, on_port

pytestmark = IN_TMUX


def opened(terminal: Terminal, book: Path, name: str, line: str = "") -> None:
    """Opens the device's port from Find, at the settings of its sheet or at those given."""
    terminal.start("--book", str(book))
    terminal.see(f"(free|just came) +{name}")
    on_port(terminal, name)
    terminal.press("Enter")
    terminal.see(f"Line settings of {name}")
    if line:
        terminal.press("C-u")
        terminal.type(line)
    terminal.press("Enter")
    terminal.see("is open at")


def line(terminal: Terminal, text: str, then: str) -> str:
    terminal.type(text)
    terminal.press("Enter")
    while not re.search(then, screen := terminal.see(f"{then}|Lines still arrive")):
        terminal.press("Enter")  # a busy computer has the prompt before only now: Enter again, as it says
        time.sleep(0.5)
    return screen


def places_of_secret(folder: Path) -> list[str]:
    """Where it stands in any file below a folder, by the program's own search."""
    files = [str(path) for path in folder.rglob("*") if path.is_file() and path.suffix != ".part"]
    done = subprocess.run(
        program("secret", *files, "--stdin", "--json"),
        input=PASSWORD + "\n",
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert '"searched"' in done.stdout, done.stderr
    return re.findall(r'"file": "([^"]+)"', done.stdout)


def logged_in(terminal: Terminal, book: Path) -> None:
    opened(terminal, book, "Feeder controller")
    terminal.press("C-u")
    line(terminal, "", "login:")
    line(terminal, LOGIN, "password:")
    terminal.see("hidden: 0 characters")
    terminal.type(PASSWORD)
    assert PASSWORD not in terminal.see(f"hidden: {len(PASSWORD)} characters")
    terminal.press("Enter")
    terminal.see("choice:")


def test_a_menu_is_worked_with_a_secret_and_left_properly(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    logged_in(terminal, book)
    terminal.press("C-d")
    screen = terminal.see("its screen, 80 × 24")
    assert "Feeder controller FC-4" in screen and "36m" not in screen
    line(terminal, "1", r"portion in grams \(5..500\) \[120\]:")
    line(terminal, "9999", "give 5..500")
    line(terminal, "85", "portion 85 g")
    terminal.press("C-z")
    terminal.see("key by key   F5 goes back   Enter 0d")
    terminal.press("F5")
    terminal.see("ends with CR")
    terminal.press("F10")
    terminal.see("stands at choice: Ctrl.O asks how to leave it")
    terminal.press("C-o")
    screen = terminal.see("The device stands at choice:")
    assert "Leave without saving" in screen and "Leave it properly" not in screen
    assert screen.index("Store the changes first") < screen.index("Stay") < screen.index("Leave without saving")
    terminal.press("Down", "Down", "Enter")
    terminal.see("released|not open: Ctrl")
    connection = sqlite3.connect(book)
    told = b"".join(row[0] for row in connection.execute("SELECT data FROM chunk WHERE direction = 'rx' ORDER BY id"))
    assert b"nothing saved, good bye" in told
    withheld = connection.execute(
        "SELECT json_extract(detail, '$.bytes') FROM event WHERE kind = 'withheld'"
    ).fetchall()
    assert withheld == [(len(PASSWORD),)]
    for form in ("text", "csv", "jsonl", "raw", "hex", "pcapng"):
        subprocess.run(program("export", str(book), "--as", form, "-o", str(tmp_path / f"out.{form}")), timeout=30)
    subprocess.run(program("handover", str(book), "-o", str(tmp_path / "visit")), timeout=30, capture_output=True)
    assert (tmp_path / "visit" / "log.txt").stat().st_size and (tmp_path / "out.pcapng").stat().st_size
    terminal.press("F10")
    terminal.see("ended with 0")
    assert places_of_secret(tmp_path) == []


def test_a_kill_in_the_middle_of_a_secret_leaves_nothing_of_it(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    logged_in(terminal, tmp_path / "b.ordolex")
    terminal.press("C-x")
    terminal.type(PASSWORD)
    terminal.see("hidden: 10 characters")
    os.kill(terminal.pid(), signal.SIGKILL)
    terminal.see("ended with 137")
    assert places_of_secret(tmp_path) == []
    (tmp_path / "proof.txt").write_text(f"it is found where it stands: {PASSWORD.encode().hex()}")
    assert places_of_secret(tmp_path) == [str(tmp_path / "proof.txt")]


def test_a_modem_goes_up_from_300_step_by_step_and_stores_the_fastest_clean_rate(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Intake radio modem")

    def job(words: str) -> None:
        terminal.press("C-b")
        terminal.see("With this line")
        terminal.type(words)
        terminal.see("with '.*': 1 of")
        terminal.press("Enter")

    job("rate in lock")
    terminal.see("The new rate")
    terminal.type("300")
    terminal.press("Enter")
    terminal.see(r"AT\+IPR=\{baud\}")
    terminal.press("Enter")
    terminal.see("Which question proves")
    terminal.press("Enter")
    terminal.see("both are at 300 now", 60)
    job("fastest clean")
    terminal.see("Rates to try")
    terminal.type("1200 9600 38400")
    terminal.press("Enter")
    terminal.see("How is the device told")
    terminal.press("Enter")
    terminal.see("Which question proves")
    terminal.press("Enter")
    screen = terminal.see("Fastest clean rate: 38400 bit/s", 90)
    for baud in (300, 1200, 9600, 38400):
        assert re.search(rf" {baud} +[1-9]\d+ +0 +0 +0 +0 +\d+\.\d +under \d+\.?\d* % +clean", screen), baud
    terminal.press("Enter")  # stores it, as the sheet says
    terminal.see("to storing it said .*OK", 30)
    terminal.see("38400 8N1")


def test_a_rate_change_that_fails_returns_and_says_so(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    logged_in(terminal, tmp_path / "b.ordolex")
    terminal.press("C-b")
    terminal.see("With this line")
    terminal.press(*["Down"] * 8, "Enter")
    terminal.see("The new rate")
    asked = [
        ("The new rate", "57600"),
        ("How is the device told", "5\\r19200\\r{baud}"),
        ("Which question proves", "\\r"),
    ]
    for title, text in asked:  # the device is told another rate
        terminal.see(title)
        terminal.press("C-u")
        terminal.type(text)
        terminal.press("Enter")
    terminal.see("no right answer at 57600; both are back at 38400", 40)
    terminal.see("38400 8N1")


def test_all_lists_are_pulled_with_the_gap_and_the_odd_row_named(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    opened(terminal, book, "Alarm annunciator")
    terminal.press("C-b")
    terminal.see("With this line")
    terminal.press(*["Down"] * 10, "Enter")
    terminal.see("Which list")
    terminal.press("End", "Enter")
    terminal.see("channels: 16 rows", 60)
    terminal.see("● Proven")  # lists of the expected rows, up to their ends, are the proof
    terminal.press("F8")
    terminal.see("Record")
    terminal.press("b")
    terminal.see("Tables")
    terminal.press("Down", "Enter")
    terminal.see("events: 39 rows, 1 missing in the numbering: 17; 1 line that fits no row")
    terminal.see("raceway 1 oxygen")
    tables = sqlite3.connect(book).execute("SELECT count(*) FROM event WHERE kind = 'table'").fetchone()
    assert tables == (3,)


def test_scrolled_back_in_a_flood_the_rows_stand_still(terminal: Terminal, tmp_path: Path) -> None:
    plan = tmp_path / "plan.toml"
    plan.write_text('[[device]]\nname = "fast"\nkind = "logger"\nline = "115200 8N1"\ninterval_s = 0.0\n')
    bench = subprocess.Popen(program("bench", "--with-parent", "--plan", str(plan)), stdin=subprocess.PIPE)
    try:
        opened(terminal, tmp_path / "b.ordolex", "fast", "115200 8N1")
        terminal.see("log 00[1-9]")
        terminal.press("PageUp")
        terminal.see("scrolled back")
        terminal.press("PageUp")
        for _ in range(5):  # the second key may be on its way still; rows that go on with the flood never stand
            before = terminal.screen()
            for _ in range(3):
                heard = re.search(r"[\d.,]+ \S*bytes", terminal.screen())
                assert heard is not None, before
                terminal.gone(re.escape(heard[0]))  # more of the flood came
            first = re.findall(r"log \d{5}", before)
            if first and re.findall(r"log \d{5}", terminal.screen()) == first:
                break
        else:
            raise AssertionError(f"the rows go on:\n{before}\n{terminal.screen()}")
        for _ in range(200):
            terminal.press("PageDown")
            if "scrolled back" not in terminal.screen():
                break
        assert re.findall(r"log \d{5}", terminal.see("log"))[-1] > first[-1]
    finally:
        assert bench.stdin is not None
        bench.stdin.close()
        bench.wait(timeout=10)


@pytest.mark.parametrize("view", ["exchanges", "screen"])
def test_no_code_of_a_device_reaches_the_real_terminal(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice, view: str
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Echo plug", "9600 8N1")
    if view == "screen":
        terminal.press("C-d")
        terminal.see("its screen")
    before = terminal.tmux("display-message", "-p", "#{pane_title} #{alternate_on} #{mouse_any_flag} #{cursor_flag}")
    terminal.press("C-u")
    nasty = r"\x1b]0;taken\x07\x1b]52;c;dGFrZW4=\x07\x1b[?1049l\x1b[?25h\x1b[?1000l\x1bc\x1b[8;10;10t\x9b2Jdone"
    line(terminal, nasty, r"our own bytes came back")
    terminal.see("2Jdone")
    after = terminal.tmux("display-message", "-p", "#{pane_title} #{alternate_on} #{mouse_any_flag} #{cursor_flag}")
    assert after == before and "taken" not in after
    assert "taken" not in terminal.tmux("show-buffer")
    assert "Echo plug" in terminal.screen() and "F10 leave" in terminal.screen()
