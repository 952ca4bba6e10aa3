"""Finds and reads sheets: those that ship, and the technician's own in his data folder."""

from __future__ import annotations

import os
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_data_path

from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_folder, read_given_text, safe_name, write_new

if TYPE_CHECKING:  # what a sheet is takes a quarter of a second to import: only who reads one waits for it
    from ordolex.core.sheet import Sheet


def own_folder() -> Path:
    return user_data_path("ordolex", appauthor=False) / "sheets"


def read_file(path: Path) -> Sheet:
    """Raises SheetError for its content, Fault where it cannot be read."""
    from ordolex.core.sheet import read_sheet

    return read_sheet(read_given_text(path, "a sheet"), str(path))


@cache
def _shipped() -> dict[str, Sheet]:
    """Those that ship, read once: it takes tenths of a second."""
    from ordolex.core.sheet import read_sheet

    sheets = (
        read_sheet(entry.read_text(encoding="utf-8"), entry.name)
        for entry in sorted(files("ordolex.sheets").iterdir(), key=lambda e: e.name)
        if entry.name.endswith(".toml")
    )
    return {sheet.name: sheet for sheet in sheets}


def save_own(name: str, text: str) -> Path:
    """A new sheet of one's own; one of this name is never written over. Raises a Fault."""
    path = own_folder() / f"{safe_name(name)}.toml"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise Fault(f"{path.parent} cannot be made: {error}", "check the rights of your data folder") from error
    write_new(path, [text.encode()])
    return path


_own: dict[Path, tuple[tuple[int, int], Sheet]] = {}


def _read_once(path: Path) -> Sheet:
    """One's own sheet, read again only where its file has changed. Raises as `read_file` does."""
    try:
        facts = path.stat()
        now = facts.st_mtime_ns, facts.st_size
    except OSError:
        now = (0, 0)
    known = _own.get(path)
    if known is None or known[0] != now:
        known = _own[path] = (now, read_file(path))
    return known[1]


def stamp() -> tuple[tuple[str, int, int], ...]:
    """What changes when one of the technician's own sheets does: names, times and sizes of the files."""
    out = []
    try:
        for entry in os.scandir(own_folder()):
            facts = entry.stat()
            out.append((entry.name, facts.st_mtime_ns, facts.st_size))
    except OSError:
        return ()
    return tuple(sorted(out))


def are_read() -> bool:
    """Whether sheets were read before, so that to ask for one costs nothing."""
    return _shipped.cache_info().currsize > 0


def all_sheets() -> tuple[dict[str, Sheet], list[str]]:
    """Name → sheet, one's own before those that ship; and the faults of those that cannot be read."""
    from ordolex.core.sheet import SheetError

    sheets = dict(_shipped())
    faults: list[str] = []
    folder = own_folder()
    for path in sorted(folder.glob("*.toml")) if is_folder(folder) else ():
        try:
            sheet = _read_once(path)
        except (SheetError, Fault, RecursionError) as error:
            faults.append(str(error) or f"{path} is nested too deep to be read")
        else:
            sheets[sheet.name] = sheet
    return sheets, faults
