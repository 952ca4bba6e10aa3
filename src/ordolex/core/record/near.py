"""Of the bytes of a chunk only the lines that hold what is looked for, and those at its ends: the rest of a large chunk
need not become rows."""

from __future__ import annotations

_SMALL = 2048  # not worth the trouble


def lines_near(data: bytes, wanted: bytes, *, fold: bool) -> bytes:
    """The first line of `data`, each line that holds any of `wanted`, and what is behind the last line end; in between,
    whole lines are left out. `fold`: capital and small ASCII letters are the same."""
    first, last = data.find(b"\n") + 1, data.rfind(b"\n") + 1
    if len(data) <= _SMALL or not 0 < first < last:
        return data
    looked_at = data.lower() if fold else data
    wanted = wanted.lower() if fold else wanted
    out, done = [data[:first]], first
    at = looked_at.find(wanted)
    while 0 <= at < last:
        begin, end = data.rfind(b"\n", 0, at) + 1, data.find(b"\n", at + len(wanted) - 1) + 1 or len(data)
        if end > done:
            out.append(data[max(begin, done) : end])
            done = end
        at = looked_at.find(wanted, max(at + 1, done - len(wanted) + 1))
    out.append(data[max(last, done) :])
    return b"".join(out)
