"""How fast the record is: eight TCP links at once, every byte compared with what was sent, beside `cat` to files.

python benchmarks/recording.py            flat out, and at 8 x 3 Mbaud without the interface
python benchmarks/recording.py --mb 100   with that many MB a link
"""

from __future__ import annotations

import argparse
import asyncio
import os
import resource
import subprocess
import tempfile
import time
from pathlib import Path

from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.core.record.items import LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.link.runner import LinkRunner
from sources import BLOCK, Sources, expected

LINKS = 8
STEADY = 300_000  # bytes a second on one link: 3 Mbaud at ten bits a character


def cat_to_files(ports: list[int], folder: Path, size: int) -> float:
    """Seconds until eight `cat` have written their streams to files."""
    began = time.monotonic()
    cats = [
        subprocess.Popen(["bash", "-c", f"exec cat < /dev/tcp/127.0.0.1/{port} > {folder}/cat-{port}"])
        for port in ports
    ]
    for cat in cats:
        cat.wait()
    seconds = time.monotonic() - began
    for port in ports:
        file = folder / f"cat-{port}"
        assert file.stat().st_size == size
        file.unlink()
    return seconds


async def record_all(ports: list[int], book: Book, until: float | None) -> None:
    """Opens all links and returns when all have ended, or after `until` seconds."""
    runners = []
    for port in ports:
        endpoint = f"tcp://127.0.0.1:{port}"
        link = book.add_link(LinkRecord(0, f"link {len(runners)}", endpoint))
        runners.append(LinkRunner(link.id, endpoint, LineSettings(9600), book.recorder))
    for runner in runners:
        await runner.open()
    deadline = time.monotonic() + (until or 600)
    while time.monotonic() < deadline and any(runner.rung is not Rung.ABSENT for runner in runners):
        await asyncio.sleep(0.02)
    for runner in runners:
        await runner.release()


def compare(path: Path) -> int:
    """Every byte of the book against the stream; the number compared."""
    reader = BookReader(path)
    total = 0
    for number, link in enumerate(reader.links()):
        size = 0
        rest = b""
        for chunk in reader.chunks(link.id, "rx"):
            rest += chunk.data
            whole = len(rest) // BLOCK * BLOCK
            if whole:
                first = size // BLOCK
                wanted = expected(number, size + whole)[size:] if first == 0 else _blocks(number, first, whole)
                assert rest[:whole] == wanted, f"link {number} differs after {size} bytes"
                size += whole
                rest = rest[whole:]
        assert rest == _blocks(number, size // BLOCK, BLOCK)[: len(rest)]
        total += size + len(rest)
    reader.close()
    return total


def _blocks(link: int, first: int, size: int) -> bytes:
    from sources import block

    return b"".join(block(link, first + n) for n in range(size // BLOCK))


def cpu_s() -> float:
    usage = resource.getrusage(resource.RUSAGE_SELF)
    return usage.ru_utime + usage.ru_stime


def flat_out(mb: int, folder: Path) -> None:
    size = mb * 1_000_000
    sources = Sources(LINKS, None, size)
    cat_s = cat_to_files(sources.ports, folder, size)
    sources.stop()
    sources = Sources(LINKS, None, size)
    path = folder / "flat.ordolex"
    book = Book(path, "benchmark")
    began, cpu = time.monotonic(), cpu_s()
    asyncio.run(record_all(sources.ports, book, None))
    book.close()  # until all is in the file
    seconds, cpu = time.monotonic() - began, cpu_s() - cpu
    sources.stop()
    began = time.monotonic()
    opened = Book(path)
    opened.reader.latest(3000)
    opened.reader.latest(300, opened.links()[0].id)
    opens_s = time.monotonic() - began
    opened.close()
    total = compare(path)
    assert total == LINKS * size, f"{total} of {LINKS * size} bytes"
    rate, cat_rate = total / seconds / 1e6, total / cat_s / 1e6
    print(
        f"flat out, {LINKS} links: {rate:.0f} MB/s recorded ({cpu / seconds * 100:.0f} % of a core), every one of "
        f"{total} bytes compared; cat to {LINKS} files {cat_rate:.0f} MB/s; ratio {rate / cat_rate:.2f}"
    )
    print(
        f"that book of {path.stat().st_size / 1e9:.2f} GB opens, with its latest rows read, in {opens_s * 1000:.0f} ms"
    )
    path.unlink()


def steady(seconds: float, folder: Path) -> None:
    sources = Sources(LINKS, STEADY, None)
    path = folder / "steady.ordolex"
    book = Book(path, "benchmark")
    cpu, began = cpu_s(), time.monotonic()
    asyncio.run(record_all(sources.ports, book, seconds))
    book.close()
    took, cpu = time.monotonic() - began, cpu_s() - cpu
    sources.stop()
    total = compare(path)
    print(
        f"steady, {LINKS} links at 3 Mbaud: {total / took / 1e6:.2f} MB/s with {cpu / took * 100:.0f} % of a core, "
        f"every one of {total} bytes compared; {path.stat().st_size / total:.2f} bytes on disk a byte"
    )
    path.unlink()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--mb", type=int, default=60, help="MB a link, flat out")
    parser.add_argument("--seconds", type=float, default=10)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(dir=os.environ.get("BENCH_DIR")) as folder:
        flat_out(options.mb, Path(folder))
        steady(options.seconds, Path(folder))


if __name__ == "__main__":
    main()
