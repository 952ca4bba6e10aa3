"""The end of a visit in the real program: what is known, what is still open and settled from there, the handover."""

from __future__ import annotations

import json
import re
import subprocess
import time
from pathlib import Path

from ordolex.core.port.bench_notice import BenchNotice
from tests.commands import run_text
from tests.conftest import program
from tests.io.test_handover import aged
from tests.tui.terminal import IN_TMUX, Terminal, on_port
from tests.tui.test_consoles_terminal import logged_in, opened

pytestmark = IN_TMUX


def open_too(terminal: Terminal, name: str) -> None:
    """Another device's port, in the program that runs."""
    terminal.press("F2")
    terminal.see("Choose a port")
    on_port(terminal, name)
    terminal.press("Enter")
    terminal.see(f"Line settings of {name}")
    terminal.press("Enter")
    terminal.see(f"{name} is open at")


def _without_numbers(screen: str) -> str:
    """Behind the list the seconds go on, of every link."""
    return re.sub(r"[\d.]+", "#", screen)


def _after_a_moment(terminal: Terminal) -> str:
    time.sleep(0.5)
    return _without_numbers(terminal.screen())


def command(terminal: Terminal, words: str, then: str) -> str:
    """By the list of all commands."""
    terminal.gone("Esc goes")
    terminal.press("C-p")
    terminal.see("Search for commands|search")
    terminal.type(words)
    screen = _without_numbers(terminal.see(rf"(?is){words}.*{words}"))  # as typed, and as found
    while (now := _after_a_moment(terminal)) != screen:  # the search says nothing of when it is done
        screen = now
    terminal.press("Enter")
    return terminal.see(then)


def test_a_visit_is_closed_with_three_things_left_open_settled_from_there_and_handed_over(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    logged_in(terminal, book)  # the feeder's menu stands open
    open_too(terminal, "Pump house bus")
    terminal.press("F6")
    terminal.see("not read yet")
    terminal.press("r")
    terminal.see("read.*, as found", 30)
    terminal.press("Enter")
    terminal.see("may be")
    terminal.type("44")
    terminal.press("Enter")
    terminal.see("not applied")
    terminal.press("a")
    terminal.see("in this order")
    terminal.press("Enter")
    terminal.see("held, not stored", 30)
    open_too(terminal, "Water temperature string")

    command(terminal, "Close the visit", "to settle before you go")
    terminal.see(r"3 to settle before you go")
    for row in (
        r"▸ Pump house bus: not stored: set-point",
        r"▸ Feeder controller: it stands at choice:",
        "▸ to put back:",
    ):
        terminal.see(row)
    terminal.type("not stored")
    terminal.press("Enter")
    terminal.see("Make it last")
    terminal.press("Enter")
    terminal.see("stored in the device", 30)

    command(terminal, "Close the visit", "2 to settle before you go")
    terminal.type("it stands at")
    terminal.press("Enter")
    terminal.see("The device stands at choice")
    terminal.press("Down", "Down")
    terminal.see("Leave without saving")
    terminal.press("Enter")
    terminal.see("released", 30)

    terminal.press("F8")
    terminal.see("Keep: everything that passed")
    terminal.press("z")
    terminal.see("1 to settle before you go")
    terminal.type("to put back")
    terminal.press("Enter")
    terminal.see("It is put back")
    terminal.press("Down", "Enter")
    terminal.see("Nothing would be lost by going now")
    terminal.press("End", "Enter")
    terminal.see("What is handed over")
    terminal.press("Enter")
    terminal.see("Who hands it over")
    terminal.type("N. Made-up")
    terminal.press("Enter")
    terminal.see("A remark for the first page")
    terminal.press("Enter")
    terminal.see("The report's outline")
    terminal.press("Enter")
    terminal.see("Write it into")
    terminal.press("Enter")
    terminal.see("handed over: [0-9]+ files", 60)
    folder = tmp_path / "b-handover"
    page = (folder / "report.html").read_text()
    assert "44 Hz" in page and "N. Made-up" in page and "not stored" not in page
    done = subprocess.run(program("verify", str(folder), "--json"), capture_output=True, text=True, timeout=60)
    assert json.loads(done.stdout)["good"]


def test_facts_are_noted_and_searched_from_any_desk(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    opened(terminal, tmp_path / "b.ordolex", "Raceway 2 oxygen")
    terminal.press("F3")
    terminal.see("Wire")
    terminal.press("F11")
    terminal.see("Raceway 2 oxygen: what is known")
    terminal.see(r"line settings +19200 8N1")
    terminal.type("Note a fact")
    terminal.press("Enter")
    terminal.see("A fact of what")
    terminal.type("firm")
    terminal.press("Enter")
    terminal.see("what it is")
    terminal.type("1.14")
    terminal.press("Enter")
    terminal.see("From where is that known")
    terminal.type("plate on the lid")
    terminal.press("Enter")
    terminal.see(r"firmware +1.14 +\(plate on the lid", 30)
    terminal.type("Search")
    terminal.press("Enter")
    terminal.see("Facts in which these words stand")
    terminal.type("plate")
    terminal.press("Enter")
    terminal.see(r"\b1 fact\b")
    terminal.see(r"Raceway 2 oxygen +firmware +1.14")


def begun(terminal: Terminal, book: Path) -> None:
    """A bring-up in a fresh book, on the first transmitter: it has power, its port, no word on the cable."""
    terminal.start("--book", str(book), size=(128, 40))
    terminal.see("Raceway 1 oxygen")
    terminal.press("n")
    terminal.see("Bring a device up, from the table")
    terminal.press("Enter")
    terminal.see("What does the device show")
    terminal.press("Enter")
    terminal.see("Which port")
    terminal.type("Raceway 1")
    terminal.press("Enter")
    terminal.see("Which connector has the device", 30)
    terminal.press("Enter")
    terminal.see("Its line settings")


def test_a_bring_up_leads_from_a_fresh_book_to_a_proof_with_the_sheet_proposed(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    begun(terminal, tmp_path / "b.ordolex")
    terminal.see("19200 8N1, sticker")
    terminal.press("Enter")
    screen = terminal.see("Which sheet", 30)
    terminal.see(r"oxygen-transmitter +it names the model OX-2")
    assert "both say" not in screen.split("text-instrument")[-1], "the same maker alone is not offered beside that"
    terminal.press("Enter")
    screen = terminal.see("Enter goes to Talk with this link", 30)
    terminal.see(r"Proven: \*IDN\? → Brookmade,OX-2,unit 1")
    terminal.see(r"✓ As found +3 of 3 read, as found")
    terminal.see(r"◦ Cable +nobody said which connector")
    terminal.press("Enter")
    terminal.see("● Proven")
    terminal.see("F5 goes back|Enter send|ends with")


def test_a_bring_up_with_a_wrong_crossing_ends_at_that_cause_with_a_bundle(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    run_text("bench", "--tell", "crossed Raceway 1 on")
    begun(terminal, tmp_path / "b.ordolex")
    terminal.press("Down", "Down", "Enter")  # Match, the usual settings only
    terminal.see("Esc stops")
    terminal.see("Next  Enter tries it again", 150)
    terminal.see(r"✗ Line settings +nothing was heard at any setting")
    terminal.see("Not proved; it stands at line settings")
    screen = terminal.see("It stands at Held[^%]*%[^%]*not crossed as they must be")
    first = screen.split("It stands at Held. What is likely, and the test that tells:")[1].split("%")[1]
    assert "not crossed as they must be" in first, screen
    terminal.press("Escape")
    terminal.see("This is not proved")
    terminal.press("Enter")
    terminal.see("Write it into")
    terminal.press("Enter")
    terminal.see("files in .*b-support", 30)
    head = (tmp_path / "b-support" / "read-me-first.txt").read_text()
    assert "not crossed as they must be" in head and "Rung      Held" in head
    terminal.press("n")
    terminal.see("Bring a device up, from the table")


def test_the_next_visit_finds_the_one_setting_that_somebody_changed_and_takes_it_back(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    bus = next(device.endpoint for device in bench_process.devices if device.name == "Pump house bus")
    of = ("--sheet", "variable-speed-drive", "--unit", "3")
    assert run_text("read", bus, *of, "--book", str(book)).returncode == 0
    assert run_text("write", bus, "set-point=41", "ramp=12", *of, "--book", str(book)).returncode == 0
    aged(book, 72)
    assert run_text("write", bus, "set-point=33", *of).returncode == 0, "by somebody else, and in no book of ours"

    terminal.start("--book", str(book), size=(128, 40))
    terminal.see("Raceway 1 oxygen")
    terminal.press("F2")
    terminal.see("Choose a port")
    on_port(terminal, "Pump house bus")
    terminal.press("Enter")
    terminal.see("Line settings of")
    terminal.press("Enter")
    terminal.see("is open at 19200 8E1")
    terminal.press("F6")
    terminal.see("unit 3")
    terminal.press("r")
    terminal.see("not as it was left on .*: set-point: left at 41 Hz, found 33", 30)
    screen = terminal.see(r"(?s)≠ set-point .*left at 41 Hz on.*ramp.*speed")
    rows = [line for line in screen.splitlines() if re.search(r"^[ ▌≠]+(set-point|ramp|speed) +[0-9]", line)]
    assert "set-point" in rows[0], "what is otherwise stands first"

    command(terminal, "Since the visit before", "[0-9] found otherwise than it was left")
    terminal.see(r"1 found otherwise than it was left")
    terminal.see(r"≠ .*set-point: 41 Hz, left in the visit of")
    terminal.see(r"now: 33 Hz")
    terminal.see(r"✓ .*ramp: 12 s")
    terminal.press("Escape")
    terminal.gone("Esc goes back")
    terminal.press("u")
    terminal.see("What is wanted back")
    terminal.press("Down", "Enter")
    terminal.see("1 wanted back as left, visit of")
    terminal.press("a")
    terminal.see("33 → 41 Hz")
    terminal.press("Enter")
    terminal.see("held", 30)


def test_books_that_were_open_lately_are_offered_and_another_is_opened_from_inside(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    for name in ("north", "south"):
        terminal.start("--book", str(tmp_path / f"{name}.ordolex"))
        terminal.see(f"Ordolex   {name}")
        terminal.see("Raceway 1 oxygen")
        terminal.press("F10")
        terminal.see("Kept in")
    terminal.start()
    screen = terminal.see("Which book")
    assert screen.index("south ") < screen.index("north "), "the last one first"
    terminal.press("Down", "Enter")
    terminal.see("Ordolex   north")
    terminal.see("Raceway 1 oxygen")
    command(terminal, "Books", "Make a new book")
    terminal.press("Enter")
    terminal.see("Make a new book at")
    terminal.type(str(tmp_path / "east"))
    terminal.press("Enter")
    terminal.see("Ordolex   east", 30)
    terminal.see("Raceway 1 oxygen")
    terminal.press("F10")
    terminal.see("Kept in .*east.ordolex")
    kept = (tmp_path / ".local/state/ordolex/recent-books").read_text().splitlines()
    assert [Path(line).stem for line in kept] == ["east", "north", "south"]
