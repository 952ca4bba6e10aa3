"""What is sent brings any terminal from any screen to any other, and what is sent of a slow one is the newest state."""

from __future__ import annotations

import fcntl
import os
import pty
import random
import struct
import termios
import threading
import time
import tty

import pyte
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rich.color import ColorSystem
from rich.segment import Segment
from rich.style import Style
from textual.strip import Strip

from ordolex.tui.terminal.cells import Pens, Shown, Wanted
from ordolex.tui.terminal.output import Answers, Output, Pace

WIDTH, HEIGHT = 30, 6
STYLES = [
    None,
    Style.parse("#d0d0d0 on #101418"),
    Style.parse("bold #e0a060 on #101418"),
    Style.parse("#80c080 on #202830"),
    Style.parse("underline #80c080 on #202830"),
    Style.parse("reverse"),
]
TEXTS = st.text("ab 1  .─●é水µ", max_size=WIDTH + 3) | st.just(" " * WIDTH) | st.just("ready   ")
PIECES = st.tuples(st.integers(0, WIDTH - 1), st.integers(0, HEIGHT - 1), TEXTS, st.integers(0, len(STYLES) - 1))
PENS = Pens(ColorSystem.TRUECOLOR)


def _put(wanted: Wanted, x: int, y: int, text: str, style: int) -> None:
    wanted.put(x, y, [Strip([Segment(text, STYLES[style])])], PENS)


def _drawn(wanted: Wanted) -> list[list[tuple[str, str, str, bool, bool]]]:
    """As a fresh terminal shows it, when every cell is written plainly."""
    screen = pyte.Screen(WIDTH, HEIGHT)
    stream = pyte.Stream(screen)
    stream.feed("\x1b[?7l")
    for y, row in enumerate(wanted.rows):
        for x, (character, pen) in enumerate(zip(row.characters, row.pens, strict=True)):
            if character:
                stream.feed(f"\x1b[{y + 1};{x + 1}H\x1b[{';'.join(('0', *(p for p in pen if p)))}m{character}")
    return _seen(screen)


def _seen(screen: pyte.Screen) -> list[list[tuple[str, str, str, bool, bool]]]:
    out = []
    for y in range(HEIGHT):
        cells = [screen.buffer[y][x] for x in range(WIDTH)]
        blank = [c.data == " " and not c.underscore and not c.reverse for c in cells]
        out.append([
            (c.data, "" if b else c.fg, c.bg, c.underscore, c.reverse, *([c.bold] if not b else []))
            for c, b in zip(cells, blank, strict=True)
        ])  # fmt: skip
    return out


@settings(max_examples=150, deadline=None)
@given(st.lists(st.lists(PIECES, max_size=6), min_size=1, max_size=6), st.booleans(), st.integers(5, 400))
def test_any_screen_becomes_any_other(states: list[list], erases: bool, most: int) -> None:
    """Also where a state is overtaken by the next one when only a part of it was sent."""
    wanted, shown = Wanted(WIDTH, HEIGHT), Shown(erases)
    screen = pyte.Screen(WIDTH, HEIGHT)
    stream = pyte.Stream(screen)
    stream.feed("\x1b[?7l")
    for pieces in states:
        for piece in pieces:
            _put(wanted, *piece)
        stream.feed(shown.changes(wanted, most))
    while sent := shown.changes(wanted, 1 << 16):
        stream.feed(sent)
    assert _seen(screen) == _drawn(wanted)


def test_what_does_not_change_costs_nothing_and_a_letter_little() -> None:
    wanted, shown = Wanted(WIDTH, HEIGHT), Shown(erases_in_colour=True)
    for y in range(HEIGHT):
        _put(wanted, 0, y, f"row {y} of a list".ljust(WIDTH), 1)
    assert shown.changes(wanted, 1 << 16)
    for y in range(HEIGHT):
        _put(wanted, 0, y, f"row {y} of a list".ljust(WIDTH), 1)
    assert not shown.changes(wanted, 1 << 16)
    _put(wanted, 20, 3, "x", 1)
    wanted.cursor = (21, 3)
    assert 0 < len(shown.changes(wanted, 1 << 16)) < 16


def test_no_code_gets_through_and_marks_do_not_pile_up() -> None:
    wanted, shown = Wanted(WIDTH, HEIGHT), Shown(erases_in_colour=True)
    shown.changes(wanted, 1 << 16)
    for _ in range(50):
        _put(wanted, 0, 1, "a\x1b[2Jb\x07\x9bc\te", 1)
        _put(wanted, 1, 2, "\u0301x", 1)
    sent = shown.changes(wanted, 1 << 16)
    assert not {"\x07", "\x9b", "\t"} & set(sent) and "\x1b[2J" not in sent
    assert wanted.rows[2].characters[0] == " \u0301"


def test_the_row_that_is_typed_in_comes_first() -> None:
    wanted, shown = Wanted(WIDTH, HEIGHT), Shown(erases_in_colour=True)
    shown.changes(wanted, 1 << 16)
    for y in range(HEIGHT):
        _put(wanted, 0, y, "changed".ljust(WIDTH), 2)
    wanted.cursor = (3, 4)
    assert shown.changes(wanted, 1).startswith("\x1b[5")


class TestPace:
    def test_a_quick_terminal_is_sent_more_and_more_and_a_slow_one_a_quarter_of_a_second(self) -> None:
        for rate, least, most in ((960, 200, 600), (5_760_000, 30_000, 1 << 20)):
            pace, now = Pace(), 0.0
            for _ in range(40):
                size = pace.room(now, answers=True)
                assert size > 0
                pace.asked(size, now)
                now += 0.004 + size / rate
                pace.answered(now)
            assert least <= pace.room(now, answers=True) <= most

    def test_nothing_is_sent_before_the_answer_and_a_lost_one_does_not_stop_it_for_good(self) -> None:
        pace = Pace()
        size = pace.room(0.0, answers=True)
        pace.asked(size, 0.0)
        assert pace.room(1.0, answers=True) == 0 and pace.room(60.0, answers=True) > 0 and pace.answers
        pace.asked(size, 61.0)
        assert pace.room(90.0, answers=True) > 10_000 and not pace.answers, "it is not waited for again and again"

    def test_what_was_sent_before_it_answered_holds_nothing_up(self) -> None:
        pace = Pace()
        pace.sent(50_000)
        assert pace.room(0.0, answers=True) > 0 and pace.asks(1)
        assert pace.room(0.0, answers=True, queued=5000) == 0, "its port says that it is behind"


@pytest.mark.parametrize("cut", range(1, 10))
def test_answers_are_found_wherever_the_reading_cuts_them(cut: int) -> None:
    answers = Answers()
    text = "\x1b[?2026;2$yab\x1b[A\x1b[?25;1$y\x1b[?2026;2$yq\x1b"
    for at in range(0, len(text), cut):
        answers.read(text[at : at + cut])
    assert answers.count == 2


def test_a_terminal_that_reads_slowly_sees_the_newest_state_and_the_end_at_once() -> None:
    """Hundreds of states are wanted while nothing is read; then it is left."""
    master, slave = pty.openpty()
    tty.setraw(slave)
    fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("4H", HEIGHT, WIDTH, 0, 0))
    got, reads = bytearray(), threading.Event()

    def read() -> None:
        reads.wait()
        while b"\x1b[?1049l" not in got:
            got.extend(os.read(master, 4096))

    reader = threading.Thread(target=read, daemon=True)
    reader.start()
    with os.fdopen(slave, "w") as file:
        output = Output(file, Answers())
        output.start()
        rng = random.Random(3)

        def state(text: str):
            def change(wanted: Wanted | None) -> Wanted:
                wanted = wanted or Wanted(WIDTH, HEIGHT)
                for y in range(HEIGHT):
                    _put(wanted, 0, y, text.ljust(WIDTH), rng.randrange(1, 4))
                return wanted

            return change

        wanted_bytes = 0
        for number in range(3000):
            text = "".join(rng.choice("abcdefgh ") for _ in range(WIDTH - 5)) + f"{number:5}"
            output.show(state(text))
            wanted_bytes += WIDTH * HEIGHT
            if number % 50 == 0:
                time.sleep(0)
        output.drop()
        output.write("\x1b[?1049l")
        ends = threading.Thread(target=output.stop)
        ends.start()
        reads.set()
        ends.join(20)
        reader.join(20)
        assert not ends.is_alive() and not reader.is_alive()
    os.close(master)
    assert len(got) < 70_000 < wanted_bytes, "old states were queued"
