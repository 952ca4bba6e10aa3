"""Where the program keeps its own files, after the customs of each operating system."""

from __future__ import annotations

import contextlib
from pathlib import Path

from platformdirs import user_data_path, user_state_path

from ordolex.io.system.files import private_folder


def books() -> Path:
    return user_data_path("ordolex", appauthor=False) / "books"


def benches() -> Path:
    """Each running bench has a notice here."""
    return user_state_path("ordolex", appauthor=False) / "benches"


def virtual_ports() -> Path:
    """The names of virtual ports, each a symbolic link to the pseudo-terminal that stands for it now."""
    return user_state_path("ordolex", appauthor=False) / "ports"


def relays() -> Path:
    """Each running relay has a notice here."""
    return user_state_path("ordolex", appauthor=False) / "relays"


def added_addresses() -> Path:
    """Network addresses that were added for the work, to be taken away again."""
    return user_state_path("ordolex", appauthor=False) / "added-addresses.json"


def fault_log() -> Path:
    """Where faults of the program itself are written down."""
    return user_state_path("ordolex", appauthor=False) / "faults.log"


def support_log() -> Path:
    """Where it is written down what the program did with ports and books."""
    return user_state_path("ordolex", appauthor=False) / "ordolex.log"


def _last_book_file() -> Path:
    return user_state_path("ordolex", appauthor=False) / "last-book"


def last_book() -> Path:
    """The book that was open last, or a first one."""
    with contextlib.suppress(OSError):
        path = Path(_last_book_file().read_text().strip())
        if path.is_file():
            return path
    return books() / "first site.ordolex"


def remember_book(path: Path) -> None:
    with contextlib.suppress(OSError):  # convenience only
        private_folder(_last_book_file().parent)
        _last_book_file().write_text(f"{path.resolve()}\n")
