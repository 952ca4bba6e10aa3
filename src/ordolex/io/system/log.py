"""A log for support: what the program did with ports and books, and when. What passed on a line is never in it.

It is written behind a queue, by a thread of its own, so that nobody waits for the disk; where it cannot be written,
nothing is said of it, for the book is what counts.
"""

from __future__ import annotations

import logging
import os
import platform
from collections.abc import Callable
from logging.handlers import QueueHandler, QueueListener, RotatingFileHandler
from pathlib import Path
from queue import SimpleQueue
from typing import Any

from ordolex import __version__
from ordolex.io.system.files import PRIVATE, private_folder

MOST_BYTES, KEPT = 500_000, 3
"""When the file is set aside, and how many of those are kept."""
KINDS = frozenset({"opened", "refused", "released", "lost", "back", "settings", "outputs"})
"""Events of a link that go into the log: their words name ports and settings, and nothing that was sent or heard."""
_log = logging.getLogger("ordolex")


def happened(kind: str, link: int, text: str) -> None:
    """Writes down an event of a link, if it is one of KINDS."""
    if kind in KINDS:
        _log.info("link %d %s: %s", link, kind, text)


def begin(path: Path, most_bytes: int = MOST_BYTES) -> Callable[[], None]:
    """Writes the log into this file from now on, until what it gives is called."""
    try:
        private_folder(path.parent)
        file = _PrivateFile(path, maxBytes=most_bytes, backupCount=KEPT, encoding="utf-8", errors="backslashreplace")
    except OSError:
        return lambda: None
    file.setFormatter(logging.Formatter("%(asctime)s.%(msecs)03d %(levelname)s %(message)s", "%Y-%m-%d %H:%M:%S"))
    queue: SimpleQueue[Any] = SimpleQueue()
    handler, listener = QueueHandler(queue), QueueListener(queue, file)
    _log.setLevel(logging.INFO)
    _log.propagate = False
    _log.addHandler(handler)
    listener.start()
    _log.info("ordolex %s, Python %s, %s", __version__, platform.python_version(), platform.platform())

    def end() -> None:
        _log.info("ends")
        _log.removeHandler(handler)
        listener.stop()
        file.close()

    return end


class _PrivateFile(RotatingFileHandler):
    """A log that its owner alone can read, also once it was set aside."""

    def _open(self) -> Any:
        return open(self.baseFilename, self.mode, encoding=self.encoding, errors=self.errors, opener=_opened_privately)

    def handleError(self, record: logging.LogRecord) -> None:
        """Nothing: a disk that is full is said of the book."""


def _opened_privately(path: str, flags: int) -> int:
    return os.open(path, flags, PRIVATE)
