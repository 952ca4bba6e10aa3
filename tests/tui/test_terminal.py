"""The real program in a real terminal, by the keys that a technician presses."""

import os
import re
import signal
import sqlite3
import subprocess
import time
from pathlib import Path

import pytest

from ordolex.core.port.bench_notice import BenchNotice
from tests.conftest import program
from tests.tui.terminal import IN_TMUX, Terminal

pytestmark = IN_TMUX


def echoes(screen: str) -> int:
    """How often `stty` said that the terminal echoes: once before the program and once after it."""
    return [line.strip() for line in screen.splitlines()].count("echo")


def test_from_the_first_key_to_the_export(terminal: Terminal, tmp_path: Path) -> None:
    book = tmp_path / "site.ordolex"
    terminal.start("demo", "--book", str(book))
    terminal.see("free +Raceway 1 oxygen")
    terminal.press("Enter")
    terminal.see("19200 baud, 8 data bits, no parity")
    terminal.press("Enter")
    terminal.see("● Held")
    terminal.press("BSpace", *["BSpace"] * 20)
    terminal.type("*IDN?")
    terminal.see("sends 2a 49 44 4e 3f 0a")
    terminal.press("Enter")
    screen = terminal.see("● Proven")
    assert "Brookmade,OX-2,unit 1,1.14" in screen and re.search(r"\+\d+ ms", screen)

    terminal.press("C-g")
    terminal.see("Line settings of Raceway 1")
    terminal.press(*["BSpace"] * 12)
    terminal.type("4k8 8-N-1")
    terminal.see("4800 baud, 8 data bits")
    terminal.press("Enter")
    terminal.see("now at 4800 8N1")
    terminal.type("*IDN?")
    terminal.press("Enter")
    screen = terminal.see(r"(?s)● Heard.*◌ Clear.*\d+ framing error")
    assert "● Clear" not in screen and "Next " in screen

    terminal.press("F8")
    terminal.see("bookkeeping left out")
    assert "asked '" not in terminal.screen()
    terminal.press("k")
    terminal.see("asked '\\*IDN\\?': right answer")
    terminal.press("F10")
    screen = terminal.see(r"ended with 0\s+echo")
    assert "Kept in" in screen and echoes(screen) == 2, "the terminal is as it was"
    done = subprocess.run(program("export", str(book), "--as", "text"), capture_output=True, text=True, timeout=30)
    assert re.search(r"▸ +\*IDN\?↓", done.stdout) and "Brookmade,OX-2,unit 1,1.14" in done.stdout
    assert "rung Clear → Proven" in done.stdout and "19200 8N1 → 4800 8N1" in done.stdout


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_a_signal_restores_the_terminal_and_closes_the_book(
    number: signal.Signals, terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "site.ordolex"
    terminal.start("--book", str(book), size=(80, 24))
    terminal.see("(free|just came) +Raceway 1")
    terminal.press("Enter")
    terminal.see("Line settings of")
    terminal.press("Enter")
    terminal.see("● Held")
    os.kill(terminal.pid(), number)
    screen = terminal.see(r"ended with 0\s+echo")
    assert echoes(screen) == 2
    assert not book.with_name(book.name + "-wal").exists(), "a closed book is one file"
    done = subprocess.run(program("export", str(book)), capture_output=True, text=True, timeout=30)
    assert "port released" in done.stdout


def test_a_port_replugged_under_another_number_keeps_its_link(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "site.ordolex"
    terminal.start("--book", str(book))
    terminal.see("(free|just came) +Raceway 1")
    for wait_for in ("Line settings of", "● Held", "● Proven"):
        terminal.press("Enter")
        terminal.see(wait_for)
    told = subprocess.run(program("bench", "--tell", "replug raceway 1 1"), capture_output=True, text=True, timeout=20)
    assert told.returncode == 0, told.stderr
    terminal.see("◌ Present")
    screen = terminal.see("● Proven", 30)
    assert "the port is back after" in screen and "asking MEAS:OXYG? again" in screen
    terminal.press("F10")
    terminal.see("ended with 0")
    connection = sqlite3.connect(book)
    ((endpoint,),) = connection.execute("SELECT endpoint FROM link").fetchall()
    assert endpoint != bench_process.devices[0].endpoint, "the one link has the new number"
    kinds = [kind for (kind,) in connection.execute("SELECT kind FROM event WHERE link = 1")]
    assert "lost" in kinds and "back" in kinds


def test_a_terminal_that_is_gone_ends_the_program_and_closes_the_book(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "site.ordolex"
    terminal.start("--book", str(book))
    terminal.see("(free|just came) +Raceway 1")
    pid = terminal.pid()
    terminal.tmux("kill-server")
    deadline = time.monotonic() + 15
    while Path(f"/proc/{pid}").exists():
        assert time.monotonic() < deadline, "the program lives on without a terminal"
        time.sleep(0.1)
    assert sqlite3.connect(book).execute("SELECT ended_utc_us > 0 FROM visit").fetchall() == [(1,)]


def test_a_small_window_and_back(terminal: Terminal, tmp_path: Path, bench_process: BenchNotice) -> None:
    terminal.start("--book", str(tmp_path / "b.ordolex"), size=(128, 40))
    terminal.see("(free|just came) +Raceway 1")
    terminal.tmux("resize-window", "-x", "40", "-y", "10")
    terminal.see(r"(?m)^ *F2 Find F3 Wire")
    terminal.tmux("resize-window", "-x", "80", "-y", "24")
    terminal.see("free +Raceway 4")
    terminal.tmux("resize-window", "-x", "128", "-y", "40")
    terminal.see("Echo plug")
    terminal.press("C-c")
    terminal.see("Ctrl\\+C again")
    terminal.press("C-c")
    terminal.see("ended with 0")


def opened_at_9600(terminal: Terminal, book: Path, name: str, downs: int) -> None:
    terminal.start("--book", str(book))
    terminal.see("(free|just came) +Raceway 1")
    terminal.press(*["Down"] * downs)
    terminal.see(rf"\n *.*{name}   rfc2217")
    terminal.press("Enter")
    terminal.see("Line settings of")
    terminal.press("C-u")
    terminal.type("9600 8N1")
    terminal.press("Enter")
    terminal.see("is open at 9600 8N1")
    terminal.press("F4")
    terminal.see("What are the line settings")


def test_the_temperature_string_is_matched_from_nothing_and_proven(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    opened_at_9600(terminal, book, "Water temperature string", 5)
    terminal.press("m")
    terminal.see("4800 8N1 is taken into the link", 40)
    screen = terminal.see(r"● Proven", 20)
    assert "$YXXDR" in screen and "device → PC" in screen
    connection = sqlite3.connect(book)
    assert connection.execute("SELECT line, source LIKE 'matched, %' FROM link").fetchall() == [("4800 8N1", 1)]
    assert connection.execute("SELECT count(*) FROM event WHERE kind = 'trial'").fetchone()[0] >= 2


def test_the_logger_is_found_inverted_and_esc_stops_a_match(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened_at_9600(terminal, tmp_path / "b.ordolex", "Spring level logger", 6)
    terminal.press("m")
    screen = terminal.see("no line settings mend that", 100)
    assert re.search(r"2400 8N2.*inverted", screen) and "level shifter" in screen
    terminal.press("m")
    terminal.see("listening at")
    terminal.press("Escape")
    terminal.see("stopped; the port goes back to the link")
    terminal.press("F2")
    terminal.press("r")
    terminal.see("free +Spring level logger")


def test_several_ports_are_matched_at_once(terminal: Terminal, tmp_path: Path, bench_process: BenchNotice) -> None:
    book = tmp_path / "b.ordolex"
    opened_at_9600(terminal, book, "Water temperature string", 5)
    terminal.press("M")
    terminal.see("Match all at once")
    terminal.press("Down", "Enter")
    terminal.see(r"(?s)(Proven, .*){3}", 40)
    connection, lines = sqlite3.connect(book), dict[str, str]()
    end = time.monotonic() + 150  # a match gives up after 120 s of its own: by then each has said what it found
    while not {"Water temperature string", "Raceway 1 oxygen"} <= set(lines) and time.monotonic() < end:
        time.sleep(0.2)
        lines = dict(connection.execute("SELECT name, line FROM link WHERE source LIKE 'matched, %'").fetchall())
    said = connection.execute("SELECT text FROM event WHERE kind IN ('trial', 'match', 'note')").fetchall()
    assert lines.get("Water temperature string") == "4800 8N1", f"{lines} {said}\n{terminal.screen()}"
    assert lines.get("Raceway 1 oxygen") == "19200 8N1", f"{lines} {said}\n{terminal.screen()}"


def test_the_exercise_of_the_readme_key_by_key(terminal: Terminal, tmp_path: Path) -> None:
    readme = (Path(__file__).parents[2] / "README.md").read_text()
    exercise = "Ctrl+G, type `9600 8N1`, Enter; Up, Enter asks again. F4, then m"
    assert exercise in " ".join(readme.split()), "this test presses what is printed there"
    terminal.start("demo", "--book", str(tmp_path / "b.ordolex"))
    terminal.see("(free|just came) +Raceway 1 oxygen")
    terminal.press("Enter")
    terminal.see("Line settings of")
    terminal.press("Enter")
    terminal.see("● Held")
    terminal.press("Enter")
    terminal.see("● Proven")
    terminal.press("C-g")
    terminal.see("Line settings of Raceway 1")
    terminal.type("9600 8N1")
    terminal.see("9600 baud, 8 data bits")
    terminal.press("Enter")
    terminal.see("now at 9600 8N1")
    terminal.press("Up")
    terminal.see("MEAS:OXYG")
    terminal.press("Enter")
    terminal.see(r"(?s)● Heard.*\d+ framing error")
    terminal.press("F4")
    terminal.see("What are the line settings")
    terminal.press("m")
    terminal.see("19200 8N1 is taken into the link", 60)
    exercise = "F6, then r. Down twice to alarm-low, Enter, type 5.5, Enter; a shows what would be sent, Enter sends it"
    assert exercise in " ".join(readme.split()) and "u, a, Enter puts it back" in readme
    terminal.press("F6", "r")
    terminal.see("3 of 3 read, as found")
    terminal.press("Down", "Down", "Enter")
    terminal.see("Enter takes it")
    terminal.type("5.5")
    terminal.press("Enter")
    terminal.see("a applies it")
    terminal.press("a")
    terminal.see("Send this, and read it back")
    terminal.press("Enter")
    terminal.see(r"alarm-low +6 mg/l +5.5 mg/l +5.5 mg/l +held")
    terminal.press("u", "a")
    terminal.see("Send this, and read it back")
    terminal.press("Enter")
    terminal.see(r"alarm-low +6 mg/l +6 mg/l +6 mg/l +held")
    assert "d runs a day at the hatchery over nine links. Enter, Down, Enter stops it" in " ".join(readme.split())
    terminal.press("F7", "d")
    terminal.see("demo +runs")
    terminal.press("Enter")
    terminal.see("Stop demo")
    terminal.press("Down", "Enter")
    terminal.see(r"demo +(stopped|does not run|not running|stands)|Enter starts")
    terminal.press("F10")


def test_bytes_that_are_no_utf8_do_not_end_the_program(terminal: Terminal, tmp_path: Path) -> None:
    terminal.start("--book", str(tmp_path / "b.ordolex"))
    terminal.see("F1 help")
    for pair in ("ff", "c3", "28", "fe", "e9"):
        terminal.tmux("send-keys", "-H", pair)
    terminal.press("F8")
    terminal.see("Record|Nothing recorded")
    terminal.press("F10")
    terminal.see("ended with 0")


def test_leaving_in_the_middle_of_a_match_is_quiet(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    opened_at_9600(terminal, book, "Raceway 1 oxygen", 0)
    terminal.press("m")
    terminal.see("asking at|listening at")
    terminal.press("F10")
    screen = terminal.see("ended with 0")
    assert "Traceback" not in screen and "Error" not in screen
    rows = sqlite3.connect(book).execute("SELECT text FROM event WHERE kind = 'settings' ORDER BY id").fetchall()
    assert not rows or rows[-1][0].endswith("→ 9600 8N1"), "the port went back to the link's settings"


@pytest.mark.parametrize("stops", [signal.SIGSTOP, signal.SIGTSTP])
def test_a_program_that_was_stopped_goes_on_and_still_ends(
    terminal: Terminal, tmp_path: Path, stops: signal.Signals
) -> None:
    terminal.start("--book", str(tmp_path / "b.ordolex"))
    for _ in range(2):
        terminal.see("Choose a port")
        pid = terminal.pid()
        os.kill(pid, stops)
        while "T (stopped)" not in Path(f"/proc/{pid}/status").read_text():
            time.sleep(0.02)
        terminal.tmux("clear-history")
        os.kill(pid, signal.SIGCONT)
        terminal.see("Choose a port")
        terminal.press("F1")
        terminal.see("Keys in Find")
        terminal.press("Escape")
        terminal.gone("Keys in Find")
    terminal.press("F10")
    screen = terminal.see(r"ended with 0\s+echo")
    assert echoes(screen) == 2, "the terminal is as it was"
