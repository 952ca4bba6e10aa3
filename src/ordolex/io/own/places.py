"""Where the program keeps its own files, after the customs of each operating system."""

from __future__ import annotations

import contextlib
from pathlib import Path

from platformdirs import user_data_path, user_documents_path, user_state_path

from ordolex.io.system.files import is_file, private_folder

_RECENT = 20


def books() -> Path:
    """Where books are made: a folder that a technician sees."""
    return user_documents_path() / "Ordolex"


def demo_books() -> Path:
    """Where the demo makes its own, out of the way."""
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


def _recent_file() -> Path:
    return user_state_path("ordolex", appauthor=False) / "recent-books"


def recent_books() -> list[Path]:
    """Books that were open and are there still, the last one first."""
    with contextlib.suppress(OSError, UnicodeDecodeError):
        return [path for line in _recent_file().read_text().splitlines() if is_file(path := Path(line))]
    return []


def last_book() -> Path:
    """The book that was open last, or a first one."""
    return next(iter(recent_books()), books() / "first site.ordolex")


def remember_book(path: Path) -> None:
    with contextlib.suppress(OSError):  # convenience only
        private_folder(_recent_file().parent)
        known = [path.resolve(), *(one for one in recent_books() if one != path.resolve())]
        _recent_file().write_text("".join(f"{one}\n" for one in known[:_RECENT]))
