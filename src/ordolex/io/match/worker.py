"""The inference in a process of its own, so that it neither holds up the screen nor makes bytes seem late.

A worker reads questions from its standard input and answers on its standard output, as pickles of our own data between
two processes of ours; when the program that started it is gone, its input ends, and so does the worker.
"""

from __future__ import annotations

import contextlib
import pickle
import struct
import subprocess
import sys
import threading
from collections.abc import Sequence
from typing import IO, Any

from ordolex.core.match.capture import Capture
from ordolex.core.match.infer import Inference, infer
from ordolex.core.match.shapes import Shape

_AT_ONCE = 2
"""Workers at the same time; more wait for one to be free."""


def think(heard: Sequence[Capture], shapes: Sequence[Shape], most_rates: int, data_bits: Sequence[int]) -> Inference:
    """The inference; blocks until it is done. Where no worker can be started it is done here."""
    with _free:
        worker = _idle.pop() if _idle else None
        try:
            worker = worker or _Worker()
            answer = worker.ask((list(heard), list(shapes), most_rates, list(data_bits)))
        except (OSError, EOFError, pickle.PickleError, struct.error):
            if worker is not None:
                worker.end()
            return infer(heard, shapes=shapes, most_rates=most_rates, data_bits=data_bits)
        _idle.append(worker)
        return answer


class _Worker:
    def __init__(self) -> None:
        command = [sys.executable, "-m", "ordolex.io.match.worker"]
        self._process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
        )

    def ask(self, question: object) -> Inference:
        assert self._process.stdin is not None and self._process.stdout is not None
        _put(self._process.stdin, question)
        answer = _take(self._process.stdout)
        assert isinstance(answer, Inference)
        return answer

    def end(self) -> None:
        self._process.kill()
        with contextlib.suppress(OSError):
            self._process.communicate()


_free = threading.Semaphore(_AT_ONCE)
_idle: list[_Worker] = []


def _put(stream: IO[bytes], what: object) -> None:
    data = pickle.dumps(what)
    stream.write(struct.pack(">I", len(data)) + data)
    stream.flush()


def _take(stream: IO[bytes]) -> Any:
    head = stream.read(4)
    if len(head) < 4:
        raise EOFError
    return pickle.loads(stream.read(struct.unpack(">I", head)[0]))


def main() -> None:
    with contextlib.suppress(EOFError, KeyboardInterrupt, BrokenPipeError):
        while True:
            heard, shapes, most_rates, data_bits = _take(sys.stdin.buffer)
            _put(sys.stdout.buffer, infer(heard, shapes=shapes, most_rates=most_rates, data_bits=data_bits))


if __name__ == "__main__":
    main()
