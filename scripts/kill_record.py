"""Kills `ordolex record` at random moments and looks at what the book kept.

A source sends numbered lines with the time of their sending. After each kill -9 the book must open, what it holds must
be the stream from its first byte without a hole, and the last line in it must have been sent less than 250 ms before
the kill. Exit status 0 if all of that held.

    python scripts/kill_record.py --times 200
"""

from __future__ import annotations

import argparse
import contextlib
import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass
from pathlib import Path

from ordolex.io.book.reader import BookReader

LIMIT_S = 0.25
LINE = 64  # bytes of one line of the source
BURST_S = 0.002


class Source:
    """A TCP server that sends lines at `rate` bytes a second to whoever comes, one client at a time."""

    def __init__(self, rate: int) -> None:
        self._per_burst = max(1, round(rate * BURST_S / LINE))
        self._server = socket.create_server(("127.0.0.1", 0))
        self.port = self._server.getsockname()[1]
        self.began_s = float("inf")  # when the latest client was sent its first line
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            client, _ = self._server.accept()
            with client, contextlib.suppress(OSError):
                number, due = 0, time.monotonic()
                self.began_s = due
                while True:
                    lines = [line(number + i, time.monotonic()) for i in range(self._per_burst)]
                    client.sendall(b"".join(lines))
                    number += len(lines)
                    due += BURST_S
                    time.sleep(max(0.0, due - time.monotonic()))


def line(number: int, sent_s: float) -> bytes:
    return b"%012d %016.6f %s\n" % (number, sent_s, b"." * (LINE - 31))


@dataclass
class Outcome:
    opens: bool
    whole: bool
    lost_s: float
    kept: int


def one_kill(source: Source, folder: Path, after_s: float) -> Outcome:
    """Records for a while, kills, looks."""
    book = folder / f"{time.monotonic_ns()}.ordolex"
    source.began_s = float("inf")
    command = [sys.executable, "-m", "ordolex", "record", f"tcp://127.0.0.1:{source.port}", "--book", str(book)]
    recording = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
    deadline = time.monotonic() + 20
    while not _has_bytes(book) and time.monotonic() < deadline:
        if recording.poll() is not None:
            assert recording.stderr is not None
            sys.exit(f"the recording ended by itself: {recording.stderr.read().decode()}")
        time.sleep(0.01)
    time.sleep(after_s)
    killed_s = time.monotonic()
    os.kill(recording.pid, signal.SIGKILL)
    recording.wait()
    assert recording.stderr is not None
    recording.stderr.close()
    return look(book, killed_s, source.began_s)


def _has_bytes(book: Path) -> bool:
    wal = book.with_name(book.name + "-wal")
    return wal.exists() and wal.stat().st_size > 64_000


def look(book: Path, killed_s: float, began_s: float) -> Outcome:
    """What the book kept. Where it kept nothing, all since the first line is lost."""
    try:
        reader = BookReader(book)
        data = b"".join(chunk.data for chunk in reader.chunks(direction="rx"))
        reader.close()
    except Exception as error:  # whatever it is, the book did not open
        print(f"{book}: {error}", file=sys.stderr)
        return Outcome(False, False, float("inf"), 0)
    lines = [data[i : i + LINE] for i in range(0, len(data) - LINE + 1, LINE)]
    whole = all(row[:12] == b"%012d" % i for i, row in enumerate(lines))
    last_s = float(lines[-1][13:29]) if lines else min(began_s, killed_s)
    return Outcome(True, whole, killed_s - last_s, len(data))


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--times", type=int, default=200)
    parser.add_argument("--rate", type=int, default=1_000_000, help="bytes a second")
    parser.add_argument("--limit-ms", type=float, default=LIMIT_S * 1000, help="loss at the end that is accepted")
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    chance = random.Random(options.seed)
    source = Source(options.rate)
    outcomes = []
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(options.times):
            outcomes.append(one_kill(source, Path(folder), chance.uniform(0.0, 0.6)))
            for file in Path(folder).iterdir():
                file.unlink()
    lost = sorted(outcome.lost_s * 1000 for outcome in outcomes)
    opened, whole = sum(o.opens for o in outcomes), sum(o.whole for o in outcomes)
    good = [o for o in outcomes if o.opens and o.whole and o.lost_s * 1000 < options.limit_ms]
    print(
        f"{len(outcomes)} kills at {options.rate / 1e6:g} MB/s: {opened} books open, {whole} without a hole; lost at"
        f" the end: median {lost[len(lost) // 2]:.0f} ms, worst {lost[-1]:.0f} ms (limit {options.limit_ms:.0f} ms)"
    )
    return 0 if len(good) == len(outcomes) else 1


if __name__ == "__main__":
    sys.exit(main())
