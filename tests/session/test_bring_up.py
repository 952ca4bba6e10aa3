"""A device brought up without an interface: what each stage shows, on devices behind the bench's real lines."""

from __future__ import annotations

import tomllib
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from ordolex.core.link.ladder import Rung
from ordolex.core.visit.bring_up import KIND, Standing, earlier
from ordolex.io.book.book import Book
from ordolex.io.book.manifest import verify_handover
from ordolex.io.link.hub import Hub
from ordolex.io.match import asks
from ordolex.io.system.faults import Fault
from ordolex.session.bringing import device, line, proof, stands
from ordolex.session.bringing.state import Bringing
from ordolex.session.session import Session
from ordolex.session.support import Story, support_bundle
from tests.conftest import ServeBench, until

MODBUS = {"name": "fan bus", "kind": "bus", "line": "9600 8E1"}
TALKER = {"name": "string", "kind": "temperature", "line": "4800 8N1", "interval_s": 0.5}
OXYGEN = {"name": "probe", "kind": "oxygen", "line": "9600 7E1"}
MODEM = {"name": "radio", "kind": "modem", "line": "9600 8N1"}


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    book = Book(tmp_path / "b.ordolex")
    made = Session(book, Hub(book.recorder))
    yield made
    made.hub.stop()
    book.close()


async def brought(session: Session, endpoint: str, settings: str = "", family: str = "") -> Bringing:
    """Up to the proof: at these settings, else by Match with the questions of a protocol."""
    bringing = Bringing(session)
    line.powered(bringing, 1)
    port = await line.take_port(bringing, endpoint, "it was named")
    assert port.standing is Standing.GOOD, port.words
    line.cable_not_known(bringing)
    questions = asks.of_family(family) if family else ()
    await (line.settings_as(bringing, settings, "sticker") if settings else line.by_match(bringing, questions))
    await proof.wake(bringing)
    await proof.prove(bringing)
    return bringing


@pytest.mark.parametrize(
    ("plan", "speaks", "asked", "sheet", "identity"),
    [
        (OXYGEN, "text", "", "oxygen-transmitter", "Brookmade,OX-2"),
        (MODBUS, "modbus-rtu", "modbus-rtu", "variable-speed-drive", "VD-3"),
        (MODEM, "at", "at", "radio-modem", "RM-4"),
    ],
)
async def test_an_unknown_device_at_unknown_settings_is_proven_named_and_read(
    session: Session,
    serve_bench: ServeBench,
    plan: dict[str, object],
    speaks: str,
    asked: str,
    sheet: str,
    identity: str,
) -> None:
    bench = await serve_bench(plan)
    bringing = await brought(session, bench.notice().devices[0].endpoint, family=asked)
    assert bringing.steps.proven, bringing.steps.verdict
    assert bringing.link is not None and bringing.link.line == plan["line"]
    assert device.spoken(bringing)[0].name == speaks
    said = await device.ask_who(bringing)
    assert said.standing is Standing.GOOD and identity in said.words
    rows = await device.look_for_sheets(bringing)
    assert f"of {rows[0].sheet.name}" in device.no_sheet(bringing).words, "something speaks for it"
    best = device.clear_choice(bringing)
    assert best is not None and best.sheet.name == sheet, [(one.sheet.name, one.points) for one in rows]
    device.take_sheet(bringing, best.sheet.name, best.words)
    found = await device.read_found(bringing)
    assert found.standing is Standing.GOOD and "as found" in found.words
    assert stands.stands(bringing) == (Rung.PROVEN, [])


async def test_a_device_that_only_talks_is_proven_in_one_direction_and_by_its_sheet_alone(
    session: Session, serve_bench: ServeBench
) -> None:
    bench = await serve_bench(TALKER)
    bringing = await brought(session, bench.notice().devices[0].endpoint, "4800 8N1")
    assert bringing.steps.standing("proof") is Standing.UNSURE and not bringing.steps.proven
    assert "heard, not proven" in bringing.steps.verdict
    assert (await device.ask_who(bringing)).standing is Standing.UNSURE
    await device.look_for_sheets(bringing)
    best = device.clear_choice(bringing)
    assert best is not None and best.sheet.name == "temperature-string"
    device.take_sheet(bringing, best.sheet.name, best.words)
    assert "device → PC only" in (await proof.recognise(bringing)).words and bringing.steps.proven


async def test_a_device_that_answers_after_all_is_asked_who_it_is(session: Session, serve_bench: ServeBench) -> None:
    bench = await serve_bench(OXYGEN)
    bringing = await brought(session, bench.notice().devices[0].endpoint, "9600 8N1")
    bringing.talks = True  # as it was taken at other settings
    assert (await proof.prove(bringing, b"\n")).standing is Standing.BAD and bringing.talks, "no answer tells neither"
    await line.settings_as(bringing, str(OXYGEN["line"]), "sticker")
    assert (await proof.prove(bringing)).standing is Standing.GOOD and not bringing.talks
    assert "Brookmade,OX-2" in (await device.ask_who(bringing)).words


async def test_a_wrong_crossing_comes_first_where_power_is_seen_and_no_setting_brings_anything(
    session: Session, serve_bench: ServeBench, tmp_path: Path
) -> None:
    bench = await serve_bench(OXYGEN)
    bench._benches[0].station.cross(True)
    bringing = Bringing(session)
    line.powered(bringing, 1)
    await line.take_port(bringing, bench.notice().devices[0].endpoint, "it was named")
    await until(lambda: bringing.inputs() is not None)
    assert "CTS, DSR and DCD are off" in line.cable_not_known(bringing).words
    listened = await line.by_match(bringing, give_up_s=1)
    assert "nothing was asked yet" in listened.words, "what was not asked speaks for nothing"
    while "nothing was asked yet" in (failed := await line.by_match(bringing, give_up_s=12)).words:
        pass
    assert failed.standing is Standing.BAD and "nothing was heard" in failed.words
    rung, causes = stands.stands(bringing)
    assert rung is Rung.HELD and causes[0].name == "crossed"
    assert "asked" not in [cause.name for cause in causes], "it was asked all along"

    session.book.recorder.call(lambda connection: None).result(20)
    link = bringing.link
    assert link is not None
    kept = session.book.reader.known.events_of(KIND, link=link.id)
    assert [one.words for one in earlier((event.utc_us, event.detail) for event in kept)][-1] == failed.words
    story = Story(bringing.steps.verdict, rung, causes, bringing.steps.tried)
    names = support_bundle(session.book.path, link, tmp_path / "asked", story, session.ports.all, ("hidden-4711",))
    head = (tmp_path / "asked" / "read-me-first.txt").read_text()
    assert "Rung      Held" in head and causes[0].words in head and "nothing was heard" in head
    assert tomllib.loads((tmp_path / "asked" / "links.toml").read_text())["link"][0]["endpoint"] == link.endpoint
    assert (tmp_path / "asked" / "sent.bin").read_bytes(), "what Match sent is in it"
    assert verify_handover(tmp_path / "asked").good and verify_handover(tmp_path / "asked.zip").good
    assert sorted(zipfile.ZipFile(tmp_path / "asked.zip").namelist()) == sorted(f"asked/{name}" for name in names)
    with pytest.raises(Fault, match="is there already"):
        support_bundle(session.book.path, link, tmp_path / "asked", story)


async def test_a_secret_of_the_visit_stops_a_bundle_and_nothing_is_written(
    session: Session, serve_bench: ServeBench, tmp_path: Path
) -> None:
    bench = await serve_bench(OXYGEN)
    bringing = await brought(session, bench.notice().devices[0].endpoint, "9600 7E1")
    session.book.recorder.call(lambda connection: None).result(20)
    story = Story(bringing.steps.verdict, *stands.stands(bringing), bringing.steps.tried)
    assert bringing.link is not None
    with pytest.raises(Fault, match="a secret of this visit stands in"):
        support_bundle(session.book.path, bringing.link, tmp_path / "asked", story, secrets=("Brookmade",))
    assert not (tmp_path / "asked").exists() and not (tmp_path / "asked.zip").exists()
    assert not list(tmp_path.glob(".asked*"))


async def test_an_inverted_line_is_said_and_no_cause_of_silence_beside_it(
    session: Session, serve_bench: ServeBench
) -> None:
    bench = await serve_bench({"name": "level", "kind": "logger", "line": "2400 8N2", "polarity": "inverted"})
    bringing = Bringing(session)
    await line.take_port(bringing, bench.notice().devices[0].endpoint, "it was named")
    failed = await line.by_match(bringing)
    assert failed.standing is Standing.BAD and "the line is inverted" in failed.words
    assert not [cause for cause in stands.stands(bringing)[1] if cause.name in ("asked", "crossed", "off")]


async def test_a_port_that_is_not_there_stops_at_the_port(session: Session) -> None:
    bringing = Bringing(session)
    failed = await line.take_port(bringing, "/dev/ttyNOWHERE7", "it was named")
    assert failed.standing is Standing.BAD and not bringing.steps.proven
    assert stands.stands(bringing)[0] <= Rung.PRESENT
    assert (await proof.prove(bringing)).standing is Standing.BAD, "later stages say that there is no port"


async def test_one_answer_that_comes_late_is_not_taken_for_a_device_that_talks_by_itself(
    session: Session, serve_bench: ServeBench
) -> None:
    bench = await serve_bench({**OXYGEN, "latency_ms": 1500})
    bringing = await brought(session, bench.notice().devices[0].endpoint, "9600 7E1")
    assert bringing.steps.standing("proof") is Standing.BAD
    assert "late" in bringing.steps.words("proof") and "by itself" not in bringing.steps.words("proof")
