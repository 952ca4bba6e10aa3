"""Runs a command of the program in a process of its own that begins with everything imported.

Importing is most of what a short command costs, and a test of many commands pays it many times. What is tested of the
start itself, of signals, encodings or closed outputs, is run as a user runs it: `subprocess` and `conftest.program`.
"""

from __future__ import annotations

import multiprocessing
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from pkgutil import iter_modules
from typing import TextIO

import ordolex.cli
from tests.conftest import program

_ready = multiprocessing.get_context("forkserver")
_ready.set_forkserver_preload(
    [
        "tests.commands",
        *(f"ordolex.cli.{module.name}" for module in iter_modules(ordolex.cli.__path__)),
        *("ordolex.core.match.infer", "ordolex.core.record.export", "ordolex.draw.sheet", "ordolex.draw.chain"),
        *("ordolex.io.match.matcher", "ordolex.io.link.runner", "ordolex.io.book.book", "ordolex.io.device.talk"),
    ]
)


def run_bytes(*arguments: str, timeout: float = 60) -> subprocess.CompletedProcess[bytes]:
    """What `subprocess.run` gives with its output captured. Raises subprocess.TimeoutExpired."""
    command = program(*arguments)
    with tempfile.TemporaryDirectory() as folder:
        out, err = Path(folder, "out"), Path(folder, "err")
        process = _ready.Process(target=_run, args=(arguments, dict(os.environ), Path.cwd(), out, err))
        process.start()
        process.join(timeout)
        if process.exitcode is None:
            process.kill()
            process.join()
            raise subprocess.TimeoutExpired(command, timeout, out.read_bytes(), err.read_bytes())
        return subprocess.CompletedProcess(command, process.exitcode, out.read_bytes(), err.read_bytes())


def run_text(*arguments: str, timeout: float = 60) -> subprocess.CompletedProcess[str]:
    """The same as text."""
    done = run_bytes(*arguments, timeout=timeout)
    return subprocess.CompletedProcess(done.args, done.returncode, done.stdout.decode(), done.stderr.decode())


def _run(arguments: tuple[str, ...], environment: dict[str, str], folder: Path, out: Path, err: Path) -> None:
    from ordolex.cli.start import main

    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    sys.argv = ["ordolex", *arguments]
    sys.stdin = _over(0, os.devnull, "r")
    sys.stdout, sys.stderr = _over(1, str(out), "w"), _over(2, str(err), "w")
    main()


def _over(number: int, path: str, mode: str) -> TextIO:
    """The file in the place of one of the three that every process has."""
    with Path(path).open(mode) as file:
        os.dup2(file.fileno(), number)
    return os.fdopen(number, mode, encoding="utf-8", closefd=False)
