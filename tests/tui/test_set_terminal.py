"""Set and the modem in the real program, as a technician walks through them at the bench."""

from __future__ import annotations

import json
import re
import sqlite3
import time
from importlib.resources import files
from pathlib import Path

from ordolex.bench.devices.feeder import PASSWORD
from ordolex.core.port.bench_notice import BenchNotice
from ordolex.io.own.sheets import save_own
from ordolex.io.ports.benches import tell
from tests.tui.terminal import IN_TMUX, Terminal
from tests.tui.test_consoles_terminal import line, opened

pytestmark = IN_TMUX


def pick(terminal: Terminal, title: str, downs: int = 0) -> None:
    terminal.see(title)
    terminal.press(*["Down"] * downs, "Enter")


def want(terminal: Terminal, text: str) -> None:
    terminal.press("Enter")
    terminal.see("may be")
    terminal.press("C-u")
    terminal.type(text)
    terminal.press("Enter")
    terminal.see("not applied")


def test_a_drive_is_found_by_scan_changed_undone_and_a_write_that_does_not_hold_is_caught(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    opened(terminal, book, "Pump house bus")
    terminal.press("F6")
    terminal.see("not read yet: r reads")
    terminal.press("n")
    terminal.see("Which unit IDs")
    terminal.press("C-u")
    terminal.type("1-8")
    terminal.press("Enter")
    terminal.see("Which should be there")
    terminal.press("Enter")
    terminal.see("3 of 8 answered rightly", 40)
    terminal.press("Enter")
    terminal.see("unit 3 is Brookmade, VD-3 blower, 2.03")
    terminal.see("● Proven")
    terminal.press("r")
    terminal.see("11 of 11 read.*, as found")  # a busy computer finds answers late, and says so
    want(terminal, "42.5")
    terminal.press("a")
    screen = terminal.see("PC → device, in this order")
    assert "35 → 42.5 Hz" in screen and "sends 03 06 00 00 01 a9 49 c6" in screen
    terminal.press("Enter")
    terminal.see("held, not stored")
    terminal.press("F10")
    terminal.see("not stored: set-point. F10 again")
    terminal.press("u")
    terminal.see("1 wanted back as found")
    terminal.press("a")
    pick(terminal, "42.5 → 35 Hz")
    terminal.see("set-point +35 Hz +35 Hz +35 Hz")
    tell(bench_process, "garble Pump house bus forget")
    want(terminal, "20")
    terminal.press("a")
    pick(terminal, "35 → 20 Hz")
    terminal.see("not held: it said 'taken', and reads 35")
    rows, end = [], time.monotonic() + 20
    while len(rows) < 3 and time.monotonic() < end:  # the book is written behind what is shown
        rows = sqlite3.connect(book).execute("SELECT detail FROM event WHERE kind = 'set' ORDER BY id").fetchall()
    told = [(entry["before"], entry["wanted"], entry["verdict"]) for (text,) in rows for entry in [json.loads(text)]]
    assert told == [(35.0, 42.5, "held"), (42.5, 35.0, "held"), (35.0, 20, "not held")]


def test_the_network_procedure_finds_a_slip_in_its_second_pass(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Feeder controller")
    tell(bench_process, "garble Feeder slip")
    terminal.press("F6", "p")
    terminal.see("all values fit together")
    terminal.press("Down", "Enter")
    terminal.see("can be")
    terminal.press("C-u")
    terminal.see("is empty")
    terminal.type("255.255.254")
    terminal.see("3 octets, a mask has four")
    terminal.type(".0")
    terminal.press("Enter")
    terminal.see("255.255.254.0")
    terminal.press("t")
    terminal.see("The device asks for: password")
    terminal.type(PASSWORD)
    assert PASSWORD not in terminal.see(f"{len(PASSWORD)} characters, not shown")
    terminal.press("Enter")
    terminal.see("these change")
    terminal.see(r"mask +255\.255\.255\.0 → 255\.255\.254\.0")
    terminal.press("Enter")
    terminal.see("mask: planned was 255.255.254.0", 40)
    terminal.see(r"not kept as planned: mask is 255\.255\.254\.128")
    assert PASSWORD.encode() not in b"".join(path.read_bytes() for path in tmp_path.glob("b.ordolex*"))

    tell(bench_process, "garble Feeder off")  # what was typed is taken back, as it was found before
    terminal.press("Escape")
    terminal.gone("Esc goes on")
    terminal.press("Enter")
    terminal.see("p leads through its own menu")
    terminal.press("p")
    terminal.see(r"mask +255\.255\.254\.0")
    terminal.press("u")
    terminal.see(r"mask +255\.255\.255\.0")
    terminal.press("t")
    terminal.see("these change", 30)
    terminal.see(r"mask +255\.255\.254\.128 → 255\.255\.255\.0")
    terminal.press("Enter")
    terminal.see(r"mask +255\.255\.255\.0 +was 255\.255\.254\.128", 40)
    terminal.see("5 values kept as planned")


def test_a_panel_meters_ratio_log_and_code_from_an_unopened_port_to_the_panel(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    # The code is written once, and never again by itself: a busy computer has all the time it needs for its answer.
    shipped = files("ordolex.sheets").joinpath("panel-meter.toml").read_text()
    save_own("panel-meter", shipped.replace("timeout_s = 0.8", "timeout_s = 20"))
    opened(terminal, book, "Switchboard meters")

    def menu(words: str) -> None:
        terminal.gone("Esc goes")
        terminal.press("o")
        terminal.see("With this device")
        terminal.type(words)
        terminal.see("with '.*': 1 of")
        terminal.press("Enter")

    def unit(number: str) -> None:
        terminal.press("d")
        pick(terminal, "Which device")
        terminal.see("Unit ID")
        terminal.type(number)
        terminal.press("Enter")
        terminal.see(f"panel-meter, unit {number}")

    terminal.press("F6")
    terminal.see("not read yet")
    terminal.press("r")
    terminal.see("25 of 25 read.*, as found", 30)
    terminal.press("Down")
    want(terminal, "300")
    terminal.press("a")
    pick(terminal, "150 A → 300 A|150 → 300 A")
    terminal.see("1 set and read back: ct-primary", 30)
    menu("computed from the ratios")
    terminal.see("current L1: .* × 300/5 = ", 30)
    shown = re.search(r"unit 11: L1 (\d+) V +([\d.]+) A", tell(bench_process, "look Switchboard"))
    assert shown is not None
    terminal.type("current L1")
    terminal.press("Enter")
    terminal.see("what does the front panel show in A")
    terminal.type(shown[2])
    terminal.press("Enter")
    terminal.see("they fit", 30)
    terminal.press("Escape")

    menu("tick")
    terminal.see("[34] of [0-9]+ ticked, 8 at the most")
    terminal.press("End", "Space")
    terminal.see("✓ energy")
    terminal.press("Enter")
    terminal.see("1 of its 8 places change")
    terminal.press("a")
    pick(terminal, "nothing → energy")
    terminal.see("1 set and read back: log-5", 30)
    terminal.press("u")
    terminal.see("2 wanted back as found")
    terminal.press("a")
    pick(terminal, "300 A? ?→ 150 A")
    terminal.see("2 set and read back", 30)

    unit("12")  # this one is locked
    terminal.press("r")
    terminal.see("25 of 25 read.*, as found", 30)
    menu("own log")
    terminal.see("log of unit 12: 12 rows", 30)
    terminal.press("Escape")
    terminal.gone("Esc goes")
    terminal.press("Home", "Down")
    want(terminal, "200")
    terminal.press("a")
    pick(terminal, "150 A? ?→ 200 A")
    terminal.see("Its code is needed")
    terminal.type("2218")
    assert "2218" not in terminal.see("4 digits, not shown")
    terminal.press("Enter")
    terminal.see("its code was refused.*nothing was set", 30)
    terminal.press("a")
    pick(terminal, "150 A? ?→ 200 A")
    terminal.see("Its code is needed")
    terminal.type("2217")
    terminal.press("Enter")
    terminal.see("1 set and read back: ct-primary", 30)


def heard_last(terminal: Terminal) -> str:
    return next((row for row in reversed(terminal.see("◂").splitlines()) if "◂" in row), "")


def test_a_gauge_boxs_channel_is_read_changed_stopped_half_way_undone_and_thrown_away(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Gauge box", line="2400-E-7-1")

    def planned(span: str) -> None:
        terminal.press(*["Down"] * 3)
        terminal.press("Enter")
        terminal.see("can be")
        terminal.type(span)
        terminal.press("Enter")
        terminal.see(rf"span to 20 mA +{span}")
        terminal.press("t")

    terminal.press("F6", "p")
    terminal.see("is empty")
    terminal.press("Enter")
    terminal.see("can be")
    terminal.type("3")
    terminal.press("Enter")
    terminal.see("channel +3")
    terminal.press("r")
    terminal.see(r"span to 20 mA +2.500 +as it is there")
    assert "● Proven" in terminal.see("● Proven"), "values that came as its sheet expects them"
    planned("4.5")
    assert re.search(r"span to 20 mA +2.500 → 4.5\n", re.sub(" +\n", "\n", terminal.see("these change")))
    terminal.press("Enter")
    terminal.see(r"span to 20 mA +4.500 +was 2.500", 40)
    terminal.press("Escape")
    terminal.see("Make it last")
    terminal.press("Enter")
    terminal.see("1 step done", 40)

    terminal.press("p")  # stopped by hand in the middle: the box waits at one of its prompts then
    terminal.see("Procedure channel")
    planned("6")
    terminal.see("these change")
    terminal.press("Enter")
    terminal.see(r"typing channel +sent (3|screen back)<CR>", 40)
    terminal.press("Escape")
    terminal.see(r"typing channel: stopped by hand; the device stands at 'channel 3")
    terminal.see("✗ stopped by hand; the last was sent [^;]*<CR>")
    terminal.press("Escape")
    terminal.gone("Esc goes on")
    terminal.press("p")
    terminal.see("Procedure channel")
    terminal.press("r")
    terminal.see(r"The device stands at 'channel 3 \w+ .*begins elsewhere")
    terminal.press("Enter")  # sends nothing
    terminal.gone("begins elsewhere")
    terminal.press("F5")
    while "select>" not in (last := heard_last(terminal)):  # an empty answer keeps what is there
        terminal.press("Enter")
        while heard_last(terminal) == last:
            time.sleep(0.1)
    terminal.press("F6", "p")
    terminal.see("Procedure channel")
    terminal.press("u")
    terminal.see(r"span to 20 mA +2.500")
    terminal.press("t")
    terminal.see("these change")
    terminal.press("Enter")
    terminal.see(r"span to 20 mA +2.500 +was 4.500", 40)
    terminal.press("Escape")
    pick(terminal, "thrown away", 2)
    terminal.see("its menu was left without saving", 40)
    terminal.press("p")
    terminal.see("Procedure channel")
    terminal.press("r")
    terminal.see(r"there now: 4.500", 40)


def test_the_meter_is_read_through_its_change_of_rate(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Pump house meter")
    terminal.press("F6", "r")
    terminal.see("11 of 11 read.*, as found", 30)
    for shown in ("voltage-1 +231.4 V", "0.118 A", "300 7E1", "● Proven"):
        terminal.see(shown)


def test_a_field_of_what_a_talker_says_is_a_named_value(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Water temperature string")
    terminal.press("F6")
    terminal.see("not read yet")
    terminal.press("r")
    terminal.see(r"surface +\d+\.\d+ C +\d+\.\d+ C", 30)


def test_the_modem_is_dialled_spoken_through_and_hung_up(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Intake radio modem")
    terminal.press("C-u")
    line(terminal, "AT", "OK")
    terminal.press("C-b")
    terminal.see("With this line")
    terminal.press("End", "Up", "Up", "Up", "Enter")
    pick(terminal, "Intake weir +5550141 +never dialled")
    terminal.see("data state")
    terminal.press("C-n")
    terminal.see("ends with CR LF")
    line(terminal, "*IDN?", "OX-2,unit 5")
    terminal.press("C-o")
    pick(terminal, "A call is up")
    terminal.see("hung up by ATH")
    terminal.see("not open: Ctrl")
