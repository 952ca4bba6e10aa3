"""The real program in a tmux of its own, driven by the keys that a technician presses."""

from __future__ import annotations

import re
import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import program

IN_TMUX = [
    pytest.mark.terminal,
    pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed: apt-get install tmux"),
]


class Terminal:
    """A tmux of its own, with one window."""

    def __init__(self, folder: Path) -> None:
        self._socket = str(folder / "tmux")

    def tmux(self, *arguments: str) -> str:
        done = subprocess.run(
            ["tmux", "-S", self._socket, "-f", "/dev/null", *arguments], capture_output=True, text=True, timeout=20
        )
        return done.stdout or done.stderr  # a server that is gone says so in a failed test

    def start(self, *arguments: str, size: tuple[int, int] = (128, 40)) -> None:
        command = " ".join(f"'{part}'" for part in program(*arguments))
        shell = f"stty -a | grep -o ' echo ' ; {command}; echo ended with $?; stty -a | grep -o ' echo '; exec cat"
        self.tmux("new-session", "-d", "-x", str(size[0]), "-y", str(size[1]), shell)

    def screen(self) -> str:
        return self.tmux("capture-pane", "-p")

    def pid(self) -> int:
        """The program's process: the shell's child."""
        shell = self.tmux("list-panes", "-F", "#{pane_pid}").strip()
        children = Path(f"/proc/{shell}/task/{shell}/children").read_text().split()
        return int(children[0])

    def _state(self) -> str:
        """What runs in the pane, and what each process of it waits for."""
        shown = self.tmux("list-panes", "-F", "#{pane_pid} #{pane_current_command} alternate #{alternate_on}").split()
        if not shown or not shown[0].isdigit():
            return " ".join(shown)
        children = Path(f"/proc/{shown[0]}/task/{shown[0]}/children").read_text().split()
        waits = (
            f"{task.name} {task.joinpath('comm').read_text().strip()}: {task.joinpath('wchan').read_text()}"
            for child in children
            for task in Path(f"/proc/{child}/task").iterdir()
        )
        return " ".join(shown) + "\n" + "\n".join(waits)

    def press(self, *keys: str) -> None:
        self.tmux("send-keys", *keys)

    def type(self, text: str) -> None:
        self.tmux("send-keys", "-l", text)

    def paste(self, text: str) -> None:
        """As one paste, as terminals mark it."""
        self.tmux("set-buffer", text)
        self.tmux("paste-buffer", "-p")

    def gone(self, pattern: str, seconds: float = 20) -> None:
        """Waits until nothing on the screen fits any more."""
        deadline = time.monotonic() + seconds
        while re.search(pattern, screen := self.screen()):
            assert time.monotonic() < deadline, f"{pattern!r} did not go:\n{screen}\n{self._state()}"
            time.sleep(0.05)

    def see(self, pattern: str, seconds: float = 20) -> str:
        deadline = time.monotonic() + seconds
        while True:
            screen = self.screen()
            if re.search(pattern, screen):
                return screen
            assert time.monotonic() < deadline, f"{pattern!r} was never seen:\n{screen}\n{self._state()}"
            time.sleep(0.1)


def on_port(terminal: Terminal, name: str) -> None:
    """In Find: the cursor on this port. A key is pressed once the one before it shows: on a busy computer it can take
    a while, and the cursor would be elsewhere by then."""
    below = r"\n +(\S+(?: \S+)*)   (?:\S+://|/dev/)"
    deadline, pressed_at, pressed_s = time.monotonic() + 60, "", 0.0
    while (here := _found(below, screen := terminal.screen())) != name:
        assert time.monotonic() < deadline, f"{name} cannot be chosen:\n{screen}"
        lines = [line[27:] for line in screen.splitlines()]  # beside the list of links
        rows = {one: n for n, line in enumerate(lines) for one in (name, here) if re.search(rf"\S +{one}  ", line)}
        if here and name in rows and (here != pressed_at or time.monotonic() - pressed_s > 5):
            terminal.press("Down" if rows[name] > rows.get(here, -1) else "Up")
            pressed_at, pressed_s = here, time.monotonic()
        time.sleep(0.05)


def _found(pattern: str, screen: str) -> str:
    found = re.search(pattern, screen)
    return found[1] if found else ""


@pytest.fixture
def terminal(tmp_path: Path) -> Iterator[Terminal]:
    made = Terminal(tmp_path)
    yield made
    made.tmux("kill-server")
