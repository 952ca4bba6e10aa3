"""Two books of one site joined: the same devices are one link, each row is there once, what differs is said."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ordolex.core.record.items import Chunk, Event, LinkRecord
from ordolex.core.record.joining import paired
from ordolex.io.book.book import Book
from ordolex.io.book.joining import join
from ordolex.io.book.reader import BookReader
from ordolex.io.book.verifying import verify_book
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import BookFault, Fault
from tests.commands import run_text

SAYS = "Brookmade,OX-2,unit 2,1.14"


def made(path: Path, links: Iterable[LinkRecord], said: bytes) -> Path:
    book = Book(path, "Alder Brook Hatchery")
    for link in links:
        there = next((one for one in book.links() if one.endpoint == link.endpoint), None) or book.add_link(link)
        book.recorder.record(there.id, "rx", said + there.name.encode() + b"\r\n", None, mono_s())
        book.recorder.note(Event(there.id, utc_us(), 1, "note", f"{path.stem} at {there.name}", {}))
    book.close()
    return path


def all_rx(path: Path, link: int | None = None) -> bytes:
    reader = BookReader(path)
    try:
        return b"".join(i.data for i in reader.timeline(link) if isinstance(i, Chunk) and i.direction == "rx")
    finally:
        reader.close()


def test_two_books_become_one_and_what_they_say_differently_is_kept_beside(tmp_path: Path) -> None:
    a = made(tmp_path / "anna.ordolex", [
        LinkRecord(0, "raceway 2", "/dev/ttyUSB0", "19200 8N1", "sticker", sheet="oxygen-transmitter", identity=SAYS),
        LinkRecord(0, "bus", "rfc2217://192.0.2.9:4001", "19200 8E1", "sticker"),
        LinkRecord(0, "meter", "/dev/ttyUSB1", "300 7E1"),
    ], b"A ")  # fmt: skip
    b = made(tmp_path / "ben.ordolex", [
        LinkRecord(0, "oxygen two", "COM7", "9600 8N1", "typed", sheet="oxygen-transmitter", identity=SAYS),
        LinkRecord(0, "lift station", "rfc2217://192.0.2.9:4001", "", unit=7),
        LinkRecord(0, "meter", "/dev/ttyUSB1", "2400 7E1"),  # the same port of another computer, another device
    ], b"B ")  # fmt: skip
    before = a.read_bytes(), b.read_bytes()
    done = join(a, b, tmp_path / "both.ordolex")
    assert (a.read_bytes(), b.read_bytes()) == before, "the two are only read"
    assert [name for name, _ in done.same] == ["raceway 2", "bus"] and done.links == 4 and done.doubled == 0
    said = {(one.link, one.what): (one.first, one.second) for one in done.conflicts}
    assert said["raceway 2", "line"] == ("19200 8N1", "9600 8N1")
    reader = BookReader(tmp_path / "both.ordolex")
    links = {link.name: link for link in reader.links()}
    assert set(links) == {"raceway 2", "bus", "meter", "meter (ben)"}
    assert links["raceway 2"].line == "19200 8N1" and links["bus"].unit == 7, "what only the other knows is taken"
    assert all_rx(tmp_path / "both.ordolex", links["raceway 2"].id) == b"A raceway 2\r\nB oxygen two\r\n"
    facts = [event for event in reader.events(links["raceway 2"].id) if event.kind == "fact"]
    assert {event.detail["subject"]: event.detail["value"] for event in facts}["line settings"] == "9600 8N1"
    reader.close()
    held = verify_book(tmp_path / "both.ordolex")
    assert held.good and held.intact >= 1 and not held.earlier and not held.behind
    told = run_text("facts", str(tmp_path / "both.ordolex"), "--link", "raceway 2", "--json")
    assert any("line settings" in line for line in json.loads(told.stdout)["contradictions"])
    Book(tmp_path / "both.ordolex").close()  # it is a book like any other


def test_a_book_that_began_as_a_copy_gives_what_it_has_more_and_nothing_twice(tmp_path: Path) -> None:
    link = LinkRecord(0, "drive", "/dev/ttyUSB0", "19200 8E1")
    a = made(tmp_path / "a.ordolex", [link], b"common ")
    b = tmp_path / "b.ordolex"
    shutil.copyfile(a, b)
    made(a, [link], b"only a ")
    made(b, [link], b"only b ")
    done = join(a, b, tmp_path / "both.ordolex")
    assert done.links == 1 and done.doubled >= 2
    assert all_rx(tmp_path / "both.ordolex") == b"common drive\r\nonly a drive\r\nonly b drive\r\n"
    again = join(tmp_path / "both.ordolex", a, tmp_path / "again.ordolex")
    assert all_rx(tmp_path / "again.ordolex") == all_rx(tmp_path / "both.ordolex") and again.links == 1


def test_what_is_there_is_not_written_over_and_what_is_no_book_changes_nothing(tmp_path: Path) -> None:
    a = made(tmp_path / "a.ordolex", [LinkRecord(0, "drive", "/dev/x")], b"")
    (tmp_path / "no.ordolex").write_bytes(b"no book at all" * 100)
    with pytest.raises(BookFault, match="is no book"):
        join(a, tmp_path / "no.ordolex", tmp_path / "both.ordolex")
    with pytest.raises(Fault, match="one book twice"):
        join(a, a, tmp_path / "both.ordolex")
    with pytest.raises(Fault, match="is there already"):
        join(a, tmp_path / "no.ordolex", a)
    assert sorted(path.name for path in tmp_path.iterdir() if "both" in path.name) == []


LINKS = st.builds(
    LinkRecord, st.integers(1, 9), st.sampled_from("ab"),
    st.sampled_from(["/dev/ttyUSB0", "tcp://192.0.2.1:9", "tcp://192.0.2.2:9", "tcp://127.0.0.1:9"]),
    identity=st.sampled_from(["", "X,1", "X,2"]),
)  # fmt: skip


@given(st.lists(LINKS, max_size=5), st.lists(LINKS, max_size=5))
def test_no_link_is_taken_for_two_and_none_against_what_it_says(
    first: list[LinkRecord], second: list[LinkRecord]
) -> None:
    pairs = paired(first, second)
    assert [pair.link for pair in pairs] == second
    same = [id(pair.same_as) for pair in pairs if pair.same_as is not None]
    assert len(same) == len(set(same))
    for pair in pairs:
        if pair.same_as is not None:
            said = {pair.link.identity, pair.same_as.identity} - {""}
            assert (len(said) <= 1 and not pair.link.endpoint.startswith("/dev")) or pair.link.identity
