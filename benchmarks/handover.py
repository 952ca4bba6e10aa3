"""The handover of a large visit, its check, and what the chain costs while recording; all as ratios within one run.

python benchmarks/handover.py            a visit with 200 MB of bytes
python benchmarks/handover.py --mb 1000  with 1 GB
"""

from __future__ import annotations

import argparse
import resource
import subprocess
import tempfile
import time
from pathlib import Path
from unittest import mock

from ordolex.core.record.chain import Hashed
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.watch.samples import Quality, Sample
from ordolex.io.book.book import Book
from ordolex.io.book.manifest import verify_handover
from ordolex.io.book.verifying import verify_book
from ordolex.session.handing_over import Choice, hand_over

LINKS, PARAMETERS, TABLES, CHARTS, HOURS = 20, 200, 30, 50, 8
_SHEET = {"sheet": "made-up", "unit": 1}


def recorded(path: Path, mb: int, *, facts: bool) -> float:
    """Seconds until all of it is in the book."""
    book = Book(path, "Alder Brook Hatchery")
    links = [book.add_link(LinkRecord(0, f"link {n}", f"/dev/made-up{n}", "19200 8N1")) for n in range(LINKS)]
    piece = b"".join(b"%06d level 1.234 m, flow 12.5 l/s, ok\r\n" % n for n in range(24))
    count = mb * 1_000_000 // len(piece)
    began = time.monotonic()
    for number in range(count):
        at_s = number / count * HOURS * 3600
        book.recorder.record(links[number % LINKS].id, "rx", piece, None, at_s)
        while book.recorder.full:
            time.sleep(0.001)
    if facts:
        _facts(book, links)
    book.close()
    return time.monotonic() - began


def _facts(book: Book, links: list[LinkRecord]) -> None:
    now = 1_770_000_000_000_000
    for number, link in enumerate(links):
        values = {f"parameter {n}": n * 1.5 for n in range(PARAMETERS // LINKS)}
        book.recorder.note(Event(link.id, now, 1, "found", "as found", {"values": values, "anew": True, **_SHEET}))
        book.recorder.note(Event(link.id, now, 1, "rung", "→ Proven", {"to": "Proven"}))
        for name in values:
            detail = {"name": name, "before": 1, "wanted": 2, "after": 2, "verdict": "held", **_SHEET}
            book.recorder.note(Event(link.id, now + number, 1, "set", f"set {name}", detail))
    for number in range(TABLES):
        rows = [[str(n), f"event {n}", "12.5", "ok"] for n in range(1, 301)]
        table = {"name": f"list {number}", "columns": ["number", "what", "value", "state"], "rows": rows, "odd": []}
        book.recorder.note(Event(links[number % LINKS].id, now, 1, "table", "a list", table))

    def items(connection: object) -> None:
        for number in range(CHARTS):
            connection.execute(  # type: ignore[attr-defined]
                "INSERT INTO item (round, name, link, unit, question, every_s) VALUES ('r', ?, 1, 'V', 'q', 1.0)",
                (f"item {number}",),
            )

    book.recorder.call(items).result(60)
    for item in range(1, CHARTS + 1):
        samples = [Sample(item, now + n * 1_000_000, 10 + n % 60 * 0.01, Quality.GOOD) for n in range(HOURS * 3600)]
        book.recorder.values(samples, [])
        while book.recorder.full:
            time.sleep(0.001)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--mb", type=int, default=200)
    mb = parser.parse_args().mb
    with tempfile.TemporaryDirectory() as folder:
        some = Path(folder)
        with mock.patch.object(Hashed, "chunk", _no_hash):
            plain = recorded(some / "plain.ordolex", min(mb, 200), facts=False)
        chained = recorded(some / "chained.ordolex", min(mb, 200), facts=False)
        print(f"recording {min(mb, 200)} MB: {plain:.2f} s without the chain, {chained:.2f} s with it, ratio "
              f"{chained / plain:.3f} (aim 1.03)")  # fmt: skip
        path = some / "visit.ordolex"
        recorded(path, mb, facts=True)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        began = time.monotonic()
        names = hand_over(path, some / "ho", Choice())
        seconds = time.monotonic() - began
        after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        print(f"handover of {mb} MB: {seconds:.1f} s, {len(names)} files, {after / 1024:.0f} MB of memory at the most "
              f"({before / 1024:.0f} before it)")  # fmt: skip
        began = time.monotonic()
        files = [str(file) for file in (some / "ho").rglob("*") if file.is_file()]
        subprocess.run(["sha256sum", *files], check=True, stdout=subprocess.DEVNULL)
        plain = time.monotonic() - began
        began = time.monotonic()
        assert verify_handover(some / "ho").good
        ours = time.monotonic() - began
        print(
            f"verify of the handover: {ours:.2f} s, sha256sum {plain:.2f} s, {plain / ours:.2f} of its speed (aim 0.5)"
        )
        began = time.monotonic()
        subprocess.run(["sha256sum", str(path)], check=True, stdout=subprocess.DEVNULL)
        plain = time.monotonic() - began
        began = time.monotonic()
        assert verify_book(path).good
        ours = time.monotonic() - began
        print(f"verify of the book: {ours:.2f} s, sha256sum {plain:.2f} s, {plain / ours:.2f} of its speed (aim 0.5)")


def _no_hash(self: Hashed, row: tuple[object, ...]) -> None:
    self.chunk_to = row[0]  # type: ignore[assignment]


if __name__ == "__main__":
    main()
