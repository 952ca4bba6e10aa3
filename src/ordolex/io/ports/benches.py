"""Running benches: finding them by their notices, starting one that ends with us, and telling one its faults."""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
import time
from pathlib import Path

from ordolex.core.port.bench_notice import BenchNotice, decode
from ordolex.io.own import places
from ordolex.io.system.faults import Fault

_START_S = 15.0


def running(folder: Path | None = None) -> list[BenchNotice]:
    """The notices of the benches that live; those of dead ones are removed."""
    found: list[BenchNotice] = []
    folder = places.benches() if folder is None else folder
    for path in sorted(folder.glob("*.json")):
        try:
            notice = decode(path.read_text())
        except (OSError, ValueError):
            continue
        if _lives(notice.pid):
            found.append(notice)
        else:
            with contextlib.suppress(OSError):
                path.unlink()
    return found


def _lives(pid: int) -> bool:
    if os.name != "posix":
        return True  # asking could end it there; a dead bench's endpoints refuse, which says enough
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


class BenchProcess:
    """A bench in a process of its own. It ends when this one does: their pipe closes."""

    def __init__(self, plan: Path | None, ready_file: Path) -> None:
        command = [sys.executable, "-m", "ordolex", "bench", "--with-parent", "--ready-file", str(ready_file)]
        if plan is not None:
            command += ["--plan", str(plan)]
        ready_file.unlink(missing_ok=True)
        self._process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, start_new_session=True
        )
        self.notice = self._wait_until_ready(ready_file)

    def _wait_until_ready(self, ready_file: Path) -> BenchNotice:
        deadline = time.monotonic() + _START_S
        while time.monotonic() < deadline:
            if ready_file.exists():
                with contextlib.suppress(ValueError, OSError):
                    return decode(ready_file.read_text())
            if self._process.poll() is not None:
                assert self._process.stderr is not None
                said = self._process.stderr.read().decode("utf-8", "replace").strip().splitlines()
                raise Fault(f"the bench did not start: {said[-1] if said else 'no reason given'}", "mend the plan")
            time.sleep(0.02)
        self.stop()
        raise Fault(f"the bench did not start within {_START_S:g} s", "start it by hand: ordolex bench")

    def stop(self) -> None:
        assert self._process.stdin is not None
        with contextlib.suppress(OSError):
            self._process.stdin.close()
        try:
            self._process.wait(timeout=5)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        if self._process.stderr is not None:
            self._process.stderr.close()


def tell(notice: BenchNotice, text: str) -> str:
    """One line to a bench's console, and its answer. Raises Fault."""
    host, _, port = notice.control.rpartition(":")
    try:
        with socket.create_connection((host, int(port)), timeout=3.0) as console:
            console.sendall(f"token {notice.token}\n{text}\n".encode())
            console.shutdown(socket.SHUT_WR)
            with console.makefile("r", encoding="utf-8") as answers:
                answer = answers.read().strip()
    except OSError as error:
        raise Fault(f"the bench's console does not answer: {error}", "start the bench again") from error
    if answer.startswith("refused: "):
        raise Fault(answer.removeprefix("refused: "))
    return answer
