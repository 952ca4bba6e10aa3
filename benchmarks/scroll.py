"""A million lines in Talk's scroll beside a thousand: adding, looking, searching, and the memory they take.

python benchmarks/scroll.py
"""

from __future__ import annotations

import time
import tracemalloc

from ordolex.core.talk.conversation import Direction, Row
from ordolex.core.talk.scroll import Scroll

LINE = b"%07d  raceway 3 oxygen 9.42 mg/L  temperature 8.6 C  ok\r\n"


def measure(count: int) -> tuple[float, float, float, float]:
    """Microseconds to add a row, to draw a window of 40 rows; ms of a search for what is not there; bytes a row."""
    rows = [Row(Direction.HEARD, n, LINE % n) for n in range(1000)]
    tracemalloc.start()
    scroll = Scroll(1_000_000)
    began = time.perf_counter()
    for start in range(0, count, 1000):
        scroll.extend(rows)
        del start
    added = (time.perf_counter() - began) / count * 1e6
    size = tracemalloc.get_traced_memory()[0] / count
    tracemalloc.stop()
    began = time.perf_counter()
    for at in range(0, len(scroll) - 40, max(1, len(scroll) // 200)):
        scroll[at : at + 40]
    looked = (time.perf_counter() - began) / 200 * 1e6
    began = time.perf_counter()
    assert scroll.last_with("nowhere", len(scroll)) is None
    return added, looked, (time.perf_counter() - began) * 1000, size


def main() -> None:
    for count in (1_000, 1_000_000):
        added, looked, sought, size = measure(count)
        print(f"{count:>9} rows: add {added:.1f} us, 40 rows {looked:.0f} us, search {sought:.1f} ms, {size:.0f} B/row")


if __name__ == "__main__":
    main()
