"""A record that goes on from book to book holds every byte, in order."""

from pathlib import Path

import pytest

from ordolex.core.record.items import LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.volumes import Limit, Volumes, read_limit
from ordolex.io.system.faults import Fault


def test_every_byte_is_in_one_of_the_books(tmp_path: Path) -> None:
    first = Book(tmp_path / "pond.ordolex", "site")
    first.add_link(LinkRecord(0, "other", "x"))
    link = first.add_link(LinkRecord(0, "pump", "y", sheet="text-instrument"))
    (tmp_path / "pond.2.ordolex").write_bytes(b"not ours")
    told: list[Path] = []
    volumes = Volumes(first, link, Limit(count=1000), told.append)
    sent = [b"row %04d\r\n" % number for number in range(400)]
    for number, data in enumerate(sent):
        volumes.record(link.id, "rx", data, None, 100.0 + number)
    volumes.close()
    first.close()
    assert told == volumes.books[1:] and len(volumes.books) == 4 and told[0].name == "pond.3.ordolex"
    heard = b""
    for path in volumes.books:
        reader = BookReader(path)
        heard += b"".join(chunk.data for chunk in reader.chunks())
        assert reader.links()[-1].sheet == "text-instrument" and reader.site() == "site"
        reader.close()
    assert heard == b"".join(sent)


def test_limits_are_read() -> None:
    assert read_limit("500MB").count == 500_000_000 and read_limit("24 h").seconds == 86_400
    for text in ("0MB", "5", "many", "3 weeks"):
        with pytest.raises(Fault, match="no size or time"):
            read_limit(text)
