"""`wire`, `bus` and `wave` without a screen, and the files that they draw."""

import json
import re
from pathlib import Path

import pytest

from tests.cli.test_cli import refused, run


def test_wire_finds_the_chain_and_follows_every_signal() -> None:
    done = run("wire", "--from", "usb", "--to", "dte-8p8c", "--flow", "rts/cts", "--json")
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert found["works"] and found["parts"][0] == "USB adapter, RS-232" and found["problems"] == []
    assert {"name", "from_pin", "to_pin", "ok"} <= set(found["signals"][0])
    assert all(signal["ok"] for signal in found["signals"]) and len(found["signals"]) == 5
    there, back = found["signals"][:2]
    assert there["path"] == ["3", "3", "2", "5", "5"] and back["path"] == ["3", "2", "3", "6", "6"]


def test_wire_checks_a_chain_and_says_how_to_mend_it() -> None:
    done = run("wire", "--from", "dte-de9", "--to", "dce-de9", "--chain", "null modem adapter DE-9", "--json")
    found = json.loads(done.stdout)
    assert done.returncode == 1 and not found["works"]
    assert found["mend"] == "take out null modem adapter DE-9"
    assert any("one crossing too few or too many" in problem for problem in found["problems"])
    done = run("wire", "--from", "usb", "--to", "logic33")
    assert done.returncode == 1 and "buy: USB adapter, logic 3.3 V" in done.stdout


def test_wire_refuses_what_it_cannot_read(tmp_path: Path) -> None:
    bag = tmp_path / "bag.toml"
    bag.write_text("[[part]]\nname = 'a'\nlike = 'a'\n")
    refused(run("wire", "--from", "usb", "--to", "dte-de9", "--bag", str(bag)), 2, "is like itself")
    refused(run("wire", "--from", "usb", "--to", "toaster"), 2, "choose one of usb")
    refused(run("wire", "--from", "usb", "--to", "dte-de9", "--chain", "string"), 2, "neither in the bag")
    refused(run("wire", "--from", "usb", "--to", "dte-de9", "--flow", "some"), 2, "choose none")
    refused(run("wire", "--idle", "many"), 2, "readings in volts")
    refused(run("wire", "--idle", "-8 1"), 2, "contradict")
    assert "RS-232, idle" in run("wire", "--idle", "-8.4").stdout


@pytest.mark.parametrize("kind", ["svg", "pdf"])
def test_drawings_are_the_same_byte_by_byte(kind: str, tmp_path: Path) -> None:
    files = [tmp_path / f"{name}.{kind}" for name in ("one", "two")]
    for file in files:
        assert run("wire", "--from", "usb", "--to", "dte-de9", "--draw", str(file), timeout=60).returncode == 0
        assert run("wave", r"OK\r", "--line", "9600 7E1", "--draw", str(file) + f".{kind}", timeout=60).returncode == 0
    assert files[0].read_bytes() == files[1].read_bytes()
    assert Path(f"{files[0]}.{kind}").read_bytes() == Path(f"{files[1]}.{kind}").read_bytes()
    if kind == "svg":
        text = files[0].read_text()
        for word in ("null modem adapter DE-9", "TXD", "GND", "works"):
            assert re.search(rf">[^<]*{word}[^<]*</text>", text), f"{word} is not text in the drawing"
        wave = Path(f"{files[0]}.svg").read_text()
        assert all(f">{word}</text>" in wave for word in ("start", "b6", "parity", "stop"))


def test_drawings_that_cannot_be_written_say_so(tmp_path: Path) -> None:
    refused(run("wire", "--from", "usb", "--to", "dte-de9", "--draw", str(tmp_path / "x.doc")), 1, ".svg or a .pdf")
    refused(run("wave", "123456789", "--draw", str(tmp_path / "x.svg")), 2, "1 to 8 characters")
    refused(run("wave", "1", "--draw", str(tmp_path / "none" / "x.svg")), 1, "cannot be written")


def test_a_bus_is_checked_from_a_file(tmp_path: Path) -> None:
    file = tmp_path / "bus.toml"
    file.write_text(
        "baud = 19200\n[[node]]\nname = 'PC'\nat_m = 0\nterminator = true\nbias = true\n"
        "[[node]]\nname = 'pump'\nat_m = 300\n"
    )
    done = run("bus", str(file), "--json")
    rules = {verdict["rule"]: verdict for verdict in json.loads(done.stdout)}
    assert (
        done.returncode == 1 and not rules["terminators"]["kept"] and "missing at pump" in rules["terminators"]["text"]
    )
    assert rules["loads"]["kept"] and rules["length"]["source"]
    file.write_text(file.read_text() + "terminator = true\n")
    picture = tmp_path / "bus.svg"
    assert run("bus", str(file), "--draw", str(picture), timeout=60).returncode == 0
    assert "terminator" in picture.read_text() and "pump" in picture.read_text()
    file.write_text("baud = 19200\n[[node]]\nname = 'PC'\nat_m = 0\ncolour = 'red'\n")
    refused(run("bus", str(file)), 2, "'colour' is not known")
