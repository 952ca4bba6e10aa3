"""The real broker that tests publish to."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import time
from pathlib import Path

import pytest

BROKER = shutil.which("mosquitto") or shutil.which("mosquitto", path="/usr/sbin:/usr/local/sbin")
NEEDS_BROKER = pytest.mark.skipif(BROKER is None, reason="no mosquitto here: scripts/need mosquitto")


def free_port() -> int:
    with socket.socket() as spare:
        spare.bind(("127.0.0.1", 0))
        return int(spare.getsockname()[1])


class Mosquitto:
    """The real broker, on a free port of loopback, with a configuration of its own."""

    def __init__(self, folder: Path, *more: str) -> None:
        self.port, self._folder = free_port(), folder
        (folder / "db").mkdir(exist_ok=True)
        (folder / "db").chmod(0o777)
        rows = [f"listener {self.port} 127.0.0.1", "persistence true", f"persistence_location {folder}/db/", *more]
        if os.geteuid() == 0:
            rows.append("user root")
        if not any("allow_anonymous" in row for row in more):
            rows.append("allow_anonymous true")
        (folder / "broker.conf").write_text("\n".join(rows) + "\n")
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        assert BROKER is not None
        log = (self._folder / "broker.log").open("ab")
        self._process = subprocess.Popen([BROKER, "-c", str(self._folder / "broker.conf")], stdout=log, stderr=log)
        deadline = time.monotonic() + 20
        while time.monotonic() < deadline:
            try:
                socket.create_connection(("127.0.0.1", self.port), timeout=1).close()
            except OSError:
                time.sleep(0.02)
            else:
                return
        raise AssertionError((self._folder / "broker.log").read_text())

    def stop(self) -> None:
        if self._process is not None:
            self._process.terminate()
            self._process.wait(10)
            self._process = None
