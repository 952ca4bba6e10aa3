"""A large book: search, jumps in time and exports, as ratios to `grep` on the raw export and to plain reading.

Chunks are as they really come: a line each, from a device that speaks ten times a second; 4 KB, from a busy line; and
190 KB, from a flood over a network.

.venv/bin/python -m benchmarks.search [--mb 100] [--folder /tmp]
"""

from __future__ import annotations

import argparse
import random
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ordolex.core.record.export import export
from ordolex.core.record.items import LinkRecord
from ordolex.core.record.sieve import Sieve
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import rows_with

_NEEDLE = "hopper low"
_LINE_PAUSE_S, _PAUSE_S = 0.1, 0.06


def fill(path: Path, size: int, chunk: int) -> None:
    """`size` bytes of lines on four links, one in some ten thousand with the needle; `chunk` 0 for a line each."""
    rng = random.Random(1)
    book = Book(path, "search")
    links = [book.add_link(LinkRecord(0, f"link {n}", f"tcp://127.0.0.1:{n + 1}")).id for n in range(4)]
    waiting = {link: bytearray() for link in links}
    line, done, at = 0, 0, 1.0
    while done < size:
        link = rng.choice(links)
        rest = waiting[link]
        while len(rest) < max(1, chunk):
            line += 1
            state = _NEEDLE if rng.random() < 1e-4 else "running"
            rest += (
                f"row {line:08} raceway {line % 4} oxygen {rng.random() * 20:.2f} mg/l, feeder 2 {state}\r\n".encode()
            )
        at += _PAUSE_S if chunk else _LINE_PAUSE_S
        piece = bytes(rest[:chunk] if chunk else rest)
        del rest[: len(piece)]
        book.recorder.record(link, "rx", piece, None, at)
        done += len(piece)
        while book.recorder.full:
            time.sleep(0.01)
    book.close()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--mb", type=int, default=100)
    parser.add_argument("--folder", type=Path, default=None)
    given = parser.parse_args()
    for chunk, name in ((0, "a line each"), (4096, "4 KB"), (190_000, "190 KB")):
        with tempfile.TemporaryDirectory(dir=given.folder) as folder:
            _look_at(Path(folder), given.mb << 20, chunk, name)


def _look_at(folder: Path, size: int, chunk: int, name: str) -> None:
    path, raw = folder / "big.ordolex", folder / "big.bin"
    fill(path, size, chunk)
    reader = BookReader(path)
    names = {link.id: link.name for link in reader.links()}
    print(f"chunks of {name}: {reader.newest_ids()[0]} chunks, book of {path.stat().st_size / 1e6:.0f} MB")
    with raw.open("wb") as file:
        file.writelines(export("raw", reader.timeline(), {}))
    hits = 0

    def look() -> None:
        nonlocal hits
        hits = sum(1 for _ in rows_with(reader, Sieve(_NEEDLE)))

    own_s = _best(look)
    grep_s = _best(lambda: subprocess.run(["grep", "-a", "-c", "-i", _NEEDLE, str(raw)], capture_output=True))
    aim_s = 2 * grep_s + 0.005 * hits
    print(
        f"  search, {hits} hits: {own_s:.2f} s; grep {grep_s:.3f} s; {own_s / aim_s:.2f} of twice grep and 5 ms a hit"
    )
    first, last = reader.first_and_last_us() or (0, 0)
    middle = (first + last) // 2
    jump_s = _best(lambda: next(iter(reader.chunks(span=(middle, None)))))
    screen_s = _best(lambda: reader.latest(200, None, middle))
    print(f"  jump to a time: {jump_s * 1000:.1f} ms, with 200 rows before it {screen_s * 1000:.1f} ms")
    for form in ("raw", "text", "csv", "jsonl"):
        seconds = _best(lambda form=form: sum(len(piece) for piece in export(form, reader.timeline(), names)), 1)
        print(f"  export as {form}: {size / 1e6 / seconds:.1f} MB/s of what was recorded")
    reader.close()


def _best(work: Callable[[], object], times: int = 3) -> float:
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return min(took)


if __name__ == "__main__":
    main()
