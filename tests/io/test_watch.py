"""Rounds that run: against stand-ins behind real sockets, into a real book, and to a real broker."""

from __future__ import annotations

import asyncio
import json
import os
import random
import shutil
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import AsyncIterator, Iterator, Mapping
from contextlib import asynccontextmanager
from pathlib import Path

import pytest
from paho.mqtt.client import MQTTMessageInfo

from ordolex.bench.serve import Bench
from ordolex.core.line.notation import read_line
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.text.escapes import to_bytes
from ordolex.core.watch.imported import FORMS, forms_of
from ordolex.core.watch.resolve import resolved
from ordolex.core.watch.round import Round, RoundItem, RoundLink
from ordolex.core.watch.samples import Quality, Sample
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.book.rescue import rescue
from ordolex.io.book.turning import Keeping, Turner, read_limit
from ordolex.io.book.values import Item, Message
from ordolex.io.link.runner import LinkRunner, closed
from ordolex.io.own import sheets
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.io.watch import importing
from ordolex.io.watch.outside import Outside
from ordolex.io.watch.publish import Publisher, Subscriber, read_broker
from ordolex.io.watch.watch import Watch
from tests.broker import NEEDS_BROKER, Mosquitto
from tests.conftest import OXYGEN, TALKER, Notes, ServeBench, until

BUS: dict[str, object] = {"name": "bus", "kind": "bus", "line": "19200 8E1", "units": [3, 4, 7]}


class Values(Notes):
    """Keeps what a round gives."""

    def __init__(self) -> None:
        super().__init__()
        self.samples: list[Sample] = []

    def values(self, samples: list[Sample], messages: list[Message]) -> None:
        self.samples += samples


@asynccontextmanager
async def watching(
    links: Mapping[str, tuple[str, str, str]], items: list[dict[str, object]], kept: Values
) -> AsyncIterator[tuple[Watch, dict[str, LinkRunner]]]:
    """links: name → (endpoint, line, sheet)"""
    made = [RoundLink(name=n, endpoint=e, line=line, sheet=s) for n, (e, line, s) in links.items()]
    known = sheets.all_sheets()[0]
    round_ = resolved(Round(name="r", link=made, item=[RoundItem.model_validate(i) for i in items]), known)
    runners = {}
    for number, (name, (endpoint, line, _)) in enumerate(links.items(), 1):
        runners[name] = LinkRunner(number, endpoint, read_line(line).settings, kept)
        await runners[name].open()
    ids = {item.name: number for number, item in enumerate(round_.item, 1)}
    watch = Watch(round_, {n: (k, r) for k, (n, r) in enumerate(runners.items(), 1)}, known, ids, kept)
    watch.start()
    try:
        yield watch, runners
    finally:
        await watch.stop()
        await closed(*runners.values())


def item(name: str, link: str = "L", **more: object) -> dict[str, object]:
    return {"name": name, "link": link, "every_s": 0.1, **more}


def endpoint(bench: Bench, number: int = 0) -> str:
    return bench.notice().devices[number].endpoint


async def test_text_registers_and_what_a_device_says_itself_become_values(serve_bench: ServeBench) -> None:
    bench, kept = await serve_bench(OXYGEN, BUS, TALKER), Values()
    links = {
        "O": (endpoint(bench), "19200 8N1", "oxygen-transmitter"),
        "B": (endpoint(bench, 1), "19200 8E1", "variable-speed-drive"),
        "T": (endpoint(bench, 2), "4800 8N1", "temperature-string"),
    }
    items = [
        item("oxygen", "O", read="oxygen"), item("first number", "O", ask="MEAS:TEMP?\\n"),
        item("power", "B", read="power"), item("speed", "B", read="speed"), item("intake", "T", read="string/intake"),
        {"name": "sum", "derive": "sum", "of": ["oxygen", "first number"], "every_s": 0.1},
    ]  # fmt: skip
    async with watching(links, items, kept) as (watch, _):
        await until(lambda: all(state.count >= 2 for state in watch.states.values()))
        assert 8 < float(watch.states["oxygen"].newest or 0) < 11
        assert watch.states["power"].unit == "kW" and watch.states["oxygen"].unit == "mg/l"
        assert len(watch.works[1].source.polls) == 2  # of three items: neighbouring registers in one read
        newest = watch.states
        assert float(newest["sum"].newest or 0) == pytest.approx(
            float(newest["oxygen"].newest or 0) + float(newest["first number"].newest or 0), abs=0.2
        )
        assert {work.plan().known for work in watch.works[:2]} == {True}
    assert {sample.quality for sample in kept.samples} == {Quality.GOOD}


async def test_a_number_in_a_refusal_is_no_value() -> None:
    refuses = False

    async def device(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while asked := await reader.readline():
            no = b"ERROR 113\r\n" if refuses else b"9.5 C\r\n"
            writer.write(b"ERR 7\r\n" if asked.startswith(b"SYST:ERR") else no)
        writer.close()

    kept = Values()
    server = await asyncio.start_server(device, "127.0.0.1", 0)
    links = {"L": (f"tcp://127.0.0.1:{server.sockets[0].getsockname()[1]}", "9600 8N1", "")}
    items = [item("water", ask="T?\\n"), item("errors", ask="SYST:ERR?\\n")]
    async with server, watching(links, items, kept) as (watch, _):
        water, errors = watch.states["water"], watch.states["errors"]
        await until(lambda: water.count >= 2)
        refuses = True
        await until(lambda: water.missing >= 2)
        assert water.tried is Quality.REFUSED and "it said 'ERROR 113'" in water.words
        refuses, count = False, water.count
        await until(lambda: water.count > count and errors.count >= 2)  # of an error that was asked for it is one
    assert {(sample.item, sample.value) for sample in kept.samples if sample.quality is Quality.GOOD} == {
        (1, 9.5),
        (2, 7.0),
    }


async def test_a_unit_that_is_silent_is_told_and_is_back_and_the_others_do_not_wait(serve_bench: ServeBench) -> None:
    bench, kept = await serve_bench(OXYGEN, BUS), Values()
    links = {"B": (endpoint(bench, 1), "19200 8E1", "")}
    items = [item(f"unit {n}", "B", modbus={"at": "40001"}, unit_id=n, timeout_s=0.15) for n in (3, 9)]  # nobody has 9
    async with watching(links, items, kept) as (watch, _):
        await until(lambda: watch.states["unit 3"].count >= 25)
        there, gone = watch.states["unit 3"], watch.states["unit 9"]
        assert gone.tried is Quality.NO_ANSWER and 2 <= gone.missing < there.count / 2
        assert not there.guard.standing
        bench._benches[1].station.silent = True
        await until(lambda: there.missing >= 3)
        bench._benches[1].station.silent = False
        count = there.count
        await until(lambda: there.count > count + 5)
    assert any("answers again" in event.text for event in kept.events)


async def test_an_answer_that_comes_late_never_becomes_a_value_of_another_question(serve_bench: ServeBench) -> None:
    bench, kept = await serve_bench(OXYGEN), Values()
    station = bench._benches[0].station
    links = {"L": (endpoint(bench), "19200 8N1", "oxygen-transmitter")}
    items = [
        item("oxygen", read="oxygen", timeout_s=0.2, every_s=0.2),
        item("temperature", read="temperature", timeout_s=0.2, every_s=0.2),
        item("identity", ask="*IDN?\\n", timeout_s=0.2, every_s=0.2, value={"name": "v", "column": 4, "kind": "text"}),
    ]
    async with watching(links, items, kept) as (watch, _):
        await until(lambda: all(state.count for state in watch.states.values()))
        station.latency_s = 0.35  # every answer comes after its time-out
        asked = sum(turn.asked for turn in watch.works[0].schedule.turns)
        await until(lambda: sum(turn.asked for turn in watch.works[0].schedule.turns) > asked + 8)
        station.latency_s = 0.0
        await until(lambda: watch.states["oxygen"].tried is Quality.GOOD)
    by_item = {number: [s for s in kept.samples if s.item == number and s.value is not None] for number in (1, 2, 3)}
    assert all(8.5 < float(s.value or 0) < 10.5 for s in by_item[1])
    assert all(11 < float(s.value or 0) < 12 for s in by_item[2])
    assert {s.value for s in by_item[3]} == {"1.14"}


async def test_a_port_that_leaves_makes_a_gap_that_is_not_filled(serve_bench: ServeBench) -> None:
    bench, kept = await serve_bench(OXYGEN), Values()
    links = {"L": (endpoint(bench), "19200 8N1", "oxygen-transmitter")}
    async with watching(links, [item("oxygen", read="oxygen")], kept) as (watch, runners):
        state = watch.states["oxygen"]
        await until(lambda: state.count >= 3)
        await bench.obey("vanish oxygen")
        await until(lambda: not runners["L"].is_open and state.tried is Quality.NO_ANSWER)
        before, asked = len(kept.samples), watch.works[0].schedule.turns[0].asked
        assert kept.samples[-1].value is None
        await asyncio.sleep(0.3)
        assert len(kept.samples) == before and watch.works[0].schedule.turns[0].asked == asked
        await bench.obey("return oxygen")
        await until(lambda: state.tried is Quality.GOOD)


async def test_a_question_by_hand_goes_between_and_is_asked_once(serve_bench: ServeBench) -> None:
    from ordolex.core.link.question import Question

    bench, kept = await serve_bench(OXYGEN), Values()
    links = {"L": (endpoint(bench), "19200 8N1", "oxygen-transmitter")}
    items = [item(f"oxygen {n}", ask=f"MEAS:OXYG?{' ' * n}\\n", every_s=0.02) for n in range(4)]  # a full line
    async with watching(links, items, kept) as (watch, runners):
        await until(lambda: watch.states["oxygen 0"].count >= 3)
        asked = sum(turn.asked for turn in watch.works[0].schedule.turns)
        answer = await runners["L"].ask(Question(to_bytes("*IDN?\\n")))
        assert answer.data.startswith(b"Brookmade") and answer.data.count(b"Brookmade") == 1
        assert sum(turn.asked for turn in watch.works[0].schedule.turns) - asked <= 3


async def test_who_works_on_a_link_is_not_disturbed(serve_bench: ServeBench) -> None:
    bench, kept = await serve_bench(OXYGEN), Values()
    links = {"L": (endpoint(bench), "19200 8N1", "oxygen-transmitter")}
    async with watching(links, [item("oxygen", read="oxygen")], kept) as (watch, _):
        await until(lambda: watch.states["oxygen"].count >= 2)
        watch._is_free = lambda link: False
        await until(lambda: watch.works[0].away)
        asked = watch.works[0].schedule.turns[0].asked
        watch.pause(True)
        watch._is_free = lambda link: True
        watch.once()
        await until(lambda: watch.works[0].schedule.turns[0].asked == asked + 1)


# ---- in the book


@pytest.fixture
def book(tmp_path: Path) -> Iterator[Book]:
    book = Book(tmp_path / "b.ordolex")
    yield book
    book.close()


def made(book: Book, every_s: float = 1.0, name: str = "x") -> int:
    return book.items_for([Item(0, "r", name, 1, "C", "?", every_s)])[name]


def written(book: Book) -> None:
    """Once all that the recorder was given is in the file: a call may be done before what was given just before it."""
    deadline = time.monotonic() + 60
    while book.recorder._queue or book.recorder._overhead:
        assert time.monotonic() < deadline, book.recorder.status
        time.sleep(0.005)


def test_values_come_back_as_they_were_and_take_less_than_24_bytes_each(book: Book, tmp_path: Path) -> None:
    dice, number = random.Random(3), made(book)
    written(book)
    book.recorder.call(lambda c: c.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall())
    values: list[float | None] = [round(9 + dice.gauss(0, 1), 2) for _ in range(50_000)]
    values[7], values[8], values[9] = None, 1 / 3, 1e300
    start = 1_790_000_000_000_000
    samples = [
        Sample(number, start + n * 1_000_000, v, Quality.NO_ANSWER if v is None else Quality.GOOD)
        for n, v in enumerate(values)
    ]
    for at in range(0, len(samples), 1000):
        book.recorder.values(samples[at : at + 1000], [])
        written(book)
    assert [s.value for s in book.reader.values.between(number, start, start + 50_000_000_000)] == values
    size = tmp_path / "size.db"
    connection = sqlite3.connect(book.path)
    connection.execute(f"VACUUM INTO '{size}'")
    connection.execute("SELECT 1")
    empty = tmp_path / "empty.ordolex"
    Book(empty).close()
    assert (size.stat().st_size - empty.stat().st_size) / len(values) <= 24


def test_a_single_spike_is_never_lost_however_long_the_span(book: Book) -> None:
    dice, number = random.Random(4), made(book)
    start, count = 1_790_000_000_000_000 // 3_600_000_000 * 3_600_000_000, 60_000
    values = [round(dice.uniform(9, 10), 2) for _ in range(count)]
    spike, hole = 41_234, range(20_000, 20_400)
    values[spike] = 99.5
    samples = [
        Sample(
            number, start + n * 1_000_000, None if n in hole else v, Quality.NO_ANSWER if n in hole else Quality.GOOD
        )
        for n, v in enumerate(values)
    ]
    for at in range(0, count, 5000):
        book.recorder.values(samples[at : at + 5000], [])
    written(book)
    for last, width in (
        (start + count * 1_000_000, 80),
        (start + 400 * 86_400_000_000, 120),
        (start + 7_000_000_000, 90),
    ):
        columns = book.reader.values.columns(number, start, last, width)
        assert len(columns) <= width + 1
        inside = [n for n in range(count) if start + n * 1_000_000 <= last]
        assert max(c.high for c in columns if c.high is not None) == max(values[n] for n in inside if n not in hole)
        assert sum(c.count for c in columns) >= len(inside) - len(hole) - 60
        if spike in inside:
            assert sum(c.missing for c in columns) == len(hole)
    minutes = book.reader.values.summaries(number, start, start + count * 1_000_000, hours=False)
    whole = values[60:120]
    assert minutes[1].mean == pytest.approx(sum(whole) / 60) and (minutes[1].low, minutes[1].high) == (
        min(whole),
        max(whole),
    )
    hours = book.reader.values.summaries(number, start, start + count * 1_000_000, hours=True)
    assert sum(one.count for one in hours) == sum(one.count for one in minutes) == count - len(hole)


def test_values_wait_while_the_disk_is_full_and_are_kept_afterwards(book: Book) -> None:
    number = made(book)
    written(book)
    pages = sqlite3.connect(book.path).execute("PRAGMA page_count").fetchone()[0]
    book.recorder.page_limit = pages
    start = 1_790_000_000_000_000
    samples = [Sample(number, start + n * 1000, n + 0.25, Quality.GOOD) for n in range(20_000)]
    book.recorder.values(samples, [])
    deadline = time.monotonic() + 30
    while book.recorder.status.keeping and time.monotonic() < deadline:
        time.sleep(0.02)
    assert "full" in book.recorder.status.why
    book.recorder.page_limit = 1 << 30
    while not book.recorder.status.keeping and time.monotonic() < deadline:
        time.sleep(0.05)
    assert [s.value for s in book.reader.values.between(number, start, start + 10**9)] == [s.value for s in samples]


def test_a_book_of_an_earlier_version_gets_its_tables_and_one_that_is_only_read_says_that_it_has_none(
    tmp_path: Path,
) -> None:
    path = tmp_path / "old.ordolex"
    Book(path).close()
    connection = sqlite3.connect(path)
    for table in ("round", "item", "value", "minute", "hour", "outbox", "confirmed"):
        connection.execute(f"DROP TABLE {table}")
    connection.execute("PRAGMA user_version = 5")
    connection.commit()
    connection.close()
    reader = BookReader(path)
    assert reader.values.items() == [] and reader.values.rounds() == {}
    reader.close()
    book = Book(path)
    book.add_link(LinkRecord(0, "a", "/dev/x"))
    assert made(book) == 1 and book.reader.values.items()[0].name == "x"
    book.close()


def test_older_bytes_go_into_volumes_and_values_stay_as_long_as_they_are_to(book: Book) -> None:
    link, number = book.add_link(LinkRecord(0, "a", "/dev/x")), made(book)
    now = utc_us()
    for n in range(12_000):
        book.recorder.note(Event(link.id, now, n, "note", ""))  # so that each piece stands alone
        book.recorder.record(link.id, "rx", b"%08d" % n, None, mono_s() - 7200 + n / 10)
    days = [Sample(number, now - 86_400_000_000 * n, float(n), Quality.GOOD) for n in range(10)]
    book.recorder.values(days, [])
    written(book)
    turner = Turner(book.path, Keeping(read_limit("50KB"), None, 3.5))
    done = book.recorder.call(lambda c: turner.turn(c, now)).result(20)
    assert done.more and done.moved == 5000 and done.values == 6
    while (done := book.recorder.call(lambda c: turner.turn(c, now)).result(20)).more:
        pass
    rows = sqlite3.connect(book.path).execute("SELECT id, data FROM chunk ORDER BY id").fetchall()
    volume = book.path.with_name("b.1.ordolex")
    moved = sqlite3.connect(volume).execute("SELECT id, data FROM chunk ORDER BY id").fetchall()
    assert [data for _, data in moved + rows] == [b"%08d" % n for n in range(12_000)] and len(moved) > 6000
    reader = BookReader(volume)
    assert [one.name for one in reader.links()] == ["a"]
    reader.close()
    assert [s.value for s in book.reader.values.latest(number, 20)] == [3.0, 2.0, 1.0, 0.0]
    assert len(book.reader.values.summaries(number, now - 20 * 86_400_000_000, now, hours=True)) == 10
    book.recorder.record(link.id, "rx", b"old", None, mono_s() - 3600)
    written(book)
    dropping = Turner(book.path, Keeping(None, 0.01, None))
    assert book.recorder.call(lambda c: dropping.turn(c, now)).result(20).dropped == 1


# ---- a command of the operating system


async def test_a_command_gets_what_happened_in_its_environment_and_no_shell_reads_it(tmp_path: Path) -> None:
    said: list[str] = []
    script = "import os,pathlib; pathlib.Path(os.environ['WHERE']).write_text(os.environ['ORDOLEX_ITEM'])"
    os.environ["WHERE"] = str(tmp_path / "out")
    os.environ["ORDOLEX_MQTT_PASSWORD"] = "not for others"
    try:
        Outside([sys.executable, "-c", script], said.append).happened({"ITEM": "a; touch b $(c)", "EVENT": "low"})
        await until(lambda: (tmp_path / "out").exists() and (tmp_path / "out").read_text() != "")
        assert (tmp_path / "out").read_text() == "a; touch b $(c)"
        gone = "import os,sys; sys.exit('ORDOLEX_MQTT_PASSWORD' in os.environ and 7 or 3)"
        Outside([sys.executable, "-c", gone], said.append).happened({})
        await until(lambda: bool(said))
        assert said == [f"{sys.executable} ended with 3"]
        Outside(["/no/such/program"], said.append).happened({})
        await until(lambda: len(said) == 2)
        assert "could not be run" in said[1]
    finally:
        del os.environ["WHERE"], os.environ["ORDOLEX_MQTT_PASSWORD"]


# ---- a broker


@pytest.fixture
def broker(tmp_path: Path) -> Iterator[Mosquitto]:
    broker = Mosquitto(tmp_path)
    broker.start()
    yield broker
    broker.stop()


class Received:
    def __init__(self) -> None:
        self.all: list[tuple[str, dict[str, object]]] = []

    def __call__(self, topic: str, content: dict[str, object]) -> None:
        self.all.append((topic, content))

    def numbers(self) -> list[int]:
        """Of the messages that have an identifier, each once, in the order in which they came first."""
        ids = [str(content["id"]) for _, content in self.all if "id" in content]
        return [int(one.rpartition("-")[2]) for one in dict.fromkeys(ids)]


def publish(book: Book, first: int, count: int) -> None:
    messages = [Message("ordolex/s/value/L/x", json.dumps({"value": n}), True) for n in range(first, first + count)]
    for message in messages:
        book.recorder.values([], [message])
    written(book)


@NEEDS_BROKER
async def test_what_the_broker_did_not_confirm_is_sent_when_it_is_there_again_in_order(
    book: Book, broker: Mosquitto
) -> None:
    url, received = f"mqtt://127.0.0.1:{broker.port}", Received()
    listening = Subscriber(read_broker(url), received, "listener")
    listening.start()
    await until(lambda: not listening.trouble)
    publisher = Publisher(read_broker(url), "s", book)
    publisher.start()
    publish(book, 0, 50)
    await until(lambda: len(received.numbers()) == 50)
    assert any(topic == "ordolex/s/state" and content["state"] == "online" for topic, content in received.all)
    broker.stop()
    await until(lambda: "ended" in publisher.words or "reached" in publisher.words)
    publish(book, 50, 300)
    broker.start()
    await until(lambda: len(received.numbers()) == 350, 60)
    assert received.numbers() == list(range(1, 351))
    await until(lambda: sqlite3.connect(book.path).execute("SELECT count(*) FROM outbox").fetchone() == (0,))
    assert sqlite3.connect(book.path).execute("SELECT upto FROM confirmed").fetchone() == (350,)
    await asyncio.to_thread(publisher.stop)
    await until(lambda: received.all[-1][1].get("state") == "offline")
    listening.stop()


@NEEDS_BROKER
async def test_what_came_last_before_the_end_is_published_too(book: Book, broker: Mosquitto) -> None:
    """Nobody has looked for it in the book by then, and it may not be there yet."""
    for number in range(6):
        publisher = Publisher(read_broker(f"mqtt://127.0.0.1:{broker.port}"), "s", book)
        publisher.start()
        await until(lambda publisher=publisher: publisher.words.endswith("confirmed") and publisher._looks > 2)
        for n in range(5):
            book.recorder.values([], [Message("ordolex/s/value/L/x", json.dumps({"value": n}), True)])
        await asyncio.to_thread(publisher.stop)
        assert publisher.unsent == "" and publisher.waiting == 0, number
        upto = sqlite3.connect(book.path).execute("SELECT upto FROM confirmed").fetchone()
        assert upto == (5 * number + 5,)


def test_a_confirmation_of_something_else_never_counts_for_a_later_message(
    book: Book, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Numbers of packets are used again after 65,535 of them (MQTT 5, 2.2.1)."""
    publisher = Publisher(read_broker("mqtt://127.0.0.1:9"), "s", book)
    publish(book, 0, 1)
    info = MQTTMessageInfo(7)
    monkeypatch.setattr(publisher._client, "publish", lambda *what, **more: info)
    publisher._on_confirmed(publisher._client, None, 7, None, None)  # of the state, say, long ago
    publisher._connected.set()
    publisher._turn(book.reader)
    publisher._turn(book.reader)
    assert publisher._waiting == {1} and publisher._confirmed == 0
    publisher._on_confirmed(publisher._client, None, 7, None, None)
    publisher._turn(book.reader)
    assert publisher._waiting == set() and publisher._confirmed == 1


@NEEDS_BROKER
async def test_user_and_password_come_from_the_environment_and_a_wrong_one_is_told(
    book: Book, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    users = tmp_path / "users"
    users.touch()
    program = shutil.which("mosquitto_passwd") or "/usr/bin/mosquitto_passwd"
    subprocess.run([program, "-b", str(users), "keeper", "right"], check=True, timeout=20, stderr=subprocess.DEVNULL)
    users.chmod(0o644)
    broker = Mosquitto(tmp_path, f"password_file {users}", "allow_anonymous false")
    broker.start()
    monkeypatch.setenv("ORDOLEX_MQTT_USER", "keeper")
    monkeypatch.setenv("ORDOLEX_MQTT_PASSWORD", "wrong")
    url = read_broker(f"mqtt://127.0.0.1:{broker.port}")
    publisher = Publisher(url, "s", book)
    publisher.start()
    await until(lambda: "ORDOLEX_MQTT_PASSWORD" in publisher.words)
    publish(book, 0, 3)
    await until(lambda: "3 messages wait" in publisher.words)
    await asyncio.to_thread(publisher.stop)
    monkeypatch.setenv("ORDOLEX_MQTT_PASSWORD", "right")
    again = Publisher(url, "s", book)
    again.start()
    await until(lambda: "3 messages confirmed" in again.words)
    await asyncio.to_thread(again.stop)
    broker.stop()
    assert b"right" not in book.path.read_bytes() and b"wrong" not in book.path.read_bytes()


@pytest.mark.parametrize(
    ("answers", "says"),
    [
        (b"\x20\x02\x00\x01", "MQTT 5"),  # CONNACK of MQTT 3.1.1: unacceptable protocol version
        (b"\x20\x03\x00\x84\x00", "does not speak MQTT 5"),  # of MQTT 5: unsupported protocol version
        (b"", "hung up before it said anything"),
    ],
)
async def test_a_broker_that_refuses_or_speaks_an_older_version_is_told(book: Book, answers: bytes, says: str) -> None:
    server = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                peer, _ = server.accept()
                peer.recv(1000)
                peer.sendall(answers)
                peer.close()
            except OSError:
                return

    threading.Thread(target=serve, daemon=True).start()
    publisher = Publisher(read_broker(f"mqtt://127.0.0.1:{server.getsockname()[1]}"), "s", book)
    publisher.start()
    await until(lambda: says in publisher.words, 30)
    server.close()
    await asyncio.to_thread(publisher.stop)


@pytest.mark.parametrize("url", ["http://a", "mqtt://", "mqtt://a:b:c", "mqtt://u:p@host", "mqtt://host:99999", ""])
def test_a_url_that_is_no_broker_is_refused_with_what_to_write(url: str) -> None:
    with pytest.raises(Fault, match=r"mqtt://host|ORDOLEX_MQTT_USER"):
        read_broker(url)


# ---- tables of other instruments, clocks, damage


def test_a_table_of_another_instrument_comes_into_the_book_and_leaves_it_again(book: Book, tmp_path: Path) -> None:
    path = tmp_path / "logger.csv"
    rows = [f"2026-03-14T06:{n // 60:02}:{n % 60:02}Z,{10 + n / 100:.2f},{n}" for n in range(300)]
    path.write_text("time,O2 (mg/l),O2 (%)\n" + "\n".join(rows) + "\n")
    table = importing.table_of(path)
    choice = importing.Choice(0, forms_of(table, 0)[0], (1, 2), offset_s=-30)
    kept = importing.keep(book, path, table, choice)
    assert kept.count == 600 and kept.name == "imported: logger.csv"
    again = importing.keep(book, path, table, choice)
    assert again.name == "imported: logger.csv 2"
    one, other, *_ = book.reader.values.items()
    assert (one.round, one.name, one.unit, one.every_s) == ("imported: logger.csv", "O2", "mg/l", 1.0)
    assert other.name == "O2 %"
    values = list(book.reader.values.between(one.id, 0, utc_us()))
    assert len(values) == 300 and values[0].value == 10.0
    assert values[0].utc_us == 1_773_468_000_000_000 - 30_000_000
    importing.forget(book, kept.name)
    left = book.reader.values.items()
    assert {item.round for item in left} == {again.name} and not list(book.reader.values.between(one.id, 0, utc_us()))
    with pytest.raises(Fault, match=r"no value of logger\.csv"):
        importing.keep(book, path, table, importing.Choice(1, FORMS[0], (2,)))


def test_a_clock_that_was_set_back_loses_no_value_and_counts_none_twice(book: Book) -> None:
    number = made(book)
    first = [Sample(number, 3_600_000_000 * 400_000 + n * 1000, float(n), Quality.GOOD) for n in range(2000)]
    book.recorder.values(first, [])
    written(book)
    book.recorder.values([Sample(number, s.utc_us, 5000.0, Quality.GOOD) for s in first[:700:7]], [])  # an hour back
    written(book)
    values = list(book.reader.values.between(number, 0, utc_us()))
    assert len(values) == 2100 and sum(s.value == 5000.0 for s in values) == 100
    hours = book.reader.values.summaries(number, 0, utc_us(), hours=True)
    assert sum(one.count for one in hours) == 2100 and hours[0].high == 5000.0


def test_values_on_both_sides_of_a_damage_are_rescued(book: Book, tmp_path: Path) -> None:
    number = made(book)
    start = utc_us() - 40_000 * 1_000_000
    for begin in range(0, 40_000, 4000):
        samples = [Sample(number, start + n * 1_000_000, n + 0.5, Quality.GOOD) for n in range(begin, begin + 4000)]
        book.recorder.values(samples, [])
    written(book)
    path = book.path
    book.close()
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connection.close()
    whole = path.read_bytes()
    at = whole.index((20_000 * 10 + 5).to_bytes(3)) // 8192  # the page in which the value 20000.5 lies
    damaged = tmp_path / "damaged.ordolex"
    damaged.write_bytes(whole[: at * 8192] + bytes(8192) + whole[(at + 1) * 8192 :])
    done = rescue(damaged, tmp_path / "new.ordolex")
    assert done.skipped
    reader = BookReader(tmp_path / "new.ordolex")
    values = [float(s.value or 0) for s in reader.values.between(number, 0, utc_us())]
    reader.close()
    assert values[0] == 0.5 and values[-1] == 39_999.5 and 38_000 < len(values) < 40_000
