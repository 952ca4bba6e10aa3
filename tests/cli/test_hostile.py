"""Files that must not be written over, books that are damaged or taken away, and text that would drive the terminal."""

from __future__ import annotations

import json
import os
import random
import signal
import socket
import sqlite3
import stat
import subprocess
import threading
import time
import zipfile
from pathlib import Path

import pytest

from ordolex.core.link.judge import LineErrors
from ordolex.core.record.items import Event, LinkRecord
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.own import places
from ordolex.io.system.clock import mono_s, utc_us
from ordolex.io.system.files import safe_name
from tests.commands import run_bytes
from tests.conftest import BenchNotice, program

LINES = b"".join(b"line %05d oxygen 9.4 mg/l\r\n" % n for n in range(4000))


def run(*arguments: str | bytes, **more: object) -> subprocess.CompletedProcess[bytes]:
    if not more and all(isinstance(one, str) for one in arguments):
        return run_bytes(*arguments)  # type: ignore[arg-type]
    return subprocess.run([*program(), *arguments], capture_output=True, timeout=60, **more)  # type: ignore[call-overload,no-any-return]


def said(done: subprocess.CompletedProcess[bytes], status: int, words: str) -> None:
    text = done.stderr.decode("utf-8", "replace")
    assert done.returncode == status and words in text and "Traceback" not in text, text
    assert len(text.strip().splitlines()) == 1 and text.startswith("ordolex: "), text


@pytest.fixture
def book(tmp_path: Path) -> Path:
    path = tmp_path / "site.ordolex"
    made = Book(path, "Alder Brook")
    link = made.add_link(LinkRecord(0, "=cmd|' /C calc'!A0", "tcp://127.0.0.1:1", "9600 8N1"))
    for at in range(0, len(LINES), 700):
        made.recorder.record(link.id, "rx", LINES[at : at + 700], LineErrors(framing=1), mono_s() + at / 1000)
    made.recorder.record(link.id, "tx", b"=1+1\x9b2J\r\n", None, mono_s() + 500)
    detail: dict[str, object] = {"a": float("nan"), "b": float("inf")}
    made.recorder.note(Event(link.id, utc_us(), round(mono_s() * 1e6), "note", "\u202eodd\x1b]0;x\x07", detail))
    made.close()
    return path


def test_an_export_never_writes_over_the_book_or_another_file(book: Path, tmp_path: Path) -> None:
    before = book.read_bytes()
    there, link = tmp_path / "there.txt", tmp_path / "link.txt"
    there.write_text("precious")
    link.symlink_to(there)
    said(run("export", str(book), "-o", str(book)), 1, "is the book itself")
    said(run("export", str(book), "-o", str(book), "--force"), 1, "is the book itself")
    os.link(book, tmp_path / "hard.ordolex")
    said(run("export", str(book), "-o", str(tmp_path / "hard.ordolex"), "--force"), 1, "is the book itself")
    for name in (there, link):
        said(run("export", str(book), "-o", str(name)), 1, "is there already")
    said(
        run("wave", "A", "--draw", str(tmp_path / "there.svg").replace("there.svg", "there.txt")), 1, "is there already"
    )
    assert there.read_text() == "precious" and book.read_bytes() == before
    assert run("export", str(book), "-o", str(link), "--force").returncode == 0
    assert there.read_text() == "precious" and not link.is_symlink(), "the link is replaced, not what it leads to"
    assert not list(tmp_path.glob(".link.txt.*")), "nothing is left aside"


def test_an_export_is_harmless_to_spreadsheets_terminals_and_readers_of_json(book: Path) -> None:
    csv = run("export", str(book), "--as", "csv").stdout.decode()
    assert "'=cmd" in csv and ",'=1+1" in csv and "\x9b" not in csv
    text = run("export", str(book), "--as", "jsonl").stdout
    rows = [json.loads(row, parse_constant=pytest.fail) for row in text.splitlines()]
    assert {"a": None, "b": None} in [row.get("detail") for row in rows]
    assert all(32 <= byte < 127 or byte == 10 for byte in text), "escaped, whatever was sent"


def test_an_export_takes_a_filter_and_a_span(book: Path) -> None:
    out = run("export", str(book), "--filter", "line 01234").stdout.decode()
    assert out.count("\n") == 1 and "line 01234 oxygen" in out
    assert run("export", str(book), "--as", "raw", "--filter", "hex:30313233").stdout.count(b"0123") >= 1
    reader = BookReader(book)
    first = next(reader.chunks())
    second = list(reader.chunks())[40]
    assert len(list(reader.chunks(span=(None, second.utc_us)))) == 40
    assert len(list(reader.chunks(span=(second.utc_us, None)))) == len(list(reader.chunks())) - 40
    assert not list(reader.timeline(span=(first.utc_us - 10, first.utc_us)))
    reader.close()
    said(run("export", str(book), "--from", "25:00"), 2, "is no time")


@pytest.mark.timeout(300)  # some sixty programs, one after the other
def test_damaged_books_are_said_left_alone_and_rescued(book: Path, tmp_path: Path) -> None:
    whole = book.read_bytes()
    chance = random.Random(7)
    rescued = 0
    for number in range(14):
        damaged = bytearray(whole)
        if number == 0:
            damaged = damaged[: len(damaged) // 2]
        else:
            for _ in range(chance.choice((1, 40, 400))):
                damaged[chance.randrange(0 if number % 2 else 8192, len(damaged))] = chance.randrange(256)
        path = tmp_path / f"damaged-{number}.ordolex"
        path.write_bytes(damaged)
        for command in (("export", str(path)), ("handover", str(path), "-o", str(tmp_path / f"visit-{number}"))):
            done = run(*command)
            assert b"Traceback" not in done.stderr and b"a fault of this program" not in done.stderr, done.stderr
            assert done.returncode in (0, 1) and len(done.stderr.splitlines()) <= 1
        assert path.read_bytes() == bytes(damaged)
        done = run("book", "rescue", str(path), str(tmp_path / f"new-{number}.ordolex"), "--json")
        assert b"Traceback" not in done.stderr and b"a fault of this program" not in done.stderr, done.stderr
        if done.returncode == 0:
            rescued += json.loads(done.stdout)["bytes"] > 0
            assert run("export", str(tmp_path / f"new-{number}.ordolex")).returncode == 0
    assert rescued >= 10
    record = run("record", "tcp://127.0.0.1:9", "--book", str(tmp_path / "damaged-0.ordolex"), "--seconds", "0.1")
    said(record, 1, "book rescue")
    assert (tmp_path / "damaged-0.ordolex").read_bytes() == whole[: len(whole) // 2], "nothing is written into it"


def test_a_book_that_is_taken_away_while_recording_goes_on_in_a_safe_place(tmp_path: Path) -> None:
    server = socket.create_server(("127.0.0.1", 0))
    folder = tmp_path / "stick"
    folder.mkdir()
    command = program("record", f"tcp://127.0.0.1:{server.getsockname()[1]}", "--book", str(folder / "b.ordolex"))
    recording = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    peer, _ = server.accept()
    peer.sendall(b"before\r\n")
    wait_for(lambda: b"before" in heard(folder / "b.ordolex"))
    for one in folder.iterdir():
        one.unlink()
    folder.rmdir()
    assert recording.stderr is not None
    line = recording.stderr.readline().decode()
    assert "was taken away" in line and ".ordolex" in line
    safe = Path(line.split(" goes on in ")[1].strip())
    peer.sendall(b"after\r\n")
    wait_for(lambda: b"after" in heard(safe))
    for one in (safe, safe.with_name(safe.name + "-wal"), safe.with_name(safe.name + "-shm")):
        one.unlink(missing_ok=True)
    wait_for(lambda: b"after" in heard(safe))  # again, and at the same name: it does not grow with each time
    recording.send_signal(signal.SIGINT)
    assert recording.wait(timeout=20) == 1
    assert heard(safe) == b"before\r\nafter\r\n"
    peer.close()
    server.close()


def heard(path: Path) -> bytes:
    try:
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as connection:
            return b"".join(row[0] for row in connection.execute("SELECT data FROM chunk ORDER BY id"))
    except sqlite3.Error:
        return b""


def wait_for(condition: object, seconds: float = 30.0) -> None:
    deadline = time.monotonic() + seconds
    while not condition():  # type: ignore[operator]
        assert time.monotonic() < deadline
        time.sleep(0.02)


def test_after_a_reconnect_totals_are_totals(tmp_path: Path) -> None:
    server = socket.create_server(("127.0.0.1", 0))

    def talk() -> None:
        for text in (b"first %s\r\n" % (b"x" * 90), b"second\r\n"):
            peer, _ = server.accept()
            peer.sendall(text)
            wait_for(lambda text=text: text in heard(tmp_path / "b.ordolex"))
            peer.close()

    threading.Thread(target=talk, daemon=True).start()
    command = program(
        "record", f"tcp://127.0.0.1:{server.getsockname()[1]}", "--book", str(tmp_path / "b.ordolex"), "--json"
    )
    recording = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    wait_for(lambda: b"second" in heard(tmp_path / "b.ordolex"))
    recording.send_signal(signal.SIGINT)
    out, err = recording.communicate(timeout=20)
    assert json.loads(out)["bytes"] == len(heard(tmp_path / "b.ordolex")) == 106 and b"nothing was heard" not in err
    server.close()


def test_only_the_owner_may_look_into_what_is_kept(book: Path, bench_process: BenchNotice, tmp_path: Path) -> None:
    fresh = places.books() / "new.ordolex"
    Book(fresh).close()
    for path in (book, book.with_name(book.name + ".lock"), fresh):
        assert stat.S_IMODE(path.stat().st_mode) == 0o600, path
    assert stat.S_IMODE(places.books().stat().st_mode) == 0o700
    notices = list(places.benches().glob("*.json"))
    assert notices and all(stat.S_IMODE(one.stat().st_mode) == 0o600 for one in notices)
    host, _, port = bench_process.control.rpartition(":")
    with socket.create_connection((host, int(port)), timeout=5) as console:
        console.sendall(b"vanish echo\n")
        assert b"wants the token" in console.recv(200)
    assert b"Echo plug" in run("bench", "--tell", "list").stdout


@pytest.mark.parametrize(("arguments", "status", "words"), [
    (("ask", "tcp://[::1:5", "x"), 2, "write it like"),
    (("line", "9" * 5000), 2, "write them like 9600 8N1"),
    (("line", "9" * 5000 + " 8N1"), 2, "write them like 9600 8N1"),
    (("solve", "--hex", "9f3b", "--heard-at", "9" * 400), 2, "write them like 9600 8N1"),
    (("bringup", "tcp://127.0.0.1:1", "--book", "/"), 1, "/ is no file; give a book the name of a file"),
    (("--book", "", "record", "tcp://127.0.0.1:1", "--book", ""), 1, ". is no file"),
    (("ask", f"tcp://{'h' * 64}:1", "x"), 2, "can be no host's name"),
    (("scan", "tcp://127.0.0.1:1", "--expect", "unit-eleven"), 2, "give units such as 1-32"),
    (("handover", "/"), 1, "there is no book /"),
    (("book", "rescue", "/", "x.ordolex"), 1, "there is no book /"),
    (("solve", "/dev/zero"), 1, "is longer than"),
    (("bus", "/dev/zero"), 1, "is longer than 4 MB"),
    (("bench", "--plan", "/dev/zero"), 2, "is longer than 4 MB"),
    (("watch", "--from", "mqtt://[::1:5", "x"), 1, "write mqtt://host:1883"),
    (("ask", "tcp://127.0.0.1:" + "9" * 5000, "x"), 2, "write it like"),
    (("export", b"\xff\xfe.ordolex"), 1, "there is no book"),
    (("scan", "tcp://127.0.0.1:1", "--units", "9" * 5000), 2, ""),
])  # fmt: skip
def test_odd_arguments_get_one_line(arguments: tuple[str | bytes, ...], status: int, words: str) -> None:
    done = run(*arguments)
    text = done.stderr.decode("utf-8", "replace")
    assert done.returncode == status and "Traceback" not in text and words in text and len(text.splitlines()) == 1, text
    assert "fault of this program" not in text, text


def test_a_secret_that_is_no_utf_8_is_looked_for(tmp_path: Path) -> None:
    (tmp_path / "log").write_bytes(b"the key is \xad\xffabc")
    done = run("secret", str(tmp_path / "log"), "--stdin", input=b"\xad\xffabc\n")
    assert done.returncode == 1 and b"byte 11" in done.stdout, (done.stdout, done.stderr)


def test_books_and_folders_whose_names_are_no_utf_8_are_worked_like_others(book: Path, tmp_path: Path) -> None:
    odd = os.fsencode(tmp_path) + b"/\xff\xfe site.ordolex"
    book.rename(os.fsdecode(odd))
    folder = os.fsencode(tmp_path) + b"/\xfe"
    for arguments in (
        ("export", odd), ("handover", odd, "-o", folder + b"visit"), ("handover", odd, "-o", folder + b"out.zip"),
        ("book", "rescue", odd, folder + b"rescued.ordolex"), ("verify", odd), ("verify", folder + b"out.zip"),
    ):  # fmt: skip
        done = run(*arguments)
        assert done.returncode == 0, done.stderr.decode("utf-8", "replace")
    other = Book(tmp_path / "other.ordolex", "Alder Brook")
    other.close()
    for first, second, into in (
        (str(other.path).encode(), odd, b"/a.ordolex"),
        (odd, str(other.path).encode(), b"/\xff.ordolex"),
    ):
        done = run("book", "join", first, second, "-o", os.fsencode(tmp_path) + into)
        assert done.returncode == 0, done.stderr.decode("utf-8", "replace")
    said(run("handover", str(other.path), "-o", "/"), 1, "needs a name")


def test_sheets_that_are_nested_or_take_forever_or_hold_codes_are_borne(tmp_path: Path) -> None:
    from ordolex.io.own.sheets import own_folder

    own_folder().mkdir(parents=True)
    deep = tmp_path / "deep.toml"
    deep.write_text("a = " + "[" * 20_000 + "]" * 20_000)
    said(run("sheet", "check", str(deep)), 1, "deep.toml")
    slow = tmp_path / "slow.toml"
    start = (
        'name = "s"\ndevice = "d\\u001b]0;taken\\u0007"\ntalks = "{}"\n[line]\nsettings = "9600 8N1"\nsource = "x"\n'
    )
    for pattern in ("(x+x+)+y", "(ab|a|b)+c", "(oxygen|oxyge|n)+$"):
        slow.write_text(start.format(pattern))
        said(run("sheet", "check", str(slow)), 1, "take forever")
    (own_folder() / "deep.toml").write_text(deep.read_text())
    (own_folder() / "good.toml").write_text(start.format("ok"))
    listed = run("sheet", "list")
    assert listed.returncode == 0 and b"oxygen-transmitter" in listed.stdout and b"deep.toml" in listed.stderr
    shown = run("sheet", "show", "s").stdout + listed.stdout + run("sheet", "show", "s", "--json").stdout
    assert b"\x1b" not in shown and b"\x07" not in shown


def test_an_output_that_cannot_be_written_gets_one_line(book: Path) -> None:
    latin = {**os.environ, "PYTHONIOENCODING": "latin-1"}
    done = run("wire", "--from", "pc-9", "--to", "pc-9", "--list", env=latin)
    assert done.returncode in (0, 1, 2) and b"Traceback" not in done.stderr
    assert run("export", str(book), env={**os.environ, "PYTHONIOENCODING": "cp1252"}).returncode == 0
    with Path("/dev/full").open("wb") as full:
        done = subprocess.run(program("export", str(book)), stdout=full, stderr=subprocess.PIPE, timeout=60)
    assert done.returncode == 1 and b"No space" in done.stderr and b"Traceback" not in done.stderr
    with Path("/dev/full").open("wb") as full:
        done = subprocess.run(program("find"), stdout=full, stderr=subprocess.PIPE, timeout=60)
    assert b"Traceback" not in done.stderr and b"Exception" not in done.stderr
    closed = subprocess.run(["sh", "-c", f"{' '.join(program('sheet', 'list'))} >&-"], capture_output=True, timeout=60)
    assert b"Traceback" not in closed.stderr


def test_without_a_terminal_the_interface_refuses_to_start(tmp_path: Path) -> None:
    said(run("--book", str(tmp_path / "b.ordolex"), stdin=subprocess.DEVNULL), 1, "needs a terminal")


@pytest.mark.parametrize(("name", "made"), [
    ("../../x", "x"), ("/etc/passwd", "etc-passwd"), ("alarms now", "alarms-now"), ("..", "unnamed"), ("CON", "CON-"),
    ("nul.txt", "nul-.txt"), ("Com¹.a.csv", "Com¹-.a.csv"), ("console.txt", "console.txt"),
    ("a\x1b[2Jb\n", "a-2Jb"), ("\u202egnp", "gnp"),
])  # fmt: skip
def test_a_name_from_outside_becomes_a_name_of_one_file(name: str, made: str) -> None:
    assert safe_name(name) == made


def test_a_kill_while_a_book_is_made_leaves_one_that_opens_or_none(tmp_path: Path) -> None:
    code = (
        "import sys, pathlib; from ordolex.io.book.book import Book; print('go', flush=True)\n"
        "for n in range(1000):\n    Book(pathlib.Path(sys.argv[1]) / f'{n}.ordolex').close()"
    )
    for number in range(6):
        folder = tmp_path / str(number)
        making = subprocess.Popen([program()[0], "-c", code, str(folder)], stdout=subprocess.PIPE)
        assert making.stdout is not None and making.stdout.readline()
        time.sleep(0.03 * number + 0.01)  # the moment is meant to be any
        making.kill()
        making.wait()
        for path in folder.glob("[0-9]*.ordolex") if folder.is_dir() else ():
            Book(path).close()


def test_files_from_anywhere_get_one_line(tmp_path: Path) -> None:
    nines = "9" * 5000
    bag, image, manifest = tmp_path / "bag.toml", tmp_path / "image.json", tmp_path / "m" / "manifest.json"
    manifest.parent.mkdir()
    for cost in (nines, "1e400", "1e300", "-1", "nan"):
        bag.write_text(f'[[part]]\nname = "x"\na = "DE-9 plug"\nb = "DE-9 socket"\nwires = "2-2"\ncost = {cost}\n')
        done = run("wire", "--from", "dte-de9", "--to", "dce-de9", "--bag", str(bag))
        said(done, 2, "bag" if cost == nines else "cost")
    for unit in ('""', nines, "null", "[]"):
        image.write_text(f'{{"kind": "ordolex-image", "version": 1, "device": "d", "sheet": "s", "unit": {unit}, '
                         '"when": "", "values": {}}')  # fmt: skip
        assert "Traceback" not in run("compare", str(image), str(image)).stderr.decode()
    for text in ("[]", '{"kind": 1}', '{"kind": "ordolex-handover", "version": "x", "files": []}', "[" * 100_000):
        manifest.write_text(text)
        said(run("verify", str(manifest.parent)), 1, "cannot be read")
    manifest.write_text('{"kind": "ordolex-handover", "version": 1, "files": []}')
    done = run("verify", str(manifest.parent))
    assert done.returncode == 1 and b"names no file" in done.stdout
    book = str(tmp_path / "b.ordolex")
    said(run("record", "tcp://127.0.0.1:1", "--book", book, "--rotate", f"{nines}MB"), 1, "no size")


def test_an_encrypted_zip_gets_one_line(tmp_path: Path) -> None:
    path = tmp_path / "h.zip"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("h/manifest.json", "{}")
    data = bytearray(path.read_bytes())
    for mark, at in ((b"PK\x01\x02", 8), (b"PK\x03\x04", 6)):
        data[data.find(mark) + at] |= 1
    path.write_bytes(data)
    said(run("verify", str(path)), 1, "cannot be read")


def test_a_link_beside_a_book_is_not_followed(tmp_path: Path) -> None:
    """It emptied what it led to, and took it from everybody else."""
    target = tmp_path / "somebody-elses"
    target.write_text("precious")
    target.chmod(0o644)
    (tmp_path / "site.ordolex.lock").symlink_to(target)
    done = run("record", "tcp://127.0.0.1:1", "--book", str(tmp_path / "site.ordolex"), "--seconds", "0.1")
    assert done.returncode == 1 and b"symbolic link" in done.stderr
    assert target.read_text() == "precious" and target.stat().st_mode & 0o777 == 0o644
