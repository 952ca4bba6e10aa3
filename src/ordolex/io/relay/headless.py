"""Relays that go on without the interface: a process of their own, which has the book."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from ordolex.io.relay.notices import running
from ordolex.io.system.faults import Fault

_START_S = 60.0


def go_on(book: Path, names: Sequence[str]) -> list[str]:
    """Starts them, and those that run then. Raises a Fault where the process ends at once, or takes too long."""
    command = [sys.executable, "-m", "ordolex", "relay", "run", names[0], "--book", str(book)]
    for name in names[1:]:
        command += ["--also", name]
    process = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    until = time.monotonic() + _START_S
    while time.monotonic() < until:
        there = [notice.name for notice in running() if notice.pid == process.pid and notice.name in names]
        if len(there) == len(names):
            return there
        if process.poll() is not None:
            raise Fault(
                f"the relays did not go on: their process ended with {process.returncode}",
                f"start them by hand: ordolex relay run '{names[0]}' --book '{book}'",
            )
        time.sleep(0.05)
    raise Fault(
        f"the relays were started (process {process.pid}) and do not stand after {_START_S:g} s",
        "ordolex relay list says whether they do by now, ordolex relay stop NAME ends one",
    )
