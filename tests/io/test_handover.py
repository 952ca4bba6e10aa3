"""The handover: files that other programs accept, the same facts on page and paper, a manifest that shows changes."""

from __future__ import annotations

import json
import re
import shutil
import sqlite3
import subprocess
import tomllib
import zipfile
from html import unescape
from pathlib import Path

import pytest

from ordolex.core.device.image import decode
from ordolex.core.record.items import Event, LinkRecord
from ordolex.core.tables.table import Table
from ordolex.core.visit.since import DIFFERS, NOT_YET
from ordolex.core.watch.samples import Quality, Sample
from ordolex.io.book.book import Book
from ordolex.io.book.gathering import gathered
from ordolex.io.book.manifest import verify_handover
from ordolex.io.book.reader import BookReader
from ordolex.io.book.since import since_before
from ordolex.io.book.values import Item
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.faults import Fault
from ordolex.session.handing_over import PARTS, Choice, hand_over, report, visit_span
from tests.commands import run_text
from tests.conftest import program

ODD = "raceway/../1 \u202eevil\x1b[2J 🐟 " + "long " * 2000


@pytest.fixture
def book(tmp_path: Path) -> Path:
    path = tmp_path / "b.ordolex"
    made = Book(path, "Alder Brook Hatchery")
    bus = made.add_link(
        LinkRecord(0, "pump house bus", "/dev/made-up", "19200 8E1", "sticker", sheet="variable-speed-drive")
    )
    odd = made.add_link(LinkRecord(0, ODD, "tcp://127.0.0.1:9"))

    def note(kind: str, text: str, link: int = bus.id, **detail: object) -> None:
        made.recorder.note(Event(link, utc_us(), 1, kind, text, detail))

    of = {"sheet": "variable-speed-drive", "unit": 3}
    note("opened", "/dev/made-up opened at 19200 8E1")
    made.recorder.record(bus.id, "tx", b"*IDN?\n", None, mono_s())
    made.recorder.record(bus.id, "rx", b"Brookmade,VD-3,3,2.03\n", None, mono_s())
    note("answer", "asked", question_hex=b"*IDN?\n".hex(), answer_hex=b"Brookmade,VD-3,3,2.03\n".hex(), verdict="right",
         last_ms=12.5)  # fmt: skip
    note("rung", "Clear → Proven", to="Proven")
    note("found", "as found", values={"set-point": 35.0}, anew=True, **of)
    note("set", "set set-point", name="set-point", before=35.0, wanted=42.0, after=42.0, verdict="held", **of)
    rows = [[str(n), f"event {n}"] for n in range(1, 90) if n != 17]
    note("table", "events", name="events/../x", columns=["number", "=cmd()"], rows=rows, odd=[[3, "****"]])
    note("note", "key switch: put back at REMOTE")
    made.recorder.record(odd.id, "rx", "Grüße 🐟\r\n".encode() + b"\x00\xff", None, mono_s())
    made.close()
    return path


def tool(*arguments: str) -> str:
    if shutil.which(arguments[0]) is None:
        pytest.skip(f"{arguments[0]} is not installed: apt-get install poppler-utils qpdf")
    done = subprocess.run(arguments, capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def words_of_page(path: Path) -> str:
    return " ".join(unescape(re.sub(r"<[^>]+>", " ", path.read_text())).split())


@pytest.mark.parametrize("form", ["A4", "Letter"])
def test_paper_and_page_are_accepted_by_others_and_say_the_same(book: Path, tmp_path: Path, form: str) -> None:
    folder = tmp_path / "ho"
    hand_over(book, folder, Choice(form=form, by="N. Made-up", remarks=("Second meter 🐟 locked",)))
    pdf = str(folder / "report.pdf")
    assert ("A4" if form == "A4" else "letter") in tool("pdfinfo", pdf)
    tool("qpdf", "--check", pdf)
    text = " ".join(tool("pdftotext", "-layout", pdf, "-").split())
    page = words_of_page(folder / "report.html")
    for said in (
        "Alder Brook Hatchery", "N. Made-up", "not stored: set-point", "35 Hz", "42 Hz", "19200 8E1", "sticker",
        "Brookmade,VD-3,3,2.03", "put back at REMOTE", "event 89", "1 missing in the numbering: 17",
    ):  # fmt: skip
        assert said in text, f"{said} is not on paper"
        assert said in page, f"{said} is not on the page"
    assert "U+1F41F" in text, "what the font lacks is shown by its number"
    count = int(re.search(r"Pages: +(\d+)", tool("pdfinfo", pdf))[1])  # type: ignore[index]
    assert all(f"page {number} of {count}" in text for number in range(1, count + 1))
    html = (folder / "report.html").read_text()
    assert "<script" not in html and not re.search(r"""(src|href)=["']?(https?:|//)""", html)
    assert "\x1b" not in html and "\u202e" not in html


def test_tables_go_on_over_pages_with_their_heads(book: Path, tmp_path: Path) -> None:
    hand_over(book, tmp_path / "ho", Choice(("report",)))
    pages = tool("pdftotext", "-layout", str(tmp_path / "ho/report.pdf"), "-").split("\f")
    with_rows = [page for page in pages if re.search(r"^ *\d+ +event \d+", page, re.MULTILINE)]
    assert len(with_rows) >= 2 and all("number" in page for page in with_rows)
    outline = tool("qpdf", "--json", "--json-key=outlines", str(tmp_path / "ho/report.pdf"))
    assert "pump house bus" in json.dumps(json.loads(outline)["outlines"])


def test_the_manifest_finds_one_flipped_bit_a_missing_and_an_added_file(book: Path, tmp_path: Path) -> None:
    folder = tmp_path / "ho"
    names = hand_over(book, folder, Choice(book=True))
    assert verify_handover(folder).intact == sorted(set(names) - {"manifest.json"})
    whole = verify_handover(tmp_path / "ho.zip")
    assert whole.good and len(whole.intact) == len(names) - 1
    log = folder / "log.txt"
    data = bytearray(log.read_bytes())
    data[7] ^= 1
    log.write_bytes(data)
    (folder / "proof.txt").unlink()
    (folder / "added.txt").write_text("x")
    held = verify_handover(folder)
    assert (held.changed, held.missing, held.added) == (["log.txt"], ["proof.txt"], ["added.txt"]) and not held.good
    for text in (
        "{",
        '{"kind": "other", "version": 1, "files": []}',
        '{"kind": "ordolex-handover", "version": 1, "files": [1]}',
    ):
        (folder / "manifest.json").write_text(text)
        with pytest.raises(Fault, match="cannot be read"):
            verify_handover(folder)
    (folder / "manifest.json").unlink()
    with pytest.raises(Fault, match=r"no manifest\.json"):
        verify_handover(folder)


def test_a_changed_zip_is_no_traceback(book: Path, tmp_path: Path) -> None:
    hand_over(book, tmp_path / "only.zip", Choice())
    assert not (tmp_path / "only").exists()
    with zipfile.ZipFile(tmp_path / "only.zip") as archive:
        at = archive.getinfo("only/log.txt").header_offset + 60
    data = bytearray((tmp_path / "only.zip").read_bytes())
    data[at] ^= 0x10
    (tmp_path / "only.zip").write_bytes(data)
    held = verify_handover(tmp_path / "only.zip")
    assert held.changed == ["log.txt"]
    (tmp_path / "none.zip").write_bytes(b"PK and nothing")
    with pytest.raises(Fault, match="cannot be read"):
        verify_handover(tmp_path / "none.zip")


def test_names_lead_nowhere_else_and_cells_run_nothing(book: Path, tmp_path: Path) -> None:
    folder = tmp_path / "deep" / "ho"
    names = hand_over(book, folder, Choice())
    assert not any(".." in Path(name).parts or Path(name).is_absolute() for name in names)
    assert all((folder / name).resolve().is_relative_to(folder) for name in names)
    table = next(name for name in names if name.startswith("tables/") and name.endswith(".csv"))
    assert (folder / table).read_text().splitlines()[0] == "number,'=cmd()"


def test_what_is_there_is_not_written_over_and_a_secret_stops_it(book: Path, tmp_path: Path) -> None:
    folder = tmp_path / "ho"
    with pytest.raises(Fault, match="a secret of this visit stands in"):
        hand_over(book, folder, Choice(secrets=("VD-3,3,2.03",)))
    assert not folder.exists() and not (tmp_path / "ho.zip").exists(), "nothing of it is left"
    assert not [path for path in tmp_path.iterdir() if path.name.startswith(".")]
    folder.mkdir()
    (folder / "mine.txt").write_text("mine")
    with pytest.raises(Fault, match="nothing is written over"):
        hand_over(book, folder, Choice())
    assert (folder / "mine.txt").read_text() == "mine"


def test_one_visit_alone_and_an_empty_one(book: Path, tmp_path: Path) -> None:
    again = Book(book)
    again.close()
    reader = BookReader(book)
    spans = [visit_span(reader, number) for number in (1, 2)]
    with pytest.raises(Fault, match="no visit 7"):
        visit_span(reader, 7)
    reader.close()
    first = hand_over(book, tmp_path / "one", Choice(span=spans[0]))
    empty = hand_over(book, tmp_path / "two", Choice(PARTS, span=spans[1]))
    assert any(name.startswith("tables/") for name in first) and not any(name.startswith("tables/") for name in empty)
    assert "0 links worked on" in words_of_page(tmp_path / "two/report.html")
    assert "log.txt" not in empty


def test_by_the_command_line_a_dropped_row_of_the_record_shows(book: Path, tmp_path: Path) -> None:
    def run(*arguments: str, status: int = 0) -> str:
        done = subprocess.run(program(*arguments), capture_output=True, text=True, timeout=120)
        assert done.returncode == status, done.stdout + done.stderr
        return done.stdout

    folder = tmp_path / "ho"
    files = json.loads(run("handover", str(book), "-o", str(folder), "--without", "pcapng", "--json"))["files"]
    assert "report.pdf" in files and "record.pcapng" not in files
    assert (
        json.loads(run("verify", str(folder), "--json"))["good"]
        and json.loads(run("verify", str(book), "--json"))["good"]
    )
    chain = json.loads(run("verify", str(book), "--json"))["last_sha256"]
    assert chain in (folder / "report.html").read_text() and chain in (folder / "manifest.json").read_text()
    with sqlite3.connect(book) as connection:
        connection.execute("DELETE FROM chunk WHERE id = 1")
    connection.close()
    found = json.loads(run("verify", str(book), "--json", status=1))
    assert not found["good"] and "1 row of bytes missing" in found["changed"][0]
    run("facts", str(book), "--link", "pump house bus", "--note", "firmware=2.03", "--source", "plate")
    known = json.loads(run("facts", str(book), "firmware", "--json"))["facts"]
    assert [(fact["value"], fact["source"], fact["proof"]) for fact in known] == [("2.03", "plate", "")]
    run("facts", str(book), "--note", "firmware=2", status=2)


def aged(book: Path, hours: float) -> None:
    """As if everything in it had been so long ago."""
    with sqlite3.connect(book) as connection:
        by = round(hours * 3600e6)
        connection.execute(
            "UPDATE visit SET started_utc_us = started_utc_us - ?, ended_utc_us = ended_utc_us - ?", (by, by)
        )
        for table in ("event", "chunk"):
            connection.execute(f"UPDATE {table} SET utc_us = utc_us - ?", (by,))
    connection.close()


def test_the_second_visit_is_compared_with_the_first_setting_by_setting_and_list_by_list(tmp_path: Path) -> None:
    path = tmp_path / "b.ordolex"
    of: dict[str, object] = {"sheet": "variable-speed-drive", "unit": 3}

    def visited(set_point: float, rows: list[list[str]], ramp: float | None = None) -> None:
        book = Book(path)
        link = (
            book.links()[0]
            if book.links()
            else book.add_link(LinkRecord(0, "drive", "/dev/x", sheet="variable-speed-drive"))
        )
        values = {"set-point": set_point} | ({"ramp": ramp} if ramp is not None else {})
        for kind, detail in (("found", {"values": values, "anew": True, **of}), ("table", table_of(rows))):
            book.recorder.note(Event(link.id, utc_us(), 0, kind, kind, detail))
        book.close()

    def table_of(rows: list[list[str]]) -> dict[str, object]:
        return Table("alarms", ("no", "text"), tuple(map(tuple, rows))).as_dict()

    visited(35.0, [["1", "low"], ["2", "door"]], ramp=5.0)
    reader = BookReader(path)
    assert since_before(reader, all_sheets()[0], str) == [], "one visit has nothing before it"
    reader.close()
    aged(path, 48)
    visited(41.0, [["1", "low"], ["3", "power"]])
    reader = BookReader(path)
    rows = since_before(reader, all_sheets()[0], str)
    said = {row.what.rpartition(", ")[2]: (row.state, row.now) for row in rows}
    assert said["set-point"] == (DIFFERS, "41 Hz") and rows[0].state == DIFFERS
    assert said["ramp"] == (NOT_YET, "")
    assert said["list alarms"] == (DIFFERS, "2 rows; since then 1 new, 0 changed, 1 gone")
    points = report(reader, Choice()).open_points
    assert any(
        "set-point: 35 Hz, left in the visit of" in point.words and "found 41 Hz" in point.words for point in points
    )
    reader.close()
    told = run_text("compare", str(path), "--json")
    assert json.loads(told.stdout)["visits"] == 2 and len(json.loads(told.stdout)["rows"]) == len(rows)


def test_what_goes_along_is_read_back_by_the_program_that_wrote_it(book: Path, tmp_path: Path) -> None:
    """Devices as images, links as TOML, the cable drawn on page and paper."""
    hand_over(book, tmp_path / "over", Choice())
    (file,) = (tmp_path / "over" / "images").iterdir()
    image = decode(file.read_text())
    assert (image.sheet, image.unit, image.values["set-point"]) == ("variable-speed-drive", 3, 42.0), "as it was left"
    links = tomllib.loads((tmp_path / "over" / "links.toml").read_text())["link"]
    assert [link["name"] for link in links] == ["pump house bus", ODD] and links[0]["line"] == "19200 8E1"
    page = (tmp_path / "over" / "report.html").read_text()
    assert "how it was plugged, nobody said" in unescape(page) and page.count("<svg") >= 1
    assert "how it was plugged, nobody said" in " ".join(
        tool("pdftotext", str(tmp_path / "over/report.pdf"), "-").split()
    )


def test_the_preparation_list_is_ticked_kept_and_printed(book: Path, tmp_path: Path) -> None:
    rows = json.loads(run_text("prepare", str(book), "--json").stdout)
    assert {row["kind"] for row in rows} >= {"part", "power", "open"} and not any(row["ticked_us"] for row in rows)
    done = run_text("prepare", str(book), "--tick", "1", "-o", str(tmp_path / "list.pdf"))
    assert done.returncode == 0 and "  1 [x] " in done.stdout
    assert json.loads(run_text("prepare", str(book), "--json").stdout)[0]["ticked_us"], "for the next visit, too"
    assert rows[0]["words"] in " ".join(tool("pdftotext", "-layout", str(tmp_path / "list.pdf"), "-").split())
    assert run_text("prepare", str(book), "--tick", "99").returncode == 2


def test_texts_that_were_watched_are_counted_and_not_missing(tmp_path: Path) -> None:
    """Of a text item with 349 values the report said: 0 values, 2 missing."""
    book = Book(tmp_path / "a.ordolex", "Alder Brook Hatchery")
    link = book.add_link(LinkRecord(0, "raceway", "/dev/made-up"))
    item = Item(0, "round", "state", link.id, "", "S?", 1.0, -1)
    number = book.items_for([item])["state"]
    samples = [
        Sample(number, 1_000_000 * (n + 1), "feeding" if n % 5 else None, Quality(0 if n % 5 else 1)) for n in range(20)
    ]
    book.recorder.values(samples, [])
    book.close()
    reader = BookReader(tmp_path / "a.ordolex")
    (chart,) = gathered(reader, {}, (None, None), str).charts
    reader.close()
    assert chart.words == "16 texts, 4 missing"
