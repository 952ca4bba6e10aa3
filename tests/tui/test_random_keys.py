"""Keys pressed at random, with resizes, over all desks and dialogs: the program lives, and answers.

A minute in the tests; by hand as long as wanted, with another seed:

    ORDOLEX_KEYS=20000 ORDOLEX_SEED=7 .venv/bin/pytest tests/tui/test_random_keys.py -n 0 -o timeout=0
"""

from __future__ import annotations

import os
import random
import re
import string
import time
from pathlib import Path

import pytest

from tests.conftest import BenchNotice
from tests.tui.terminal import IN_TMUX, Terminal, terminal

__all__ = ["terminal"]
pytestmark = IN_TMUX

COUNT = int(os.environ.get("ORDOLEX_KEYS", "500"))
SEEDS = [int(seed) for seed in os.environ.get("ORDOLEX_SEED", "11 23").split()]
_OFTEN = ["Enter", "Escape", "Down", "Up", "Left", "Right", "Tab", "BSpace"]
_DESKS = ["F1", "F2", "F3", "F4", "F5", "F6", "F8"]
_RARE = ["PageUp", "PageDown", "Home", "End", "DC", "Space", "S-Left", "S-Right", "C-Up", "C-Down", "F9", "M-a"]
_CONTROL = [f"C-{letter}" for letter in "abdefgklnoprstuwxyz"]  # not Ctrl+C, which leaves when pressed twice
_SIZES = [(128, 40), (80, 24), (40, 10), (200, 60), (100, 30)]
_BATCH = 10


def some_keys(chance: random.Random) -> list[str]:
    kind = chance.random()
    if kind < 0.12:
        return [chance.choice(_DESKS)]
    if kind < 0.5:
        return [chance.choice(_OFTEN)]
    if kind < 0.6:
        return [chance.choice(_RARE)]
    if kind < 0.72:
        return [chance.choice(_CONTROL)]
    return [chance.choice(string.ascii_letters + string.digits + ",./?*:-+ ") for _ in range(chance.choice((1, 1, 6)))]


@pytest.mark.timeout(300)
@pytest.mark.parametrize("seed", SEEDS)
def test_keys_at_random_neither_end_nor_stall_the_program(
    terminal: Terminal, tmp_path: Path, bench_process: BenchNotice, seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)  # what is written lands there
    chance = random.Random(seed)
    terminal.start("--book", str(tmp_path / "b.ordolex"))
    terminal.see("(free|just came) +Raceway 1")
    pressed: list[str] = []
    while len(pressed) < COUNT:
        keys = [key for _ in range(_BATCH) for key in some_keys(chance)]
        terminal.press(*(";" if key == ";" else "Space" if key == " " else key for key in keys))
        pressed += keys
        if chance.random() < 0.1:
            width, height = chance.choice(_SIZES)
            terminal.tmux("resize-window", "-x", str(width), "-y", str(height))
        screen = terminal.screen()
        assert "ended with" not in screen and "Traceback" not in screen, (pressed[-60:], screen)
    terminal.tmux("resize-window", "-x", "128", "-y", "40")
    for number in range(60):  # out of whatever is open; a device that is worked key by key has Escape for itself
        for _ in range(2):  # the first may only take back what was typed into a list
            terminal.press("Escape")
            time.sleep(0.15)  # a terminal tells Escape from the beginning of a sequence by the pause behind it
        terminal.press("F5", "C-u", f"last{number}")  # keys are taken in their order: once this stands, all were
        until = time.monotonic() + 2
        while time.monotonic() < until:
            screen = terminal.screen()
            assert "ended with" not in screen and "Traceback" not in screen, (pressed[-60:], screen)
            if re.search(rf"▸ last{number}\b", screen):
                terminal.press("F2")
                terminal.see("Raceway 4 oxygen +rfc2217|Raceway 4 oxygen, bench")
                return
            time.sleep(0.1)
    raise AssertionError(f"it does not come back to Talk:\n{terminal.screen()}\nafter {pressed[-80:]}")
