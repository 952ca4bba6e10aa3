"""A record over weeks: older bytes go into volumes beside the book, every byte in one of them, in order."""

from __future__ import annotations

import sqlite3
import threading
from dataclasses import replace
from pathlib import Path

import pytest

from ordolex.core.record.items import Event, LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.turning import Keeping, Limit, Turner, read_limit
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.session import keeping


def heard(*books: Path) -> list[bytes]:
    out = []
    for path in books:
        reader = BookReader(path)
        out += [chunk.data for chunk in reader.chunks()]
        reader.close()
    return out


def filled(book: Book, link: int, count: int) -> list[bytes]:
    sent = [b"row %04d\r\n" % number for number in range(count)]
    for number, data in enumerate(sent):
        book.recorder.note(Event(link, utc_us(), number, "note", ""))  # so that each piece stands alone
        book.recorder.record(link, "rx", data, None, mono_s() - 1.0)  # in the past, however young the computer's clock
    return sent


def test_every_byte_is_in_the_volumes_or_the_book_in_order_and_each_has_its_links(tmp_path: Path) -> None:
    book = Book(tmp_path / "pond.ordolex", "site")
    link = book.add_link(LinkRecord(0, "pump", "y", sheet="text-instrument")).id
    (tmp_path / "pond.1.ordolex").write_bytes(b"not ours")
    told: list[str] = []
    done = threading.Event()
    book.keep(
        "record", Keeping(Limit(count=1000), newest_s=0.0), lambda turned: (told.append(turned.volume), done.set())
    )
    sent = filled(book, link, 300)
    assert done.wait(20)
    sent += filled(book, link, 5)
    written(book)
    sent += filled(book, link, 200)  # numbers go on, though all before may have left
    book.close()
    volumes = book.volumes
    assert volumes and volumes[0].name == "pond.2.ordolex" and told[0] == "pond.2.ordolex"
    assert heard(*volumes, book.path) == sent
    reader = BookReader(volumes[0])
    assert reader.links()[-1].sheet == "text-instrument" and reader.site() == "site"
    reader.close()


def test_who_was_killed_between_the_two_steps_of_a_move_has_no_piece_twice(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.ordolex")
    link = book.add_link(LinkRecord(0, "pump", "y")).id
    sent = filled(book, link, 200)
    written(book)
    first = Turner(book.path, Keeping(Limit(count=500), newest_s=0.0))
    with pytest.raises(ZeroDivisionError):  # the volume is whole, and this book's own step is rolled back
        book.recorder.call(lambda c: first.turn(c, utc_us()).moved / 0).result(10)
    assert len(heard(tmp_path / "b.1.ordolex")) == 199 and len(heard(book.path)) == 200  # the newest always stays
    sent += filled(book, link, 60)
    written(book)
    again = Turner(book.path, Keeping(Limit(count=500), newest_s=0.0))
    while book.recorder.call(lambda c: again.turn(c, utc_us()).more).result(10):
        pass
    book.close()
    assert heard(tmp_path / "b.1.ordolex", *again.volumes, book.path) == sent


def test_what_a_site_wants_goes_on_at_the_next_start_and_can_be_taken_back(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.ordolex")
    keeping.rotate(book, "500MB")
    written(book)
    book.close()
    book = Book(tmp_path / "b.ordolex")
    assert keeping.rotation_of(book) == "500MB" and book.recorder.upkeep is None
    keeping.as_before(book)
    assert book.recorder.upkeep is not None
    keeping.rotate(book, "")
    assert book.recorder.upkeep is None
    with pytest.raises(Fault, match="no size or time"):
        keeping.rotate(book, "three weeks")
    book.close()


def written(book: Book) -> None:
    book.recorder.call(lambda c: c.execute("SELECT 1").fetchone()).result(10)


def test_a_full_disk_does_not_end_the_keeping(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.ordolex")
    link = book.add_link(LinkRecord(0, "pump", "y")).id
    tries: list[int] = []

    def fails(connection: sqlite3.Connection) -> bool:
        tries.append(1)
        raise OSError("no room for a volume")

    book.recorder.upkeep = fails
    sent = filled(book, link, 20)
    while len(tries) < 2:
        written(book)
    assert book.recorder.status.keeping
    book.close()
    assert heard(book.path) == sent


def test_limits_are_read() -> None:
    assert read_limit("500MB").count == 500_000_000 and read_limit("24 h").seconds == 86_400
    for text in ("0MB", "5", "many", "3 weeks"):
        with pytest.raises(Fault, match="no size or time"):
            read_limit(text)


def test_a_volume_of_a_book_that_was_renewed_has_its_links_as_they_are(tmp_path: Path) -> None:
    """What a later version added stands behind in such a book, and in its place in a new one."""
    path = tmp_path / "b.ordolex"
    book = Book(path)
    book.add_link(LinkRecord(0, "pump", "y", "9600 7E1", sheet="text-instrument", outputs="low"))
    book.close()
    with sqlite3.connect(path) as connection:
        connection.execute("ALTER TABLE link DROP COLUMN charset")
        connection.execute("PRAGMA user_version = 7")
    connection.close()
    book = Book(path)
    (link,) = book.links()
    book.keep_link(replace(link, charset="Latin-9"))
    filled(book, link.id, 20)
    written(book)
    turner = Turner(path, Keeping(Limit(count=50), newest_s=0.0))
    book.recorder.call(lambda c: turner.turn(c, utc_us())).result(10)
    book.close()
    reader = BookReader(turner.volumes[0])
    assert reader.links() == [replace(link, charset="Latin-9")] and reader.charsets() == {link.id: "Latin-9"}
    reader.close()
