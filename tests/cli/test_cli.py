"""The command line as its users and other programs meet it: output, exit status, and one line for each fault."""

import json
import os
import signal
import socket
import sqlite3
import subprocess
import time
from pathlib import Path

import pytest

from ordolex.core.line.settings import LineSettings
from ordolex.core.port.bench_notice import BenchNotice
from ordolex.core.record.export import FORMS
from ordolex.core.uart.levels import Transmitter
from ordolex.core.uart.receiver import Receiver
from ordolex.io.book.reader import BookReader
from ordolex.io.ports.benches import BenchProcess
from tests.commands import run_text
from tests.conftest import program

run = run_text


def refused(done: subprocess.CompletedProcess[str], status: int, says: str) -> None:
    """The faults' form: the exit status, and one line on stderr that says what to do."""
    assert done.returncode == status, done.stderr
    assert "Traceback" not in done.stderr
    (line,) = done.stderr.strip().splitlines()
    assert line.startswith("ordolex: ") and says in line, line


def endpoint(notice: BenchNotice, kind: str) -> str:
    return next(device.endpoint for device in notice.devices if device.kind == kind)


def test_line_reads_any_notation() -> None:
    done = run("line", "19.2 kbaud even 7 data 1 stop", "--json")
    assert done.returncode == 0
    read = json.loads(done.stdout)
    assert {k: read[k] for k in ("baud", "data_bits", "parity", "stop_bits", "flow", "text")} == {
        "baud": 19200, "data_bits": 7, "parity": "E", "stop_bits": 1, "flow": "none", "text": "19200 7E1",
    }  # fmt: skip
    assert read["assumed"] == []
    assert "19200 baud, 7 data bits, even parity" in run("line", "19200 7E1").stdout
    refused(run("line", "9600 9N1"), 2, "data bits: 9 cannot be")
    done = run("ask", "tcp://127.0.0.1:1", "x", "--json")
    refused(done, 1, "nothing listens")
    assert "nothing listens" in json.loads(done.stdout)["error"], "exactly one document, also for a fault"


def test_ask_at_the_right_and_at_wrong_settings(bench_process: BenchNotice) -> None:
    oxygen = endpoint(bench_process, "oxygen")
    done = run("ask", oxygen, "--line", "19200 8N1", r"*IDN?\n", "--json")
    assert done.returncode == 0, done.stderr
    answer = json.loads(done.stdout)
    assert answer["sent_hex"] == "2a49444e3f0a" and answer["reply"] == "Brookmade,OX-2,unit 1,1.14\n"
    assert bytes.fromhex(answer["reply_hex"]).decode() == answer["reply"]
    assert 10 < answer["ms"] < 2000 and answer["line_errors"] == 0
    assert (answer["rung"], answer["verdict"]) == ("Proven", "right")

    done = run("ask", oxygen, "--line", "9600 8N1", r"*IDN?\n", "--json")
    refused(done, 1, "framing error")
    garbled = json.loads(done.stdout)
    assert garbled["line_errors"] > 0 and garbled["rung"] == "Heard" and garbled["line"] == "9600 8N1"
    refused(
        run("ask", oxygen, "--line", "19200 8N1", r"*OPC?\n", "--until", "never", "--timeout", "3"), 1, "wrong answer"
    )
    refused(
        run("ask", oxygen, "--line", "19200 8N1", "*IDN?", "--timeout", "2"), 1, r"no line end was sent, add \r or \n"
    )


def test_ask_refuses_what_cannot_be_asked(bench_process: BenchNotice) -> None:
    oxygen = endpoint(bench_process, "oxygen")
    refused(run("ask", oxygen, "--line", "fast", "x"), 2, "'fast' is not understood")
    refused(run("ask", oxygen, "x"), 2, "give the line settings")
    refused(run("ask", oxygen, "--line", "9600 8N1", r"\q"), 2, "is no control byte")
    refused(run("ask", oxygen, "--line", "9600 8N1", "x", "--timeout", "0"), 2, "more than 0")
    refused(run("ask", "gopher://x:1", "--line", "9600 8N1", "x"), 2, "rfc2217://host:port")
    refused(run("ask", "/dev/ttyNOT9", "--line", "9600 8N1", "x"), 1, "plug the adapter in")
    refused(run("ask", "rfc2217://127.0.0.1:1", "--line", "9600 8N1", "x"), 1, "nothing listens at 127.0.0.1:1")
    refused(run("ask", oxygen.replace("rfc2217", "tcp"), r"x\n"), 1, "try rfc2217:// in place of tcp://")


def test_a_peer_that_hangs_up_in_mid_answer(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        asking = subprocess.Popen(
            program("ask", f"tcp://127.0.0.1:{server.getsockname()[1]}", "x", "--until", "the end"),
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        peer, _ = server.accept()
        peer.recv(10)
        peer.sendall(b"half an answer")
        time.sleep(0.1)
        peer.close()
        _, said = asking.communicate(timeout=10)
    assert asking.returncode == 1
    assert "hung up in the middle of its answer" in said and "half an answer" in said


def test_record_then_export_in_every_form(bench_process: BenchNotice, tmp_path: Path) -> None:
    book = tmp_path / "night.ordolex"
    talker, plug = endpoint(bench_process, "temperature"), endpoint(bench_process, "echo")
    done = run("record", talker, "--line", "4800 8N1", "--book", str(book), "--seconds", "4", "--json")
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["bytes"] > 50
    assert run("ask", plug, "--line", "1200 7E2", r"hello\n", "--book", str(book)).returncode == 0
    for form in FORMS:
        out = tmp_path / f"out.{form}"
        assert run("export", str(book), "--as", form, "-o", str(out)).returncode == 0
        assert out.stat().st_size > 50
    assert "$YXXDR" in (tmp_path / "out.text").read_text()
    assert run("export", str(book), "--as", "raw", "--link", plug, "--only", "rx").stdout == "hello\n"
    assert run("export", str(book), "--as", "raw", "--link", "2", "--only", "tx").stdout == "hello\n"
    refused(run("export", str(book), "--link", "nobody"), 1, "its links are: 1 ")
    refused(run("export", str(book), "--as", "doc"), 2, "choose text, csv")
    refused(run("export", str(tmp_path / "none.ordolex")), 1, "there is no book")
    refused(run("export", str(book), "-o", str(tmp_path)), 1, "cannot be written")


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_a_signal_ends_a_recording_in_order(number: signal.Signals, bench_process: BenchNotice, tmp_path: Path) -> None:
    book = tmp_path / "b.ordolex"
    recording = subprocess.Popen(
        program("record", endpoint(bench_process, "temperature"), "--line", "4800 8N1", "--book", str(book)),
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    deadline = time.monotonic() + 20
    while not _chunks(book):
        assert time.monotonic() < deadline
        time.sleep(0.05)
    refused(run("record", "tcp://127.0.0.1:1", "--book", str(book)), 1, f"is in use by process {recording.pid}")
    recording.send_signal(number)
    out, err = recording.communicate(timeout=10)
    assert recording.returncode == 0 and "bytes in" in out, err
    assert sqlite3.connect(book).execute("SELECT count(*) FROM visit WHERE ended_utc_us IS NOT NULL").fetchone() == (1,)


def _chunks(book: Path) -> int:
    if not book.exists():
        return 0
    try:
        return int(sqlite3.connect(book).execute("SELECT count(*) FROM chunk").fetchone()[0])
    except sqlite3.OperationalError:
        return 0


def test_find_lists_the_bench_with_the_fields_that_others_rely_on(bench_process: BenchNotice) -> None:
    rows = json.loads(run("find", "--json").stdout)
    names = {row["name"]: row for row in rows}
    assert {"endpoint", "name", "what", "serial", "state", "holder"} <= set(rows[0])
    assert names["Echo plug"]["state"] == "free" and "bench" in names["Echo plug"]["what"]
    assert "Raceway 1 oxygen" in run("find").stdout
    refused(run("find", "--watch", "--json"), 2, "one document cannot go on")


def test_find_watch_says_what_comes_and_goes(bench_process: BenchNotice) -> None:
    watching = subprocess.Popen(program("find", "--watch"), stdout=subprocess.PIPE, text=True, bufsize=1,
                                env={**os.environ, "PYTHONUNBUFFERED": "1"})  # fmt: skip
    assert watching.stdout is not None
    while "Echo plug" not in watching.stdout.readline():
        pass
    assert "Echo plug: vanish" in run("bench", "--tell", "vanish echo").stdout
    line = watching.stdout.readline()
    while not (line.startswith("changed") and "Echo plug" in line and "gone" in line):
        assert line, "it ended before it said that the plug is gone"
        line = watching.stdout.readline()
    watching.send_signal(signal.SIGINT)
    assert watching.wait(timeout=10) == 0


def test_bench_lists_its_devices(bench_process: BenchNotice) -> None:
    devices = json.loads(run("bench", "--list", "--json").stdout)["devices"]
    assert {"name", "kind", "line", "polarity", "endpoint", "pty"} <= set(devices[0])
    assert any(device["pty"].startswith("/dev/") for device in devices)
    refused(run("bench", "--tell", "jump echo"), 1, "'jump' is not known")


def test_telling_a_bench_that_does_not_run() -> None:
    refused(run("bench", "--tell", "list"), 1, "start one with: ordolex bench")


def test_the_tour_runs_the_whole_example(tmp_path: Path) -> None:
    done = run("demo", "--tour", str(tmp_path / "tour"), timeout=60)
    assert done.returncode == 0, done.stderr
    steps = json.loads((tmp_path / "tour" / "tour.json").read_text())
    by_name = {step["step"]: step for step in steps}
    assert by_name["ask *IDN?"]["rung"] == "Proven"
    wrong = by_name["ask again at a wrong rate, 4800"]
    assert wrong["rung"] == "Heard" and "framing error" in wrong["errors"] and "baud" in wrong["advice"]
    assert by_name["listen to the temperature string"]["checksums_right"] >= 2
    assert "*IDN?" in (tmp_path / "tour" / "tour.txt").read_text()
    refused(run("demo", "--tour", str(tmp_path / "tour")), 1, "nothing is overwritten")


def test_wrong_usage_has_its_own_status() -> None:
    assert run("ask").returncode == 2
    assert run("nonsense").returncode == 2
    assert run("--version").stdout.startswith("ordolex ")


def test_solve_says_what_the_sender_uses_from_bytes_alone(tmp_path: Path) -> None:
    # "spring level" sent at 4800 8N1, as a receiver at 9600 8N1 got it, line errors and all
    out, receiver = Transmitter(LineSettings(4800)), Receiver(LineSettings(9600))
    receiver.receive(out.send(b"spring level 412 mm, lid closed\r\n" * 2, 0.0))
    got = receiver.advance(9.0)
    (tmp_path / "heard.bin").write_bytes(bytes(c.byte for c in got))
    flags = [f"{n} {'B' if c.broken else 'F'}" for n, c in enumerate(got) if c.faulty]
    (tmp_path / "errors").write_text("\n".join(flags))
    (tmp_path / "times").write_text("\n".join(f"{c.at_s * 1000:.3f}" for c in got))
    done = run(
        "solve", str(tmp_path / "heard.bin"), "--heard-at", "9600 8N1", "--errors", str(tmp_path / "errors"),
        "--times", str(tmp_path / "times"), "--draw", str(tmp_path / "bits.svg"), "--json",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    first = json.loads(done.stdout)["ranked"][0]
    assert first["line"].startswith("4800 ") and first["polarity"] == "normal" and first["probability"] > 0.3
    assert "<text" in (tmp_path / "bits.svg").read_text()
    explained = run("solve", "--hex", bytes(c.byte for c in got).hex(), "--explain").stdout
    assert "▁" in explained and "sent" in explained and "%" in explained
    refused(run("solve", "--hex", "9g"), 1, "no hex pairs")
    refused(run("solve", "--hex", "9f", "--data-bits", "9"), 2, "give some of 5 6 7 8")
    few = run("solve", "--hex", "0a151b0a151b0a15", "--data-bits", "5", "--json").stdout
    assert {entry["line"].split()[1][0] for entry in json.loads(few)["ranked"]} == {"5"}
    refused(run("solve", str(tmp_path / "nothing")), 1, "cannot be read")
    (tmp_path / "errors").write_text("9999 F")
    refused(run("solve", str(tmp_path / "heard.bin"), "--errors", str(tmp_path / "errors")), 1, "there is no byte 9999")
    (tmp_path / "times").write_text("1\n2")
    refused(run("solve", str(tmp_path / "heard.bin"), "--times", str(tmp_path / "times")), 1, "2 times for")


def test_match_finds_a_device_and_keeps_its_trials(tmp_path: Path, bench_process: BenchNotice) -> None:
    endpoint = next(d.endpoint for d in bench_process.devices if d.name == "Raceway 1 oxygen")
    book = tmp_path / "b.ordolex"
    done = run("match", endpoint, "--ask", "*IDN?\\n", "--listen", "0.4", "--book", str(book), "--json", timeout=100)
    found = json.loads(done.stdout)
    assert done.returncode == 0 and found["found"] and found["line"] == "19200 8N1" and found["answered"]
    assert found["trials"] and {"line", "verdict", "sent_hex"} <= set(found["trials"][0])
    kinds = [kind for (kind,) in sqlite3.connect(book).execute("SELECT kind FROM event")]
    assert kinds.count("trial") == len(found["trials"]) and "match" in kinds
    refused(run("match", "tcp://127.0.0.1:1"), 1, "no line settings to find")
    refused(run("match", endpoint, "--sheet", "nothing"), 1, "there is no sheet")


def test_lists_become_files_and_say_what_is_missing(tmp_path: Path, bench_process: BenchNotice) -> None:
    endpoint = next(device.endpoint for device in bench_process.devices if device.name == "Alarm annunciator")
    book, out = tmp_path / "b.ordolex", tmp_path / "lists"
    done = run(
        "lists", endpoint, "--sheet", "alarm-annunciator", "--list", "active alarms", "--list", "3",
        "--out", str(out), "--book", str(book), "--json",
    )  # fmt: skip
    first, second = json.loads(done.stdout)
    assert first["name"] == "active alarms" and first["missing"] == [] and len(second["rows"]) == 16
    assert (out / "channels.csv").read_text().splitlines()[1] == "01,in use,4-20 mA"
    visit = json.loads(run("handover", str(book), "-o", str(tmp_path / "v"), "--without", "report", "--json").stdout)
    assert sum(name.startswith("tables/") for name in visit["files"]) == 2
    csv = tmp_path / "record.csv"
    written = json.loads(run("export", str(book), "--as", "csv", "-o", str(csv), "--json").stdout)
    assert written == {"file": str(csv), "form": "csv", "bytes": csv.stat().st_size}
    refused(run("export", str(book), "--json"), 2, "give -o FILE")
    refused(run("visit", str(book), "--into", "x"), 2, "ordolex handover BOOK -o FOLDER")
    refused(run("lists", endpoint, "--sheet", "echo-plug"), 1, "says nothing of lists")
    refused(run("lists", endpoint, "--sheet", "alarm-annunciator", "--list", "no such"), 1, "it has active alarms")


BUS_PLAN = """[[device]]
name = "bus"
kind = "bus"
line = "19200 8E1"

[[device]]
name = "modem"
kind = "modem"
line = "115200 8N1"
"""


def test_parameters_are_read_written_and_units_scanned_headless(tmp_path: Path) -> None:
    plan, ready = tmp_path / "plan.toml", tmp_path / "ready.json"
    plan.write_text(BUS_PLAN)
    bench = BenchProcess(plan, ready)
    bus, modem = (device.endpoint for device in bench.notice.devices)
    try:
        scanned = json.loads(run("scan", bus, "--units", "2-4", "--line", "19200 8E1", "--json").stdout)
        assert [(one["unit"], one["answer"]) for one in scanned] == [(3, "registers 350"), (4, "registers 350")]
        drive = (bus, "--sheet", "variable-speed-drive", "--unit", "4")
        (speed,) = json.loads(run("read", *drive, "set-point", "--json").stdout)
        assert (speed["name"], speed["value"], speed["unit"], speed["raw_hex"]) == ("set-point", 35.0, "Hz", "015e")
        book = str(tmp_path / "b.ordolex")
        (done,) = json.loads(run("write", *drive, "set-point=42.5", "--json", "--book", book).stdout)
        wanted = {"name": "set-point", "before": 35.0, "wanted": 42.5, "after": 42.5, "verdict": "held"}
        assert wanted.items() <= done.items()
        kept = BookReader(Path(book))
        assert any(event.kind == "set" for event in kept.events())
        kept.close()
        refused(run("write", *drive, "set-point=62"), 2, "62 is more than 50 Hz")
        refused(run("write", *drive, "speed=5"), 1, "speed is only read")
        refused(run("write", *drive, "speed"), 2, "write NAME=VALUE")
        refused(run("read", *drive, "colour"), 1, "it has set-point, ramp")
        refused(run("read", bus, "--sheet", "nothing"), 1, "there is no sheet 'nothing'")
        refused(run("scan", bus, "--units", "20-21", "--line", "19200 8E1"), 1, "none of 2 units answered")
        silent = run("read", bus, "--sheet", "variable-speed-drive", "--unit", "9", "ramp")
        assert silent.returncode == 1 and "no answer of unit 9" in silent.stderr
        rings = json.loads(run("write", modem, "--sheet", "radio-modem", "rings=3", "--json").stdout)
        assert rings[0]["verdict"] == "held"
    finally:
        bench.stop()
