"""The desk Match on the demo bench, by keys: each device from 9600 8N1, and what is no matter of settings."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from ordolex.core.port.bench_notice import BenchNotice
from ordolex.io.ports.benches import tell
from tests.tui.terminal import IN_TMUX, Terminal
from tests.tui.test_consoles_terminal import opened as opened_in_talk

pytestmark = [*IN_TMUX]


def opened(terminal: Terminal, book: Path, name: str, line: str = "9600 8N1") -> None:
    """The port of this device is open at these settings, and Match is in front."""
    opened_in_talk(terminal, book, name, line)
    terminal.see(f"is open at {line}")
    terminal.press("F4")
    terminal.see("What are the line settings")


def kept(book: Path) -> tuple[str, str]:
    """The link's settings, and where they come from."""
    line, source = sqlite3.connect(book).execute("SELECT line, source FROM link").fetchone()
    return line, source


def test_a_display_that_is_set_right_is_left_as_it_is(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    book = tmp_path / "b.ordolex"
    opened(terminal, book, "Hatching room display")
    terminal.press("m")
    terminal.see("9600 8N1.*nothing wrong with the settings", 60)
    terminal.see("9600 8N1 was right already", 60)
    assert kept(book)[0] == "9600 8N1"
    moves = sqlite3.connect(book).execute("SELECT text FROM event WHERE kind = 'settings'").fetchall()
    assert not [text for (text,) in moves if "→" in text], "no setting was changed"


@pytest.mark.parametrize(
    ("name", "line"),
    [
        ("Alarm annunciator", "1200 7E1"),
        ("Pump house bus", "19200 8E1"),
        ("Pump house meter", "300 7E1"),
        ("Weir teletype", "110 7E1"),
    ],
)
def test_a_device_of_the_bench_is_matched(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice, name: str, line: str
) -> None:
    book = tmp_path / "b.ordolex"
    opened(terminal, book, name)
    terminal.press("m")
    terminal.see(f"{line} is taken into the link", 120)
    assert kept(book)[0] == line and kept(book)[1].startswith("matched, ")


def test_two_that_talk_into_each_other_are_named(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice
) -> None:
    tell(bench_process, "rival Water temperature string on")
    opened(terminal, tmp_path / "b.ordolex", "Water temperature string", "4800 8N1")
    for _ in range(5):  # while they happen not to meet, the talk reads clean, and that is said
        terminal.press("m")
        screen = terminal.see("not found: |was right already|is taken into the link", 90)
        if "two senders at once, or noise" in screen:
            break
        terminal.press("Escape")
        terminal.see("No match is running")
    terminal.see("not found: two senders at once, or noise")
    terminal.see("Next  Match found: two senders at once")


def test_a_line_that_is_held_low_is_named(terminal: Terminal, tmp_path: Path, bench_process: BenchNotice) -> None:
    tell(bench_process, "low Water temperature string on")
    opened(terminal, tmp_path / "b.ordolex", "Water temperature string")
    terminal.press("m")
    terminal.see("the line is held low", 60)
    terminal.see("sent .* silence", 40)
    terminal.press("Escape")
    terminal.see("stopped; the port goes back")
    terminal.press("m")
    terminal.see(r"Go on without the \d+ questions? that brought nothing")
    before = len(asked(tmp_path / "b.ordolex"))
    terminal.press("Enter")
    terminal.see("sent .* silence", 40)
    terminal.press("Escape")
    terminal.see("stopped; the port goes back")
    again = asked(tmp_path / "b.ordolex")
    assert len(again) == len(set(again)) >= before, "no question was sent twice at one setting"


def asked(book: Path) -> list[tuple[str, str]]:
    """Settings and bytes of each question of the book's trials."""
    sent = "json_extract(detail, '$.line'), json_extract(detail, '$.sent_hex')"
    rows = sqlite3.connect(book).execute(f"SELECT {sent} FROM event WHERE kind = 'trial'").fetchall()
    return [row for row in rows if row[1]]
