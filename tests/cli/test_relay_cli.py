"""`relay`, `survey` and `net` as other programs meet them: documents, exit status, one line for a fault."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from ordolex.cli.documents import document
from ordolex.core.port.bench_notice import BenchNotice
from tests.cli.test_cli import endpoint, refused, run
from tests.conftest import own_network, program

Start = Callable[..., "subprocess.Popen[str]"]


@pytest.fixture
def started() -> Iterator[Start]:
    """`started(ready, *words)`: a relay that stands; it ends with the test, however that ends."""
    going: list[subprocess.Popen[str]] = []

    def start(ready: Path, *words: str) -> subprocess.Popen[str]:
        one = subprocess.Popen(
            program("relay", *words, "--ready-file", str(ready)),
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
        going.append(one)
        end = time.monotonic() + 30
        while not ready.exists() or not ready.read_text():
            assert one.poll() is None and time.monotonic() < end, one.communicate()
            time.sleep(0.05)
        return one

    yield start
    for one in going:
        one.kill()
        one.communicate()


def test_a_relay_tells_where_it_stands_is_listed_and_stopped(
    tmp_path: Path, bench_process: BenchNotice, started: Start
) -> None:
    far, ready, book = endpoint(bench_process, "oxygen"), tmp_path / "relay.json", tmp_path / "b.ordolex"
    going = started(ready, "virtual:ox", far, "--line", "19200 8N1", "--book", str(book), "--json")
    told = json.loads(ready.read_text())
    assert told == {"name": "ox", "a": {"endpoint": "virtual:ox", "path": told["a"]["path"]},
                    "b": {"endpoint": far, "path": far}}  # fmt: skip
    answer = run("ask", told["a"]["path"], "*IDN?\\n", "--line", "19200 8N1", "--json")
    assert "Brookmade,OX-2" in json.loads(answer.stdout)["reply"]
    (row,) = json.loads(run("relay", "list", "--json").stdout)
    while row["bytes"]["back"] < 27:  # it is renewed a few times a second
        (row,) = json.loads(run("relay", "list", "--json").stdout)
    assert document("relay list", [row]) == [row] and row["name"] == "ox" and row["port"] == told["a"]["path"]
    assert row["bytes"] == {"there": 6, "back": 27} and row["fault"] == "" and row["settings"].endswith("19200 8N1")
    refused(run("relay", "virtual:ox", far, "--tries", "1"), 1, "a relay called ox runs already")
    refused(run("relay", "virtual:ox", far, "--tries", "1", "--name", "second"), 1, "is there already")
    assert json.loads(run("relay", "stop", "ox", "--json").stdout) == {"stopped": "ox"}
    out, _ = going.communicate(timeout=20)
    assert going.returncode == 0 and json.loads(out) == told and not Path(told["a"]["path"]).is_symlink()
    kept = run("export", str(book), "--as", "text").stdout
    assert kept.count("*IDN?") >= 2, "once at each end"
    refused(run("relay", "stop", "ox"), 1, "no relay called 'ox' runs; there are: none")


def test_a_killed_relay_leaves_a_name_that_the_next_one_takes(tmp_path: Path, started: Start) -> None:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        far = f"tcp://127.0.0.1:{listener.getsockname()[1]}"
        first = started(tmp_path / "1.json", "virtual:k", far)
        path = Path(json.loads((tmp_path / "1.json").read_text())["a"]["path"])
        first.send_signal(signal.SIGKILL)
        first.wait()
        assert path.is_symlink()
        assert json.loads(run("relay", "list", "--json").stdout) == []
        second = started(tmp_path / "2.json", "virtual:k", far)
        assert path.exists()
        second.send_signal(signal.SIGTERM)
        assert second.wait(20) == 0 and not path.is_symlink()


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("relay", "virtual:x"), 2, "two ends"),
        (("relay", "virtual:x", "tcp://h"), 2, "host and port are both needed"),
        (("relay", "virtual:a/b", "tcp://h:1"), 2, "no name for a virtual port"),
        (
            ("relay", "virtual:x", "tcp://127.0.0.1:1", "--tries", "2", "--retry", "0.05"),
            1,
            "nothing listens at 127.0.0.1:1",
        ),
        (("relay", "run", "x"), 2, "--book"),
        (("relay", "stop"), 2, "relay list"),
        (("survey", "10.0.0.0/8"), 2, "at most a /22"),
        (("survey", "127.0.0.300"), 2, "no IPv4"),
        (("net", "check", "1.2.3"), 2, "3 numbers"),
        (("net", "check", "127.0.0.1:70000"), 2, "no host or host:port"),
        (("net", "propose", "10.0.0.1", "lo", "--mask", "255.255.255.255"), 2, "no room"),
        (("net", "wait", "127.0.0.1:x"), 2, "no host or host:port"),
    ],
)
def test_what_cannot_be_is_refused_in_one_line(words: tuple[str, ...], status: int, says: str) -> None:
    done = run(*words)
    assert done.returncode == status and says in done.stderr and "Traceback" not in done.stderr
    assert done.stderr.strip().splitlines()[-1].startswith("ordolex: ")


def test_a_port_below_1024_takes_rights(tmp_path: Path) -> None:
    if os.geteuid() == 0:
        pytest.skip("root may listen everywhere")
    refused(run("relay", "listen+tcp://:80", "tcp://127.0.0.1:1", "--tries", "1"), 1, "below 1024")


def test_survey_and_net_print_their_documents(bench_process: BenchNotice) -> None:
    hosts = json.loads(run("survey", f"{own_network()}.40/29", "--no-announced", "--json").stdout)
    assert document("survey", hosts) == hosts
    proven = {s["port"]: s["proven"] for s in hosts[0]["services"]}
    assert proven[2323] == "text console" and proven[4002] == "RFC 2217" and proven[4004] == ""
    assert run("survey", f"{own_network()}.200/32", "--no-announced", "--json").returncode == 1
    steps = json.loads(run("net", "check", f"{own_network()}.44:2323", "--json").stdout)
    assert document("net check", steps) == steps
    assert next(step for step in steps if step["step"] == "TCP port")["ok"] is True
    closed = run("net", "check", f"{own_network()}.44:9", "--json")
    assert closed.returncode == 1
    assert (
        "nothing listens at this port" in next(s for s in json.loads(closed.stdout) if s["step"] == "TCP port")["words"]
    )
    proposed = json.loads(run("net", "propose", f"{own_network()}.44", "lo", "--json").stdout)
    assert document("net propose", proposed) == proposed and proposed["made"] is False
    assert proposed["undo"].startswith("ip address del ")
    assert json.loads(run("net", "undo", "--json").stdout) == []
    waited = json.loads(run("net", "wait", f"{own_network()}.44:2323", "--json").stdout)
    assert waited["ok"] is True and "at try 1" in waited["words"]
