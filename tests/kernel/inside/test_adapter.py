"""A USB serial adapter that is pulled and plugged, and another one that gets its name."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import time
from pathlib import Path

import pytest

from ordolex.core.line.notation import read_line
from ordolex.core.line.settings import LineSettings
from ordolex.core.link.ladder import Rung
from ordolex.io.book.reader import BookReader
from ordolex.io.link.runner import LinkRunner
from ordolex.io.ports.survey import survey
from ordolex.io.system.faults import Fault, SettingsRefused
from ordolex.io.transport.serial_port import SerialTransport
from tests.conftest import Ear, Notes
from tests.kernel.inside.conftest import Outside, until

LINE = LineSettings(9600)


def listed(serial: str) -> str:
    """Where the adapter with this serial number is; empty where it is not."""
    return next((row.endpoint for row in survey() if row.serial == serial and Path(row.endpoint).exists()), "")


async def test_an_adapter_is_listed_with_what_tells_it_from_others(outside: Outside) -> None:
    plugged = outside.plug("A1")
    await until(lambda: listed("A1"))
    (row,) = [row for row in survey() if row.serial == "A1"]
    assert row.driver == "ftdi_sio" and row.state == "free" and row.usb_id and "A1" in row.identity
    outside.pull(plugged)
    await until(lambda: not listed("A1"))


async def test_a_format_that_the_adapter_cannot_do_is_refused_and_the_next_is_taken(outside: Outside, ear: Ear) -> None:
    outside.plug("A2")
    await until(lambda: listed("A2"))
    port = SerialTransport(listed("A2"))
    await port.open(LINE, ear)
    with pytest.raises(SettingsRefused):
        await port.configure(read_line("9600 6E1").settings)
    for text in ("19200 8E1", "9600 7O2", "115200 8N1"):
        await port.configure(read_line(text).settings)
    await port.close()


async def test_another_adapter_with_the_same_name_is_not_taken_for_it(outside: Outside, notes: Notes) -> None:
    first = outside.plug("B1")
    await until(lambda: listed("B1"))
    name = listed("B1")
    runner = LinkRunner(1, name, LINE, notes)
    await runner.open()
    outside.pull(first)
    await until(lambda: not runner.is_open)
    await until(lambda: not Path(name).exists())
    other = outside.plug("B2")
    await until(lambda: listed("B2") == name)
    await until(lambda: "another adapter" in runner.view().returning)
    assert not runner.is_open and runner.view().evidence.rung < Rung.HELD
    outside.pull(other)
    await until(lambda: not Path(name).exists())
    outside.plug("B1")
    await until(lambda: runner.is_open)
    await runner.release()


def test_record_follows_its_adapter_to_another_number(outside: Outside, tmp_path: Path) -> None:
    first = outside.plug("C1")
    until_there("C1")
    old = listed("C1")
    book = tmp_path / "b.ordolex"
    command = [sys.executable, "-m", "ordolex", "record", old, "--line", "9600 8N1", "--book", str(book)]
    recording = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    try:
        said_in(book, "opened")
        outside.pull(first)
        said_in(book, "lost")
        other = outside.plug("C2")  # takes the old number
        until_there("C2")
        outside.plug("C1")
        until_there("C1")
        new = listed("C1")
        assert new != old and listed("C2") == old
        said_in(book, "note", new)
        said_in(book, "back")
        outside.pull(other)
    finally:
        recording.terminate()
        recording.communicate()


def until_there(serial: str) -> None:
    end = time.monotonic() + 30
    while not listed(serial):
        assert time.monotonic() < end, f"{serial} is not listed"
        time.sleep(0.05)


def said_in(book: Path, kind: str, words: str = "") -> None:
    """Waits until an event of this kind in the book says so."""
    end = time.monotonic() + 60
    said: list[str] = []
    while not any(words in text for text in said):
        assert time.monotonic() < end, f"not in the book: {kind} {words}"
        time.sleep(0.1)
        with contextlib.suppress(Fault):
            reader = BookReader(book)
            said = [event.text for event in reader.known.events_of(kind)]
            reader.close()
