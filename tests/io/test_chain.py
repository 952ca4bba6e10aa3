"""The chain over a record: what was kept stays as it was, and what was changed afterwards shows."""

from __future__ import annotations

import sqlite3
import threading
from collections import deque
from pathlib import Path

import pytest
from typer.testing import CliRunner

from ordolex.cli.main import application
from ordolex.core.record.items import Event, LinkRecord
from ordolex.io.book import chain, schema
from ordolex.io.book.book import Book
from ordolex.io.book.entries import Entry
from ordolex.io.book.turning import Keeping, Limit, Turner
from ordolex.io.book.verifying import Verified, verify_book
from ordolex.io.system.clock import mono_s


@pytest.fixture(autouse=True)
def _segments_end_with_a_visit_or_by_size(monkeypatch: pytest.MonkeyPatch) -> None:
    """Not because a busy computer, or its disk, took ten seconds for a visit."""
    monkeypatch.setattr("ordolex.io.book.recorder.SEAL_S", 1e9)


def a_book(path: Path, visits: int = 2, rows: int = 30) -> Path:
    """Some visits with bytes and events, each of which ends a segment."""
    for visit in range(visits):
        book = Book(path, "Alder Brook Hatchery")
        link = next(iter(book.links()), None) or book.add_link(LinkRecord(0, "raceway", "/dev/made-up"))
        for number in range(rows):
            book.recorder.record(
                link.id, "rx" if number % 2 else "tx", b"row %d of %d\r\n" % (number, visit), None, mono_s()
            )
            book.recorder.note(Event(link.id, 5 + number, 7, "note", f"é {number}\x1f{visit}", {"n": number}))
        book.close()
    return path


def change(path: Path, sql: str, *values: object) -> Verified:
    with sqlite3.connect(path) as connection:
        assert connection.execute(sql, values).rowcount == 1
    connection.close()
    return verify_book(path)


def test_what_was_recorded_is_intact_through_visits(tmp_path: Path) -> None:
    found = verify_book(a_book(tmp_path / "a.ordolex", 3))
    assert found.good and found.intact == 3 and not found.behind and not found.earlier and len(found.last) == 64


@pytest.mark.parametrize(
    ("sql", "words"),
    [
        ("UPDATE chunk SET data = X'726F772031206F6620310D0B' WHERE id = 32", "something in it was changed"),
        ("UPDATE event SET text = 'nothing' WHERE id = 40", "something in it was changed"),
        ("UPDATE chunk SET utc_us = utc_us + 1 WHERE id = 40", "something in it was changed"),
        ("UPDATE chunk SET direction = 'tx' WHERE id = 42", "something in it was changed"),
        ("DELETE FROM chunk WHERE id = 45", "1 row of bytes missing"),
        ("DELETE FROM event WHERE id = 60", "1 row of events missing"),
        ("UPDATE segment SET sha256 = upper(sha256) WHERE id = 2", "something in it was changed"),
    ],
)
def test_one_change_shows_in_its_segment_and_in_no_other(tmp_path: Path, sql: str, words: str) -> None:
    found = change(a_book(tmp_path / "a.ordolex"), sql)
    assert [(segment.id, said) for segment, said in found.changed] == [(2, words)] and found.intact == 1


def test_a_dropped_segment_shows(tmp_path: Path) -> None:
    found = change(a_book(tmp_path / "a.ordolex", 3), "DELETE FROM segment WHERE id = 2")
    assert not found.good and "1 segments before it are missing" in found.changed[0][1]


def test_rows_behind_the_last_segment_are_vouched_for_by_nothing_and_sealed_at_the_next_opening(tmp_path: Path) -> None:
    path = a_book(tmp_path / "a.ordolex")
    killed = change(path, "DELETE FROM segment WHERE id = 2")  # as after a kill: the last rows are in no segment
    assert not killed.good and killed.behind == 60 and "nothing vouches for" in killed.words
    a_book(path, 1, rows=1)
    again = verify_book(path)
    assert again.good and not again.behind and again.intact == 2


def test_a_segment_ends_after_its_time_while_the_book_is_open(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ordolex.io.book.recorder.SEAL_S", 0.0)
    path = tmp_path / "a.ordolex"
    book = Book(path, "Alder Brook Hatchery")
    link = book.add_link(LinkRecord(0, "raceway", "/dev/made-up"))
    for number in range(3):
        before = verify_book(path).intact
        book.recorder.record(link.id, "rx", b"row %d\r\n" % number, None, mono_s())
        while verify_book(path).intact == before or verify_book(path).behind:
            pass
    book.close()
    assert verify_book(path).good and verify_book(path).intact >= 3


def test_a_visit_that_ends_while_its_rows_are_being_written_is_one_segment(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    book = Book(tmp_path / "a.ordolex", "Alder Brook Hatchery")
    link = book.add_link(LinkRecord(0, "raceway", "/dev/made-up"))
    writes, is_written, goes_on = book.recorder._write_all, threading.Event(), threading.Event()

    def held(connection: sqlite3.Connection, items: deque[Entry]) -> None:
        writes(connection, items)
        is_written.set()
        goes_on.wait(10)

    monkeypatch.setattr(book.recorder, "_write_all", held)
    book.recorder.record(link.id, "rx", b"7.31 mg/l\r\n", None, mono_s())
    assert is_written.wait(10)
    book.recorder.record(link.id, "rx", b"7.32 mg/l\r\n", None, mono_s())
    closes = threading.Thread(target=book.close)
    closes.start()
    while not book.recorder._stopping:
        pass
    goes_on.set()
    closes.join(20)
    found = verify_book(tmp_path / "a.ordolex")
    assert found.good and found.intact == 1 and not found.behind


def test_segments_end_by_size_too_and_a_write_that_failed_is_in_none(tmp_path: Path) -> None:
    path = tmp_path / "a.ordolex"
    book = Book(path, "Alder Brook Hatchery")
    link = book.add_link(LinkRecord(0, "raceway", "/dev/made-up"))
    book.recorder.call(lambda connection: None).result(10)
    book.recorder.page_limit = 1  # a full disk
    book.recorder.record(link.id, "rx", b"kept in memory " * 20_000, None, mono_s())
    while book.recorder.status.keeping:
        pass
    book.recorder.page_limit = 1 << 30
    for _ in range(3):
        book.recorder.record(link.id, "rx", bytes(5 << 20), None, mono_s())
        book.recorder.note(Event(link.id, 1, 1, "note", "between"))
    book.close()
    found = verify_book(path)
    assert not found.changed and found.intact >= 1 and not found.behind, found.words


def test_bytes_that_went_into_a_volume_are_no_change(tmp_path: Path) -> None:
    path = a_book(tmp_path / "a.ordolex", 3)
    with sqlite3.connect(path) as connection:
        turner = Turner(path, Keeping(Limit(count=1), newest_s=0.0))
        while turner.turn(connection, 1 << 52).more:
            connection.commit()
    connection.close()
    found = verify_book(path)
    assert not found.good and not found.changed and found.left == 3 and "left the book" in found.words
    assert not change(path, "UPDATE event SET kind = 'mark' WHERE id = 3").changed, "a segment that left is not checked"


def test_an_older_book_gets_its_chain_from_the_next_visit_on(tmp_path: Path) -> None:
    path = a_book(tmp_path / "a.ordolex", 1)
    with sqlite3.connect(path) as connection:
        connection.executescript("DROP TABLE segment; DROP TABLE gone; DROP TABLE state; PRAGMA user_version = 6")
    connection.close()
    before = verify_book(path)
    assert before.earlier and not before.intact and "before there was a chain" in before.words
    a_book(path, 1)
    found = verify_book(path)
    assert not found.changed and not found.otherwise and found.earlier and found.intact == 1
    assert not found.good, "what is not checked is not good"
    assert schema.VERSION >= 7 and chain.BEFORE == ""


FORGERIES = {
    "a link's name": ("UPDATE link SET name = 'pump'", "links"),
    "where a link leads": ("UPDATE link SET endpoint = '/dev/other'", "links"),
    "its line settings": ("UPDATE link SET line = '9600 8E1'", "links"),
    "when a visit ended": ("UPDATE visit SET ended_utc_us = ended_utc_us + 60000000 WHERE id = 1", "visits"),
    "by what it was kept": ("UPDATE visit SET program = 'other' WHERE id = 2", "visits"),
    "the site": ("UPDATE site SET name = 'Elsewhere'", "site"),
    "that bytes left": ("INSERT INTO gone VALUES (60, 5, 'nowhere')", "left"),
    "rows before the chain": ("UPDATE segment SET chunk_to = 10 WHERE id = 0", "begins"),
    "a link that was none": ("INSERT INTO link (name, endpoint, created_utc_us) VALUES ('x', 'y', 5)", "links"),
}


@pytest.mark.parametrize("what", FORGERIES)
def test_what_the_report_shows_besides_rows_is_under_the_chain(tmp_path: Path, what: str) -> None:
    sql, words = FORGERIES[what]
    found = change(a_book(tmp_path / "a.ordolex"), sql)
    assert not found.good and words in found.words


def test_the_state_itself_cannot_be_rewritten_or_dropped(tmp_path: Path) -> None:
    path = a_book(tmp_path / "a.ordolex")
    found = change(path, "UPDATE state SET text = replace(text, 'raceway', 'race-way') WHERE segment = 2")
    assert [segment.id for segment, _ in found.changed] == [2]
    found = change(path, "DELETE FROM state WHERE segment = 2")
    assert [segment.id for segment, _ in found.changed] == [2]


def test_an_end_that_was_taken_off_shows_beside_the_hash_that_was_printed(tmp_path: Path) -> None:
    path = a_book(tmp_path / "a.ordolex")
    printed = verify_book(path).last
    assert CliRunner().invoke(application(["verify"]), ["verify", str(path), "--expect", printed]).exit_code == 0
    with sqlite3.connect(path) as connection:
        for sql in ("segment WHERE id = 2", "state WHERE segment = 2", "chunk WHERE visit = 2", "event WHERE visit = 2",
                    "visit WHERE id = 2"):  # fmt: skip
            connection.execute(f"DELETE FROM {sql}")
    connection.close()
    assert verify_book(path).good, "nothing in the book itself can tell"
    result = CliRunner().invoke(application(["verify"]), ["verify", str(path), "--expect", printed])
    assert result.exit_code == 1 and "expected was" in result.output
