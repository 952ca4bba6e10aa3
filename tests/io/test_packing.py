"""What is packed is the record as it was: read, searched, verified, rescued and moved as if it were rows."""

from __future__ import annotations

import random
import re
import signal
import sqlite3
import subprocess
import sys
import threading
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.link.judge import LineErrors
from ordolex.core.record import chain as chain_core
from ordolex.core.record import packed as form
from ordolex.core.record.export import FORMS, export
from ordolex.core.record.grams import Sought, grams_of
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.record.packed import Heads, PackError, heads_of, unpacked
from ordolex.core.record.sieve import Sieve
from ordolex.io.book import packing
from ordolex.io.book.book import Book
from ordolex.io.book.joining import join
from ordolex.io.book.packing import pack_book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.rescue import rescue
from ordolex.io.book.search import rows_with
from ordolex.io.book.secret_search import search
from ordolex.io.book.turning import Keeping, Limit, Turner
from ordolex.io.book.verifying import verify_book
from ordolex.io.system.clock import mono_s, utc_us

WORDS = [
    b"feeder ",
    b"Hopper low",
    b"\r\n",
    b"oxygen 7.2 mg/l\r\n",
    b"\x00\xff\x1b[2J",
    "Rückpumpe é\r\n".encode(),
    b"a",
]


@pytest.fixture(autouse=True)
def _small(monkeypatch: pytest.MonkeyPatch) -> None:
    """Packs and pieces of a few rows, that are made when a test asks for them."""
    monkeypatch.setattr(packing, "PACK_ROWS", 23)
    monkeypatch.setattr(form, "_PIECE", 60)
    monkeypatch.setattr("ordolex.io.book.recorder._UPKEEP_S", 1e9)


def filled(path: Path, seed: int, rows: int = 200, links: int = 3) -> None:
    """Some words on some links, cut anywhere; line errors, pieces without bytes, events between."""
    rng = random.Random(seed)
    book = Book(path, "site")
    book.recorder._may_pack = False
    ids = [book.add_link(LinkRecord(0, f"link {n}", f"tcp://127.0.0.1:{n + 1}")).id for n in range(links)]
    waiting = dict.fromkeys(ids, b"")
    at = mono_s() - 10_000.0
    for number in range(rows):
        link, way = rng.choice(ids), "rx" if rng.random() < 0.8 else "tx"
        at += rng.choice((0.0, 0.02, 0.5, 30.0))
        text = waiting[link] + b"".join(rng.choices(WORDS, (4, 1, 2, 4, 0.2, 1, 2), k=3))
        cut = rng.randint(1, len(text)) if way == "rx" else 0
        waiting[link] = text[cut:] if way == "rx" else waiting[link]
        errors = LineErrors(rng.randint(0, 1), 0, rng.randint(0, 2), 0) if rng.random() < 0.05 else None
        data = b"" if errors is not None and errors.breaks else text[:cut] if way == "rx" else text
        book.recorder.record(link, way, data, errors, at)
        if rng.random() < 0.5:
            book.recorder.note(Event(link, utc_us(at), round(at * 1e6), "note", f"note {number}"))
        if number % 20 == 19:  # a segment may end here
            book.recorder.call(lambda connection: None).result(20)
    book.close()


def everything(path: Path, needles: list[bytes]) -> dict[str, Any]:
    """All that a reader can be asked."""
    reader = BookReader(path)
    try:
        return _everything(reader, path, needles)
    finally:
        reader.close()


def _everything(reader: BookReader, path: Path, needles: list[bytes]) -> dict[str, Any]:
    first, last = reader.first_and_last_us() or (0, 0)
    links = {link.id: link.name for link in reader.links()}
    moments = [None, first - 1, first, (first + last) // 2, (first + 3 * last) // 4, last, last + 1]
    out: dict[str, Any] = {"ends": (first, last), "totals": reader.totals(), "newest": reader.newest_ids()}
    for link in (None, *links):
        out[f"latest {link}"] = [reader.latest(count, link, at) for count in (1, 30) for at in moments]
        for way in (None, "rx", "tx"):
            out[f"chunks {link} {way}"] = list(reader.chunks(link, way))
            for needle in needles:
                for fold in (False, True):
                    ids = sorted(reader.found.find(needle, link, way, fold=fold))
                    out[f"find {needle!r} {link} {way} {fold}"] = ids
    for since in moments:
        for before in moments:
            span = since, before
            out[f"span {span}"] = (reader.sizes(span), list(reader.timeline(None, None, span)))
    for formed in FORMS:
        out[formed] = b"".join(export(formed, reader.timeline(), links))
    for text in ("hopper low", "re:oxy.*mg", "re:Hopp.r", "hex:0d 0a", "feeder"):
        out[text] = sorted((link, row.at_us, row.shown) for link, row in rows_with(reader, Sieve(text)))
    verified = verify_book(path)
    return out | {"verified": (verified.words, verified.last, verified.good)}


@pytest.mark.parametrize("seed", range(5))
def test_a_packed_book_says_all_that_it_said_before(tmp_path: Path, seed: int) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, seed)
    rng = random.Random(seed)
    with sqlite3.connect(path) as plain:
        parts = [
            row[0] for row in plain.execute("SELECT data FROM chunk WHERE link = 1 AND direction = 'rx' ORDER BY id")
        ]
    heard = b"".join(parts)
    needles = [b"a", b"lo", b"Hopper low", b"nothing of that"]
    for length in (2, 3, 7, 20, 33, 34, 60, 150):  # also across pieces and packs
        at = rng.randrange(max(1, len(heard) - length))
        needles.append(heard[at : at + length])
    before = everything(path, needles)
    done = pack_book(path)
    with sqlite3.connect(path) as packed:
        (left,) = packed.execute("SELECT count(*) FROM chunk").fetchone()
        (packs,) = packed.execute("SELECT count(*) FROM pack").fetchone()
    assert left == 1 and packs > 5 and done.rows == before["totals"][0] - 1
    after = everything(path, needles)
    assert {name: after[name] for name in before if after[name] != before[name]} == {}
    assert pack_book(path).rows == 0


def test_twenty_lines_that_know_nothing_of_us_read_a_packed_book(tmp_path: Path) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, 1)
    reader = BookReader(path)
    wanted = [f"{c.utc_us} {c.link} {c.direction} {c.data.hex()}" for c in reader.chunks()]
    reader.close()
    pack_book(path)
    text = (Path(__file__).parents[2] / "docs" / "book.md").read_text()
    (program,) = re.findall(r"```python\n(.*?)```", text, re.S)
    done = subprocess.run([sys.executable, "-I", "-c", program, path], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines() == wanted


def test_a_book_is_packed_while_it_is_recorded_and_no_reader_misses_or_doubles_a_row(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ordolex.io.book.recorder._UPKEEP_S", 0.0)
    monkeypatch.setattr("ordolex.io.book.recorder._PACK_LATER_S", 0.0)
    monkeypatch.setattr(chain_core, "SEAL_ROWS", 40)
    path = tmp_path / "b.ordolex"
    book = Book(path, "site")
    link = book.add_link(LinkRecord(0, "pump", "y")).id
    seen: list[str] = []
    over = threading.Event()

    def read(*, backwards: bool) -> None:
        reader = BookReader(path)
        while not over.is_set():
            ids = [row[0] for row in reader._packs.rows(backwards=backwards)]
            count = len(ids)
            if sorted(ids, reverse=backwards) != ids or set(ids) != set(range(1, count + 1)):
                seen.append(f"{ids[:5]} … {ids[-5:]}, {count}")
            found = list(reader.found.find(b"row "))
            if found != list(range(1, len(found) + 1)) or len(found) < count:
                seen.append(f"found {len(found)} of {count}")
        reader.close()

    threads = [threading.Thread(target=read, kwargs={"backwards": back}) for back in (False, True)]
    for thread in threads:
        thread.start()
    for number in range(3000):
        book.recorder.note(Event(link, utc_us(), number, "note", ""))
        book.recorder.record(link, "rx", b"row %04d\r\n" % number, None, mono_s())
        if number % 100 == 0:
            book.recorder.call(lambda connection: None).result(20)
    over.set()
    for thread in threads:
        thread.join(60)
    (packed,) = book.recorder.call(lambda c: c.execute("SELECT sum(rows) FROM pack").fetchone()).result(20)
    book.close()
    assert seen == [] and packed > 500
    assert verify_book(path).good


_KILLED = """
import sys
from pathlib import Path
from ordolex.core.record import packed
from ordolex.io.book import packing
packing.PACK_ROWS, packed._PIECE = 5, 60
print("ready", flush=True)
packing.pack_book(Path(sys.argv[1]), lambda done, of: print(done, flush=True))
"""


def test_who_is_killed_while_packing_leaves_every_row_once(tmp_path: Path) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, 5, rows=400)
    before = everything(path, [b"Hopper low"])
    for steps in (1, 7, 20):
        packing_it = subprocess.Popen([sys.executable, "-c", _KILLED, path], stdout=subprocess.PIPE)
        assert packing_it.stdout is not None
        for _ in range(steps):
            packing_it.stdout.readline()
        packing_it.send_signal(signal.SIGKILL)
        packing_it.wait(20)
        packing_it.stdout.close()
        after = everything(path, [b"Hopper low"])
        assert {name: after[name] for name in before if after[name] != before[name]} == {}
    assert pack_book(path).rows > 0


def test_what_was_changed_in_a_pack_shows_and_the_rest_is_rescued(tmp_path: Path) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, 3)
    pack_book(path)
    good = BookReader(path)
    rows = {chunk.id: chunk for chunk in good.chunks()}
    good.close()
    with sqlite3.connect(path) as connection:
        piece, link, way = connection.execute(
            "SELECT id, link, direction FROM piece WHERE packed = 0 AND size > 20 ORDER BY id LIMIT 1"
        ).fetchone()
        connection.execute(
            "UPDATE piece SET data = CAST(x'00' || substr(data, 2) AS BLOB) WHERE id = ?",
            (piece,),
        )
    found = verify_book(path)
    assert not found.good and "changed" in found.words
    with sqlite3.connect(path) as connection:  # and one that cannot be unpacked at all
        connection.execute("UPDATE piece SET packed = 1, data = x'0011' WHERE id = ?", (piece,))
    found = verify_book(path)
    assert not found.good and "cannot be read" in " ".join(words for _, words in found.changed)
    done = rescue(path, tmp_path / "new.ordolex")
    reader = BookReader(tmp_path / "new.ordolex")
    saved = list(reader.chunks())
    reader.close()
    assert done.skipped == 1 and done.chunks == len(saved) and 0 < len(rows) - len(saved) < 20
    assert all(rows[chunk.id] == chunk for chunk in saved)
    assert {(c.link, c.direction) for c in rows.values() if c not in saved} == {(link, way)}


def test_a_pack_that_cannot_be_read_is_said_of_each_segment_that_it_is_in(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(chain_core, "SEAL_ROWS", 15)
    monkeypatch.setattr(packing, "PACK_ROWS", 60)
    path = tmp_path / "b.ordolex"
    filled(path, 6)
    pack_book(path)
    assert verify_book(path).good
    with sqlite3.connect(path) as connection:
        first, last = connection.execute("SELECT id, chunk_to FROM pack ORDER BY id LIMIT 1 OFFSET 1").fetchone()
        segments = connection.execute("SELECT id, chunk_to FROM segment ORDER BY id").fetchall()
        connection.execute("UPDATE piece SET packed = 1, data = x'0011' WHERE pack = ?", (first,))
    touched = [id_ for (_, before), (id_, upto) in pairwise(segments) if before < last and upto >= first]
    found = verify_book(path)
    assert len(touched) > 2 and [segment.id for segment, _ in found.changed] == touched
    assert all(f"rows {first} to {last} cannot be read" in words for _, words in found.changed)
    assert found.intact == len(segments) - 1 - len(touched)


def test_a_secret_is_found_in_what_is_packed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(form, "_PIECE", 10_000)
    path = tmp_path / "b.ordolex"
    book = Book(path, "site")
    link = book.add_link(LinkRecord(0, "pump", "y")).id
    for number in range(60):
        book.recorder.note(Event(link, utc_us(), number, "note", ""))
        data = b"row %04d and much the same again and again and again\r\n" % number
        book.recorder.record(link, "rx", b"login jackdaw" if number == 30 else data, None, mono_s())
    book.close()
    pack_book(path)
    places = list(search([path], "jackdaw"))
    assert [place.disguise for place in places] == [f"plain, packed, of link {link} rx"]


@pytest.mark.parametrize("keeping", [Keeping(Limit(count=1500), newest_s=0.0), Keeping(bytes_days=0.05, newest_s=0.0)])
def test_packs_leave_the_book_as_rows_do(tmp_path: Path, keeping: Keeping) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, 9)
    pack_book(path)
    reader = BookReader(path)
    before = [(chunk.id, chunk.data) for chunk in reader.chunks()]
    reader.close()
    book = Book(path)
    book.recorder._may_pack = False
    turner = Turner(path, keeping)
    while book.recorder.call(lambda c: turner.turn(c, utc_us())).result(20).more:
        pass
    book.close()
    after = []
    for part in (*turner.volumes, path):
        reader = BookReader(part)
        after += [(chunk.id, chunk.data) for chunk in reader.chunks()]
        reader.close()
    if keeping.bytes_days is None:
        assert turner.volumes and after == before
    else:
        assert not turner.volumes and after == before[-len(after) :] and len(after) < len(before) - 50
    assert not verify_book(path).changed


def test_packs_that_leave_while_they_are_read_are_no_damage(tmp_path: Path) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, 12)
    pack_book(path)
    reader = BookReader(path)
    (link,) = [link.id for link in reader.links()][:1]
    rows = reader._packs.rows(link=link, backwards=True)
    newest = [next(rows)[0] for _ in range(30)]
    book = Book(path)
    book.recorder._may_pack = False
    turner = Turner(path, Keeping(Limit(count=10), newest_s=0.0))
    while book.recorder.call(lambda c: turner.turn(c, utc_us())).result(20).more:
        pass
    book.close()
    rest = [row[0] for row in rows]
    assert sorted(newest + rest, reverse=True) == newest + rest and len(rest) < 30
    reader.close()


def test_packed_books_are_joined_as_others(tmp_path: Path) -> None:
    for name, seed in (("a", 21), ("b", 22)):
        filled(tmp_path / f"{name}.ordolex", seed)
    join(tmp_path / "a.ordolex", tmp_path / "b.ordolex", tmp_path / "plain.ordolex")
    for name in "ab":
        pack_book(tmp_path / f"{name}.ordolex")
    join(tmp_path / "a.ordolex", tmp_path / "b.ordolex", tmp_path / "packed.ordolex")
    found = []
    for name in ("plain", "packed"):
        reader = BookReader(tmp_path / f"{name}.ordolex")
        found.append(list(reader.chunks()))
        reader.close()
    assert found[0] == found[1] and len(found[0]) > 200


def test_a_row_that_no_recorder_wrote_stays_and_what_is_behind_it(tmp_path: Path) -> None:
    path = tmp_path / "b.ordolex"
    filled(path, 4)
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE chunk SET mono_us = 'x' WHERE id = 60")
    assert pack_book(path).rows in range(40, 60)
    with sqlite3.connect(path) as connection:
        assert connection.execute("SELECT min(id) FROM chunk").fetchone()[0] <= 60


@given(st.binary(min_size=3, max_size=400), st.data())
def test_the_runs_of_a_piece_never_deny_what_is_in_it(data: bytes, some: st.DataObject) -> None:
    whole = data * 40  # large enough for a field that is kept
    begin = some.draw(st.integers(0, len(data) - 1))
    wanted = whole[begin : begin + some.draw(st.integers(1, 60))]
    assert Sought(wanted).may_be_in(grams_of(whole)) and Sought(wanted.swapcase()).may_be_in(grams_of(whole))


def test_the_runs_of_a_piece_do_deny_what_is_not_in_it() -> None:
    rng = random.Random(3)
    text = b"".join(b"row %08d oxygen %.2f mg/l, feeder 2 running\r\n" % (n, rng.random() * 20) for n in range(2500))
    field = grams_of(text)
    assert 0 < len(field) < len(text) / 6
    denied = sum(
        not Sought(bytes(rng.choices(b"abcdefghijklmnopqrstuvwxyz ", k=10))).may_be_in(field) for _ in range(500)
    )
    assert denied > 490
    assert grams_of(rng.randbytes(100_000)) == b""


def rows() -> st.SearchStrategy[list[tuple[Any, ...]]]:
    number, small = st.integers(-(2**60), 2**60), st.integers(0, 300)
    way = st.sampled_from(["rx", "tx"])
    row = st.tuples(
        number, small, small, way, number, number, number, small, small, small, small, st.binary(max_size=9)
    )
    return st.lists(row, min_size=1, max_size=30)


@given(rows())
def test_numbers_are_unpacked_as_they_were(some: list[tuple[Any, ...]]) -> None:
    heads = Heads(heads_of(some), len(some))
    read = list(zip(*heads.columns(heads.places(None, None)), heads.begins, heads.sizes, strict=True))
    assert [row[:11] for row in read] == [row[:11] for row in some]
    streams: dict[tuple[int, str], bytes] = {}
    for row in some:
        streams[row[2], row[3]] = streams.get((row[2], row[3]), b"") + row[11]
    assert [streams[r[2], r[3]][r[11] : r[11] + r[12]] for r in read] == [row[11] for row in some]


@given(st.binary(max_size=60), st.integers(0, 1 << 40))
def test_whatever_stands_in_a_damaged_pack_is_refused_or_read_and_takes_no_memory(data: bytes, size: int) -> None:
    for read in (lambda: unpacked(size, 1, data), lambda: Heads(data, size)):
        with pytest.raises(PackError):
            read()
