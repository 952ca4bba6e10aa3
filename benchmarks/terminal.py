"""What the interface sends to its terminal, and how it feels over a slow one: bytes and seconds, by desk.

    python -m benchmarks.terminal [--size 80x24]    bytes of the demo, idle and by key, and a core's share at rest
    python -m benchmarks.terminal --baud 9600       the same keys on a terminal that reads so fast

The terminal is a pseudo-terminal; with --baud it is read no faster than the line would bring it, and held against an
emulation of a screen (pyte): a key counts from its press until what it brings stands there.
"""

from __future__ import annotations

import argparse
import fcntl
import os
import pty
import select
import struct
import sys
import tempfile
import termios
import time
from pathlib import Path

import pyte

KEYS = {
    "Find": b"\x1bOQ", "Wire": b"\x1bOR", "Match": b"\x1bOS", "Talk": b"\x1b[15~", "Set": b"\x1b[17~",
    "Watch": b"\x1b[18~", "Keep": b"\x1b[19~", "Relay": b"\x1b[20~",
}  # fmt: skip
DOWN, UP, F10 = b"\x1b[B", b"\x1b[A", b"\x1b[21~"
_TICKS = os.sysconf("SC_CLK_TCK")


class Paced:
    """The program on a terminal that is read at `rate` bytes a second; 0 for as fast as it comes."""

    def __init__(self, columns: int, lines: int, rate: float) -> None:
        self.screen = pyte.Screen(columns, lines)
        self._stream = pyte.ByteStream(self.screen)
        self._rate, self._credit, self._at_s = rate, 0.0, time.monotonic()
        self.count = 0
        self.gone = False
        self._home = tempfile.TemporaryDirectory()
        command = [str(Path(sys.executable).with_name("ordolex")), "demo"]
        self.pid, self._fd = pty.fork()
        if self.pid == 0:
            theirs = ("XDG_", "COLUMNS", "LINES")
            env = {name: value for name, value in os.environ.items() if not name.startswith(theirs)}
            env.update(HOME=self._home.name, TERM="xterm-256color", COLORTERM="truecolor")
            os.execve(command[0], command, env)
        fcntl.ioctl(self._fd, termios.TIOCSWINSZ, struct.pack("4H", lines, columns, 0, 0))

    def press(self, keys: bytes) -> float:
        os.write(self._fd, keys)
        return time.monotonic()

    def read(self, seconds: float, until: str = "") -> int:
        """Reads for so long, or until these words stand on the screen; how many bytes came."""
        before, end = self.count, time.monotonic() + seconds
        while time.monotonic() < end and not self.gone:
            self._some()
            if until and until in "\n".join(self.screen.display):
                break
        return self.count - before

    def _some(self) -> None:
        now = time.monotonic()
        size = 65_536
        if self._rate:
            self._credit = min(64.0, self._credit + self._rate * (now - self._at_s))
            self._at_s, size = now, int(self._credit)
        if size and select.select([self._fd], [], [], 0.01)[0]:
            try:
                data = os.read(self._fd, size)
            except OSError:
                self.gone = True
                return
            self.count += len(data)
            self._credit -= len(data)
            self._stream.feed(data)
        else:
            time.sleep(0.005)

    def cpu_s(self) -> float:
        fields = Path(f"/proc/{self.pid}/stat").read_text().rsplit(")", 1)[1].split()
        return (int(fields[11]) + int(fields[12])) / _TICKS


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--size", default="80x24")
    parser.add_argument("--baud", type=int, default=0)
    parser.add_argument("--seconds", type=float, default=10.0, help="of rest on each desk")
    given = parser.parse_args()
    columns, lines = (int(part) for part in given.size.split("x"))
    terminal = Paced(columns, lines, given.baud / 10)
    began = time.monotonic()
    size = terminal.read(90, "Raceway 1")
    print(f"first screen with the demo's ports: {size} bytes, {time.monotonic() - began:.1f} s")
    terminal.read(3)
    began = time.monotonic()
    for _ in range(3):
        terminal.press(b"\r")
        terminal.read(0.7)
    size = terminal.read(90, "mg/l")
    print(f"three times Enter: an answer after {time.monotonic() - began:.1f} s")
    terminal.read(5)
    took, typed = [], "q"
    terminal.press(typed.encode())
    terminal.read(3)
    for letter in "jxkzw":
        typed += letter
        at, before = terminal.press(letter.encode()), terminal.count
        terminal.read(30, typed)
        took.append((time.monotonic() - at, terminal.count - before))
    print(f"a letter: {sorted(took)[2][0]:.2f} s and {sorted(took)[2][1]} bytes at the median")
    terminal.press(b"\x15")
    terminal.read(1)
    for name, key in KEYS.items():
        at, cpu = terminal.press(key), terminal.cpu_s()
        change = terminal.read(30, f"{name}: ") if given.baud else terminal.read(2)
        seconds = time.monotonic() - at
        terminal.read(2)
        cpu = terminal.cpu_s()
        idle = terminal.read(given.seconds)
        share = (terminal.cpu_s() - cpu) / given.seconds
        terminal.press(DOWN)
        down = terminal.read(1)
        terminal.press(UP)
        up = terminal.read(1)
        print(
            f"{name:6} {change:5} bytes to change to{f' in {seconds:.1f} s' if given.baud else ''}, at rest"
            f" {idle / given.seconds:5.0f} bytes a second and {share:4.1%} of a core; an arrow {down}, {up} bytes",
            flush=True,
        )
    at = terminal.press(F10)
    terminal.read(60)
    print(f"F10: the end after {time.monotonic() - at:.1f} s")
    os.waitpid(terminal.pid, 0)


if __name__ == "__main__":
    main()
