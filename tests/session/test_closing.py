"""What is open at the end of a visit, without an interface."""

from __future__ import annotations

from pathlib import Path

from ordolex.core.device.setting import Outcome, Reading, Written
from ordolex.core.record.items import Event, LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.system.clock import utc_us
from ordolex.session.closing import closing_points
from ordolex.session.session import Session


def test_what_would_be_lost_comes_first_and_an_address_is_taken_back_by_its_own_job(tmp_path: Path) -> None:
    book = Book(tmp_path / "b.ordolex", "Alder Brook Hatchery")
    link = book.add_link(LinkRecord(0, "drive", "/dev/made-up", "19200 8E1", sheet="variable-speed-drive", unit=3))
    session = Session(book, Hub(book.recorder))
    assert closing_points(session) == []
    table = session.devices.table_of(link)
    assert table is not None
    table.read([Reading("set-point", Outcome.READ, 35.0)], 1.0)
    table.written(Written("set-point", 35.0, 42.0, 42.0, "held"), 2.0)
    session.to_restore += ["position RUN of switch S1", "network address: ip address del 192.0.2.9/24 dev eth0"]
    points = closing_points(session)
    assert [(point.words, point.desk, point.job) for point in points] == [
        ("not stored: set-point", "Set", "set.last"),
        ("to put back: position RUN of switch S1", "", "position RUN of switch S1"),
        ("to take back, network address: ip address del 192.0.2.9/24 dev eth0", "Relay", "relay.undo"),
    ]
    table.stored()
    stored = closing_points(session)
    assert [point.words for point in stored if not point.loses] == [
        "stored, not checked after a power cycle: set-point"
    ]
    assert stored[-1].job == "set.verify" and stored[0].loses, "what is only to be known comes last"
    table.lasted([Reading("set-point", Outcome.READ, 42.0)], 3.0)
    assert all(point.loses for point in closing_points(session))
    book.close()


def test_what_the_record_has_unsettled_is_open_though_nobody_looked_at_it_in_this_run(tmp_path: Path) -> None:
    """Such as after a crash, or where the command line set it, at another unit than the link's."""
    book = Book(tmp_path / "b.ordolex")
    link = book.add_link(LinkRecord(0, "drive", "/dev/made-up", "19200 8E1", sheet="variable-speed-drive", unit=3))
    for unit, stored in ((3, False), (4, True), (7, False)):
        of = {"sheet": "variable-speed-drive", "unit": unit}
        detail = {"name": "set-point", "before": 35.0, "after": 42.0, "verdict": "held", **of}
        book.recorder.note(Event(link.id, utc_us(), 1, "set", "set", detail))
        if stored:
            book.recorder.note(Event(link.id, utc_us(), 1, "set", "stored", {"stored": True, **of}))
    book.close()
    book = Book(tmp_path / "b.ordolex")
    session = Session(book, Hub(book.recorder))
    said = [(point.words, point.loses) for point in closing_points(session)]
    assert said == [
        ("not stored: set-point (unit 3), as the record has it", True),
        ("not stored: set-point (unit 7), as the record has it", True),
    ]
    assert session.devices.table_of(link) is not None, "now it is worked on, and counts once"
    assert [point.words for point in closing_points(session)] == [
        "not stored: set-point", "not stored: set-point (unit 7), as the record has it",
    ]  # fmt: skip
    session.hub.stop()
    book.close()
