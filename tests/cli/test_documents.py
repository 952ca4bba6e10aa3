"""What is printed with --json is what `ordolex schema` says: no field more, none less, none of another kind."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from pydantic import ValidationError

from ordolex.cli.documents import DOCUMENTS, document
from ordolex.core.port.bench_notice import BenchNotice
from tests.cli.test_cli import run

OXYGEN = ("--line", "19200 8N1")


def test_every_command_that_prints_a_document_has_its_schema() -> None:
    named = run("schema").stdout.split("\n")
    assert set(filter(None, named)) == set(DOCUMENTS)
    for command in DOCUMENTS:
        if "--" not in command:
            said = json.loads(run("schema", *command.split()).stdout)
            assert said["$schema"].endswith("2020-12/schema") and said["type"] in ("object", "array")
    refused = run("schema", "dance")
    assert refused.returncode == 2 and "ask" in refused.stderr and "Traceback" not in refused.stderr


def test_what_is_printed_fits_its_schema_and_nothing_else_does(tmp_path: Path, bench_process: BenchNotice) -> None:
    endpoint = bench_process.devices[0].endpoint
    book = str(tmp_path / "b.ordolex")
    for command, words in {
        "line": ("line", "9600 8N1"),
        "find": ("find",),
        "bench --list": ("bench", "--list"),
        "ask": ("ask", endpoint, *OXYGEN, "*IDN?\\n", "--book", book),
        "record": ("record", endpoint, *OXYGEN, "--book", book, "--seconds", "0.1"),
        "read": ("read", endpoint, "--sheet", "oxygen-transmitter", *OXYGEN),
        "solve": ("solve", "--hex", "4d454153"),
        "wire": ("wire", "--from", "usb", "--to", "dce-de9"),
        "wire --list": ("wire", "--list"),
        "wire --idle": ("wire", "--idle", "-8.4"),
        "book pack": ("book", "pack", book),
        "handover": ("handover", book, "-o", str(tmp_path / "visit"), "--without", "report"),
        "sheet list": ("sheet", "list"),
        "sheet show": ("sheet", "show", "oxygen-transmitter"),
    }.items():
        printed = json.loads(run(*words, "--json").stdout)
        assert document(command, printed) == printed, command
        spoilt = [*printed, {}] if isinstance(printed, list) else printed | {"more": 1}
        with pytest.raises(ValidationError):
            document(command, spoilt)
