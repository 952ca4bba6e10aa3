"""The real interface on a pseudo-terminal while eight links receive: its processor time, and how soon a key counts.

Key to wire: from the Enter key to the bytes at the peer. Screen: from a typed character to its showing.

    python benchmarks/interface.py            8 x 3 Mbaud, then the latencies during it
"""

from __future__ import annotations

import argparse
import fcntl
import os
import pty
import select
import statistics
import struct
import sys
import tempfile
import termios
import threading
import time
from pathlib import Path

from recording import LINKS, STEADY, compare
from sources import Sources

_TICKS = os.sysconf("SC_CLK_TCK")


class Terminal:
    """The program on a pseudo-terminal of 128 x 40; a thread reads what it draws and notes when a mark appears."""

    def __init__(self, command: list[str], home: Path) -> None:
        self.pid, self._fd = pty.fork()
        if self.pid == 0:
            os.environ.update(HOME=str(home), TERM="xterm-256color", COLORTERM="truecolor")
            os.execv(command[0], command)
        fcntl.ioctl(self._fd, termios.TIOCSWINSZ, struct.pack("4H", 40, 128, 0, 0))
        self._seen = bytearray()
        self._lock = threading.Condition()
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        while True:
            select.select([self._fd], [], [])
            try:
                data = os.read(self._fd, 65_536)
            except OSError:
                return
            with self._lock:
                self._seen += data
                self._lock.notify_all()

    def press(self, keys: bytes) -> float:
        """When the keys were pressed; what was drawn before is forgotten."""
        with self._lock:
            self._seen.clear()
        now = time.monotonic()
        os.write(self._fd, keys)
        return now

    def wait_for(self, mark: bytes, seconds: float = 20.0) -> float:
        deadline = time.monotonic() + seconds
        with self._lock:
            while mark not in self._seen:
                if not self._lock.wait(max(0.0, deadline - time.monotonic())):
                    raise TimeoutError(f"{mark!r} was not drawn; last: {bytes(self._seen[-2000:])!r}")
            return time.monotonic()

    def cpu_s(self) -> float:
        fields = Path(f"/proc/{self.pid}/stat").read_text().rsplit(")", 1)[1].split()
        return (int(fields[11]) + int(fields[12])) / _TICKS

    def end(self) -> None:
        self.press(b"\x1b[21~")
        os.waitpid(self.pid, 0)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=15)
    parser.add_argument("--keys", type=int, default=60)
    parser.add_argument("--rate", type=float, default=STEADY, help="bytes a second on each link")
    options = parser.parse_args()
    sources = Sources(LINKS, options.rate, None)
    with tempfile.TemporaryDirectory(dir=os.environ.get("BENCH_DIR")) as folder:
        book = Path(folder) / "interface.ordolex"
        program = str(Path(sys.executable).with_name("ordolex"))
        terminal = Terminal([program, "--book", str(book)], Path(folder))
        terminal.wait_for(b"choose a port")
        for number, port in enumerate(sources.ports):
            terminal.press(b"\x1bOQ")  # F2
            time.sleep(0.4)
            terminal.press(b"a")
            time.sleep(0.4)
            terminal.press(f"tcp://127.0.0.1:{port}\r".encode())
            time.sleep(0.8 if number else 1.5)
        cpu, began = terminal.cpu_s(), time.monotonic()
        time.sleep(options.seconds)
        share = (terminal.cpu_s() - cpu) / (time.monotonic() - began)
        print(f"interface on, {LINKS} links at {options.rate / 1e6:g} MB/s each: {share * 100:.0f} % of one core")
        screen, wire = [], []
        sources.heard()
        for _ in range(options.keys):
            time.sleep(0.15)
            pressed = terminal.press(b"Q")
            screen.append(terminal.wait_for(b"Q", 5) - pressed)
            pressed = terminal.press(b"\r")
            wire.append(_heard(sources) - pressed)
            time.sleep(0.05)
            terminal.press(b"\x1b")  # stops the wait for an answer
        terminal.end()
        sources.stop()
        print(f"key to wire: {_figures(wire)}; typed character on the screen: {_figures(screen)}")
        print(f"every one of {compare(book)} bytes compared")


def _heard(sources: Sources) -> float:
    deadline = time.monotonic() + 5
    while time.monotonic() < deadline:
        for at, data in sources.heard():
            if b"\n" in data:
                return at
        time.sleep(0.001)
    raise TimeoutError("the peer heard nothing")


def _figures(seconds: list[float]) -> str:
    ordered = sorted(s * 1000 for s in seconds)
    p95 = ordered[int(len(ordered) * 0.95)]
    return f"median {statistics.median(ordered):.1f} ms, 95 % under {p95:.1f} ms, worst {ordered[-1]:.1f} ms"


if __name__ == "__main__":
    main()
