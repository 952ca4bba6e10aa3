"""The search over a book finds what stands across chunks, on any link, and reads whole lines."""

import random
from pathlib import Path
from types import SimpleNamespace

import pytest

from ordolex.core.link.judge import LineErrors
from ordolex.core.protocols.modbus.frames import Rtu
from ordolex.core.record.export import rows_of
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.record.sieve import Sieve, since_midnight
from ordolex.core.talk.conversation import Direction
from ordolex.core.text.charsets import CHARSETS
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.room import RoomWatch
from ordolex.io.book.search import rows_with
from ordolex.io.book.secret_search import disguises, search


@pytest.fixture
def book(tmp_path: Path) -> Path:
    path = tmp_path / "b.ordolex"
    made = Book(path, "site")
    one, two = (made.add_link(LinkRecord(0, name, "x")).id for name in ("pump house", "intake"))
    at = 100.0
    for link, way, data in (
        (one, "rx", b"first line\r\nhop"), (two, "rx", b"other\r\nHop"), (one, "rx", b"per low\r\nlast"),
        (two, "rx", b"per l"), (one, "tx", b"ask hopper?\r"), (two, "rx", b"ow, feeder 4\r\n"),
        (one, "rx", b" line\r\n"),
    ):  # fmt: skip
        at += 0.05
        made.recorder.record(link, way, data, None, at)
    made.recorder.note(Event(one, 105_500_000, 105_500_000, "note", "hopper filled by hand"))
    made.recorder.note(Event(one, 107_000_000, 107_000_000, "rung", "Held → Heard", {"to": "Heard"}))
    made.close()
    return path


@pytest.mark.parametrize(
    ("sieve", "shown"),
    [
        (Sieve("hopper low"), {"hopper low↵↓", "Hopper low, feeder 4↵↓"}),
        (Sieve("HOPPER"), {"hopper low↵↓", "Hopper low, feeder 4↵↓", "ask hopper?↵", "hopper filled by hand"}),
        (Sieve("hopper", link=2), {"Hopper low, feeder 4↵↓"}),
        (Sieve("hopper", direction=Direction.SENT), {"ask hopper?↵"}),
        (Sieve("hex:6c 6f 77 0d"), {"hopper low↵↓"}),
        (Sieve("re:^last"), {"last", "last line↵↓"}),
        (Sieve("rung:"), {"rung Held → Heard"}),
        (Sieve("nothing of that"), set()),
    ],
)
def test_rows_are_found_across_chunks(book: Path, sieve: Sieve, shown: set[str]) -> None:
    reader = BookReader(book)
    found = {row.shown for _, row in rows_with(reader, sieve)}
    assert found == shown or (shown == {"last", "last line↵↓"} and found <= shown and found)
    reader.close()


def test_rows_of_a_time(book: Path) -> None:
    reader = BookReader(book)
    rows = list(rows_with(reader, Sieve()))
    day, time = since_midnight(sorted(row.at_us for _, row in rows)[5])
    clock = f"{time.seconds // 3600}:{time.seconds // 60 % 60:02}:{time.seconds % 60:02}.{time.microseconds // 1000:03}"
    some = list(rows_with(reader, Sieve(f"at:{day} 0:00..{clock}")))
    assert 0 < len(some) < len(rows)
    for text in ("at:25:00..26:00", "at:10:00", "hex:0", "re:("):
        with pytest.raises(ValueError, match=r"time|wants|read"):
            Sieve(text)
    reader.close()


@pytest.mark.parametrize("codec", sorted(CHARSETS.values()))
@pytest.mark.parametrize("given", ["typed again", "as it went out"])
def test_a_secret_is_found_in_whatever_character_set_it_went_out(tmp_path: Path, codec: str, given: str) -> None:
    """It was said that none stands in the book, where the device was told it as Latin-1."""
    word = "grün" if "ü" in "ü".encode(codec, "ignore").decode(codec) else "речная"
    bytes_of_it = f"{word}-Bachforelle".encode(codec)
    secret = bytes_of_it.decode("utf-8", "surrogateescape") if given == "as it went out" else f"{word}-Bachforelle"
    file = tmp_path / "log.txt"
    file.write_bytes(b"....." + bytes_of_it + b"...")
    assert [place.at for place in search([file], secret)] == [5]
    file.write_text(f"....{bytes_of_it.hex(' ')}")
    assert [place.at for place in search([file], secret)] == [4]
    file.write_bytes(f"grun-Bachforelle, {word}-Bachforell".encode(codec))
    assert not list(search([file], secret))


@pytest.mark.parametrize("disguise", sorted(disguises("trout-4711")))
def test_a_secret_is_found_in_every_disguise_also_across_pieces(tmp_path: Path, disguise: str) -> None:
    file = tmp_path / "f"
    for before in (0, (4 << 20) - 5):
        file.write_bytes(b"." * before + disguises("trout-4711")[disguise] + b"...")
        assert disguise in [place.disguise for place in search([file], "trout-4711") if place.at == before]
    file.write_bytes(b"trout 4711" * 9)
    assert list(search([file], "trout-4711")) == []


def test_the_room_left_and_how_long_it_lasts(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    now = [1000.0]
    monkeypatch.setattr("ordolex.io.book.room.mono_s", lambda: now[0])
    monkeypatch.setattr("ordolex.io.book.room.shutil.disk_usage", lambda path: SimpleNamespace(free=360_000))
    watch = RoomWatch(book)
    first = watch.look()
    assert first.book >= book.stat().st_size and first.left == 360_000 and first.hours is None
    now[0] += 100
    with book.open("ab") as file:
        file.write(bytes(1000))
    grown = watch.look()
    assert grown.book == first.book + 1000 and grown.hours == pytest.approx(10.0)


@pytest.mark.parametrize("seed", range(6))
def test_a_search_finds_what_reading_everything_finds(tmp_path: Path, seed: int) -> None:
    """In books cut at random, with large chunks of which only some lines are looked at."""
    chance, at = random.Random(seed), 1.0
    made = Book(tmp_path / "b.ordolex", "site")
    links = [made.add_link(LinkRecord(0, name, "x")).id for name in ("pump house", "intake")]
    words = [b"a", b"\n", b"\r\n", b"Ho", b"pper", b"hop", b" low", b" LOW", b"\xff", b"x" * 2100, b"a line\r\n" * 400]
    for _ in range(60):
        at += chance.choice((0.06, 0.1, 0.4))
        link = chance.choice(links)
        data = b"".join(chance.choices(words, k=chance.randrange(8)))
        if link == links[0] or seed % 2:  # of this link all is text, so that only what holds it is read
            data = data.replace(b"\xff", b"")
        errors = LineErrors(parity=1) if chance.random() < 0.1 else None
        made.recorder.record(link, chance.choice(("rx", "rx", "tx")), data, errors, at)
    made.close()
    reader = BookReader(tmp_path / "b.ordolex")
    everything = list(rows_of(reader.timeline()))
    for text in (
        "hopper low",
        "p",
        "hex:70706572",
        "hex:0d0a",
        "hex:ff",
        "re:hop+er",
        "re:hop.*low",
        "re:^ ?low",
        "parity",
    ):
        sieve = Sieve(text)
        wanted = [(link, row.at_us, row.data) for link, row in everything if sieve.passes(link, row)]
        assert sorted((link, row.at_us, row.data) for link, row in rows_with(reader, sieve)) == sorted(wanted), text
    reader.close()


@pytest.mark.parametrize("text", ["unit 9", "holding 0", "re:unit 9", "level"])
def test_words_and_signs_that_stand_for_bytes_are_found_as_they_are_shown(tmp_path: Path, text: str) -> None:
    made = Book(tmp_path / "b.ordolex", "site")
    bus, console = (made.add_link(LinkRecord(0, name, "x")).id for name in ("pump house", "intake"))
    for n in range(4):
        made.recorder.record(bus, "tx", Rtu().wrap(9, bytes.fromhex("0300000001")), None, 1.0 + n)
        made.recorder.record(bus, "rx", Rtu().wrap(9, bytes.fromhex("03020001")), None, 1.1 + n)
        made.recorder.record(console, "rx", b"\x1b[2Jlevel\r\n", None, 1.2 + n)
    made.close()
    reader = BookReader(tmp_path / "b.ordolex")
    everything = list(rows_of(reader.timeline()))
    sieve = Sieve(text)
    wanted = [(link, row.at_us) for link, row in everything if sieve.passes(link, row)]
    assert [(link, row.at_us) for link, row in rows_with(reader, sieve)] == wanted
    assert len(wanted) >= 4
    reader.close()


def test_a_jump_in_time_reads_a_handful_of_rows(tmp_path: Path) -> None:
    made = Book(tmp_path / "b.ordolex", "site")
    link = made.add_link(LinkRecord(0, "one", "x")).id
    for number in range(2000):
        made.recorder.record(link, "rx", b"line\r\n", LineErrors(framing=1), 1.0 + number / 10)
    made.close()
    reader = BookReader(tmp_path / "b.ordolex")
    first, last = reader.first_and_last_us() or (0, 0)
    steps = 0

    def count() -> int:
        nonlocal steps
        steps += 1
        return 0

    reader._file.connection.set_progress_handler(count, 100)  # called every hundred steps of SQLite's machine
    chunk = next(reader.chunks(span=((first + last) // 2, None)))
    assert abs(chunk.utc_us - (first + last) // 2) < 200_000
    assert steps < 30, "it does not read the table from its beginning"
    reader.close()
