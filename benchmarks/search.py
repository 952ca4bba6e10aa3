"""A search over a book of about 1 GB beside `grep -c` on its raw export, and how long such a book takes to open.

.venv/bin/python -m benchmarks.search [--mb 1000] [--folder /tmp]
"""

from __future__ import annotations

import argparse
import random
import subprocess
import tempfile
import time
from pathlib import Path

from ordolex.core.export import export
from ordolex.core.record import LinkRecord
from ordolex.core.sieve import Sieve
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import rows_with

_NEEDLE = "hopper low"
_CHUNK = 4096


def fill(path: Path, mb: int) -> int:
    """Lines of text on four links, one in some ten thousand with the needle; how many hold it."""
    rng = random.Random(1)
    book = Book(path, "search")
    links = [book.add_link(LinkRecord(0, f"link {n}", f"tcp://127.0.0.1:{n + 1}")).id for n in range(4)]
    line, count, waiting, at = 0, 0, {link: bytearray() for link in links}, 1.0
    for _ in range(mb << 20 >> 12):
        link = rng.choice(links)
        while len(waiting[link]) < _CHUNK:
            line += 1
            needle = rng.random() < 1e-4
            count += needle
            state = _NEEDLE if needle else "running"
            waiting[link] += b"row %08d raceway %d oxygen %.2f mg/l, feeder 2 %s\r\n" % (
                line, line % 4, rng.random() * 20, state.encode(),
            )  # fmt: skip
        at += 0.02
        book.recorder.record(link, "rx", bytes(waiting[link][:_CHUNK]), None, at)
        del waiting[link][:_CHUNK]
        while book.recorder.full:
            time.sleep(0.01)
    for link, rest in waiting.items():
        book.recorder.record(link, "rx", bytes(rest), None, at + 1)
    book.close()
    return count


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--mb", type=int, default=1000)
    parser.add_argument("--folder", type=Path, default=None)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory(dir=given.folder) as folder:
        path, raw = Path(folder) / "big.ordolex", Path(folder) / "big.bin"
        held = fill(path, given.mb)
        began = time.perf_counter()
        reader = BookReader(path)
        latest = len(reader.latest(3000))
        print(f"{path.stat().st_size / 1e9:.2f} GB, opened with its latest {latest} items in "
              f"{(time.perf_counter() - began) * 1000:.0f} ms")  # fmt: skip
        with raw.open("wb") as file:
            file.writelines(export("raw", reader.timeline(), {}))
        grep_s = min(_timed(lambda: subprocess.run(["grep", "-a", "-c", "-i", _NEEDLE, str(raw)], capture_output=True)))
        found = 0

        def look() -> None:
            nonlocal found
            found = sum(1 for _ in rows_with(reader, Sieve(_NEEDLE)))

        own_s = min(_timed(look))
        print(f"search for {_NEEDLE!r}: {found} rows of {held}, {own_s:.2f} s; grep -c -i on the raw export "
              f"{grep_s:.2f} s; {own_s / grep_s:.1f} times")  # fmt: skip
        reader.close()


def _timed(work: object) -> list[float]:
    times = []
    for _ in range(3):
        began = time.perf_counter()
        work()  # type: ignore[operator]
        times.append(time.perf_counter() - began)
    return times


if __name__ == "__main__":
    main()
