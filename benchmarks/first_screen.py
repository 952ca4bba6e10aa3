"""The first screen of the program against a Textual application with one word on it, in turns within one run.

python benchmarks/first_screen.py --times 9      seconds, and seconds of a core, until each shows its word
"""

from __future__ import annotations

import argparse
import fcntl
import os
import pty
import select
import signal
import statistics
import struct
import sys
import tempfile
import termios
import time
from pathlib import Path

_BARE = """
from textual.app import App
from textual.widgets import Static

class Bare(App):
    def compose(self):
        yield Static("readyword")

Bare().run()
"""
_TICKS = os.sysconf("SC_CLK_TCK")


def until(command: list[str], word: bytes, home: Path) -> tuple[float, float]:
    """Seconds, and seconds of a core, from the start until the word is drawn."""
    began = time.monotonic()
    pid, terminal = pty.fork()
    if pid == 0:
        os.environ.update(HOME=str(home), TERM="xterm-256color", COLORTERM="truecolor")
        os.execv(command[0], command)
    fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("4H", 40, 128, 0, 0))
    drawn = b""
    try:
        while word not in drawn:
            if not select.select([terminal], [], [], 30)[0]:
                raise SystemExit(f"{word!r} was never drawn")
            drawn += os.read(terminal, 65_536)
        took = time.monotonic() - began
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
        return took, (int(fields[11]) + int(fields[12])) / _TICKS
    finally:
        os.kill(pid, signal.SIGKILL)
        os.waitpid(pid, 0)
        os.close(terminal)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--times", type=int, default=9)
    times: int = parser.parse_args().times
    bare, ours = [], []
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        (home / "bare.py").write_text(_BARE)
        for _ in range(times + 1):  # the first of each fills the caches, and does not count
            bare.append(until([sys.executable, str(home / "bare.py")], b"readyword", home))
            ours.append(until([sys.executable, "-m", "ordolex"], b"endpoint", home))
    for name, runs in (("bare", bare[1:]), ("Ordolex", ours[1:])):
        took, core = zip(*runs, strict=True)
        print(f"{name:8} {statistics.median(took):.2f} s, {statistics.median(core):.2f} s of a core")
    ratios = [[o[at] / b[at] for o, b in zip(ours[1:], bare[1:], strict=True)] for at in (0, 1)]
    print("ratio    " + ", ".join(f"{statistics.median(r):.2f} ({min(r):.2f} to {max(r):.2f})" for r in ratios))


if __name__ == "__main__":
    main()
