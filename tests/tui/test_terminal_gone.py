"""A terminal that stops reading, and then is gone: the program leaves, and the book is whole."""

from __future__ import annotations

import os
import pty
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from ordolex.io.book.reader import BookReader
from tests.conftest import program
from tests.tui.terminal import IN_TMUX

pytestmark = IN_TMUX[0]  # it is the real program, and a terminal of its own


def worked(pid: int) -> tuple[str, ...]:
    """How much the main thread has done so far."""
    return tuple(Path(f"/proc/{pid}/task/{pid}/stat").read_text().rpartition(")")[2].split()[11:13])


@pytest.mark.parametrize("number", [None, signal.SIGTERM])
def test_a_terminal_that_stalls_and_is_gone_does_not_keep_the_program(
    number: signal.Signals | None, tmp_path: Path
) -> None:
    book, command = tmp_path / "site.ordolex", program("--book", str(tmp_path / "site.ordolex"))
    pid, master = pty.fork()
    if pid == 0:
        os.execve(command[0], command, {**os.environ, "TERM": "xterm-256color"})
    said = b""
    while b"Choose a port" not in said:
        said += os.read(master, 65536)
    for _ in range(40):
        os.write(master, b"\x19")  # Ctrl+Y draws all of it anew, and nobody reads it
        before = worked(pid)
        while worked(pid) == before:
            time.sleep(0.01)
    if number is not None:
        os.kill(pid, number)
    else:
        os.close(master)
    _, status = os.waitpid(pid, 0)
    assert os.WIFEXITED(status) or os.WIFSIGNALED(status)
    assert not book.with_name(book.name + "-wal").exists(), "a closed book is one file"
    BookReader(book).close()


_SIGNALLED = """
import asyncio, signal, sys, threading, time
from types import SimpleNamespace
from ordolex.tui import signals

signals._RESCUE_S = 0.05

def storm():
    for _ in range(40):
        for number in (signal.SIGHUP, signal.SIGCONT, signal.SIGTERM):
            signal.raise_signal(number)

def to_another_thread():
    other = threading.Thread(target=time.sleep, args=(600,), daemon=True)
    other.start()
    signal.pthread_kill(other.ident, signal.SIGHUP)

async def main():
    signals.stop_on_signals(SimpleNamespace(exit=lambda: None), lambda: print("of the one before"))
    signals.stop_on_signals(SimpleNamespace(exit=lambda: None), lambda: print("closed", flush=True))
    if sys.argv[1] == "storm":
        storm()
        await asyncio.Event().wait()
    else:  # the main thread hangs in a lock, as it does where a terminal takes nothing any more
        threading.Thread(target=to_another_thread).start()
        threading.Event().wait()

asyncio.run(main())
"""


@pytest.mark.parametrize("which", ["storm", "another thread"])
def test_a_signal_closes_the_book_once_however_many_come_and_whichever_thread_is_told(which: str) -> None:
    """A closed window is a hang-up, told twice, and whoever closed it may end the program too; the kernel gives one of
    them to any thread."""
    done = subprocess.run([sys.executable, "-c", _SIGNALLED, which], capture_output=True, text=True, timeout=60)
    assert (done.returncode, done.stdout) == (0, "closed\n"), done.stderr
