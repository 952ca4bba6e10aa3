"""Values of a book without the interface: listed, exported, drawn, compared, and those of another instrument taken in;
and a unit scan that says by its status whether all are there."""

from __future__ import annotations

import json
from pathlib import Path
from xml.etree import ElementTree

import pytest

from ordolex.core.port.bench_notice import BenchNotice
from ordolex.core.watch.samples import Quality, Sample
from ordolex.io.book.book import Book
from ordolex.io.book.values import Item
from tests.cli.test_hostile import run, said

START = 1_773_468_000_000_000  # 14 March 2026, 6:00 UTC


@pytest.fixture
def book(tmp_path: Path) -> Path:
    book = Book(tmp_path / "b.ordolex", "Alder Brook")
    number = book.items_for([Item(0, "raceways", "oxygen", 0, "mg/l", "MEAS:OXYG?", 1.0)])["oxygen"]
    book.recorder.values(
        [Sample(number, START + n * 1_000_000, 9.0 + n / 100, Quality.GOOD) for n in range(600)], []
    )  # fmt: skip
    book.close()
    return tmp_path / "b.ordolex"


def test_another_instrument_is_taken_in_and_compared_and_all_is_written_and_drawn(book: Path, tmp_path: Path) -> None:
    other = tmp_path / "hand.csv"
    other.write_text(
        "when;O2 [mg/l];note\n"
        + "".join(
            f"{START // 10**6 + n * 60 + 30};{n / 100 * 60 + 8:.2f}".replace(".", ",") + ";x\n" for n in range(10)
        )
    )
    done = run("values", str(book), "--import", str(other), "--offset", "-30", "--json")
    assert json.loads(done.stdout) == {"name": "imported: hand.csv", "values": 10, "left_out": 0}, done.stderr
    listed = json.loads(run("values", str(book), "--as", "stats", "--json").stdout)
    assert [(one["round"], one["item"], one["count"]) for one in listed] == [
        ("raceways", "oxygen", 600), ("imported: hand.csv", "O2", 10),
    ]  # fmt: skip
    (found,) = json.loads(run("values", str(book), "--item", "oxygen", "--against", "O2", "--json").stdout)
    assert found["count"] == 10 and found["alone"] == 0 and found["mean"] == pytest.approx(1.0)
    wide = run("values", str(book), "--as", "wide", "--to", "2026-03-14 23:59").stdout.decode().splitlines()
    assert wide[0] == "time,oxygen (mg/l),O2 (mg/l)" and len(wide) == 601
    drawing = tmp_path / "v.svg"
    assert run("values", str(book), "--draw", str(drawing)).returncode == 0
    assert "Alder Brook" in "".join(ElementTree.parse(drawing).getroot().itertext())
    said(run("values", str(book), "--draw", str(drawing)), 1, "is there already")
    said(run("values", str(book), "--as", "long", "-o", str(book)), 1, "is the book itself")


def test_what_a_file_leaves_open_is_asked_and_never_guessed(book: Path, tmp_path: Path) -> None:
    file = tmp_path / "t.csv"
    file.write_text("day,x\n03/04/2026 10:00,1\n05/04/2026 10:00,2\n")
    said(run("values", str(book), "--import", str(file)), 1, "--time-form: 'day/month/year', 'month/day/year'")
    file.write_text("a,b,x\n2026-03-04T10:00:00Z,2026-03-04T10:00:05Z,1\n")
    said(run("values", str(book), "--import", str(file)), 1, "give --time: 1 a, 2 b, 3 x")
    assert run("values", str(book), "--import", str(file), "--time", "b").returncode == 0
    file.write_text("a,b\nx,y\n")
    said(run("values", str(book), "--import", str(file)), 1, "t.csv")
    said(run("values", str(book), "--item", "nobody"), 1, "raceways/oxygen")
    said(run("values", str(book), "--draw", "x.png"), 2, ".svg or a .pdf")


def test_a_roll_call_says_by_its_status_whether_all_are_there(bench_process: BenchNotice) -> None:
    probes = next(device.endpoint for device in bench_process.devices if device.name == "Water probes")
    call = ("scan", probes, "--line", "9600 7E1", "--units", "A-D", "--ask", "{unit}\\r", "--timeout", "1")
    assert run(*call, "--expect", "A-D").returncode == 0
    done = run(*call, "--expect", "A B C E", "--json")
    rows = {row["unit"]: row["standing"] for row in json.loads(done.stdout)}
    assert done.returncode == 1 and rows["D"] == "not expected" and rows["E"] == "missing"
    said(run("scan", probes, "--line", "9600 7E1", "--ask", "A\\r"), 2, "{unit}")


@pytest.mark.timeout(120)
def test_units_are_looked_for_on_all_ports_and_only_an_answer_counts_as_one(bench_process: BenchNotice) -> None:
    ask = ("find", "--ask", "{unit}\\r", "--units", "B-C", "--line", "9600 7E1", "--wait", "900", "--json")
    found = json.loads(run(*ask).stdout)
    answered = [(one["name"], one["unit"]) for one in found if one["answered"]]
    assert answered == [("Water probes", "B"), ("Water probes", "C")]
    (echo,) = {one["reply"] for one in found if one["name"] == "Echo plug" and one.get("unit") == "B"}
    assert echo.strip() == "B"  # our own byte: heard, and no answer
    said(run("find", "--ask", "A\\r", "--units", "B-C"), 2, "go together")
