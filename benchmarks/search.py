"""A large book: search, jumps in time and exports, as ratios to `grep` on the raw export and to plain reading.

Chunks are as they really come: a line each, from a device that speaks ten times a second; 200 bytes and 4 KB, from a
busy line; and bytes without any order, which cannot be packed. Aims: search 1.3 times grep -F, re: 2 times grep -P, any
time or link 50 ms, text 20 MB/s, raw and pcapng 100, verify 1.3 times sha256sum, disk 1.1 bytes a byte, 0.6 of text.

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
from ordolex.io.book.packing import pack_book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.search import rows_with
from ordolex.io.book.verifying import verify_book

_NEEDLE = "hopper low"
_LINE_PAUSE_S, _PAUSE_S = 0.1, 0.06


def fill(path: Path, size: int, chunk: int, *, plain: bool) -> None:
    """`size` bytes of lines on four links, one in some ten thousand with the needle; `chunk` 0 for a line each.
    `plain`: bytes without any order, which cannot be packed."""
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
        piece = bytes(rest[:chunk] if chunk else rest)
        del rest[: len(piece)]
        if plain:
            piece = rng.randbytes(len(piece))
        at += _PAUSE_S if chunk else _LINE_PAUSE_S
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
    for chunk, name, plain in (
        (0, "a line each", False), (200, "200 bytes", False), (4096, "4 KB", False), (4096, "4 KB without order", True),
    ):  # fmt: skip
        with tempfile.TemporaryDirectory(dir=given.folder) as folder:
            _look_at(Path(folder), given.mb << 20, chunk, name, plain=plain)


def _look_at(folder: Path, size: int, chunk: int, name: str, *, plain: bool) -> None:
    path, raw = folder / "big.ordolex", folder / "big.bin"
    fill(path, size, chunk, plain=plain)
    written = path.stat().st_size
    began = time.perf_counter()
    pack_book(path)
    pack_s = time.perf_counter() - began
    open_s = _best(lambda: BookReader(path).close())
    reader = BookReader(path)
    names = {link.id: link.name for link in reader.links()}
    print(
        f"chunks of {name}: {reader.newest_ids()[0]} chunks, {size / 1e6:.0f} MB; it had {written / size:.2f} bytes"
        f" a byte, packed in {pack_s:.1f} s {path.stat().st_size / size:.2f}; opened in {open_s * 1000:.1f} ms"
    )
    with raw.open("wb") as file:
        file.writelines(export("raw", reader.timeline(), {}))
    for text, grep in ((_NEEDLE, "-F"), ("no such thing", "-F"), ("re:hopper (low|empty)", "-P"), ("re:lo+w", "-P")):
        if plain and text.startswith("re:"):
            continue  # what is no text is read as rows
        hits = 0

        def look(text: str = text) -> None:
            nonlocal hits
            hits = sum(1 for _ in rows_with(reader, Sieve(text)))

        own_s = _best(look, 2)
        pattern = text.removeprefix("re:")
        command = ["grep", "-a", "-c", "-i", grep, pattern, str(raw)]
        grep_s = _best(lambda command=command: subprocess.run(command, capture_output=True, env={"LANG": "C"}), 2)
        print(
            f"  search for {text!r}, {hits} hits: {own_s:.2f} s, grep {grep} {grep_s:.2f} s, ratio {own_s / grep_s:.2f}"
        )
    first, last = reader.first_and_last_us() or (0, 0)
    jumps = [first + (last - first) * n // 7 for n in range(1, 7)]
    jump_s = [_best(lambda at=at: next(iter(reader.chunks(span=(at, None)))), 1) for at in jumps]
    link_s = [_best(lambda at=at: reader.latest(200, 2, at), 1) for at in jumps]
    print(
        f"  jump to a time: {max(jump_s) * 1000:.1f} ms, 200 rows of a link before it {max(link_s) * 1000:.1f} ms (50)"
    )
    for form in ("raw", "pcapng", "text", "csv", "jsonl"):
        seconds = _best(lambda form=form: sum(len(piece) for piece in export(form, reader.timeline(), names)), 1)
        print(f"  export as {form}: {size / 1e6 / seconds:.1f} MB/s of what was recorded")
    reader.close()
    sum_s = _best(lambda: subprocess.run(["sha256sum", raw], check=True, capture_output=True), 2)
    verify_s = _best(lambda: verify_book(path), 1)
    print(f"  verify: {verify_s:.2f} s, sha256sum of the bytes {sum_s:.2f} s, ratio {verify_s / sum_s:.2f}")


def _best(work: Callable[[], object], times: int = 3) -> float:
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return min(took)


if __name__ == "__main__":
    main()
