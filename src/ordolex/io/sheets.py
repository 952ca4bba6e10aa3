"""Finds and reads sheets: those that ship, and the technician's own in his data folder."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from platformdirs import user_data_path

from ordolex.core.sheet import Sheet, SheetError, read_sheet
from ordolex.io.faults import Fault


def own_folder() -> Path:
    return user_data_path("ordolex", appauthor=False) / "sheets"


def read_file(path: Path) -> Sheet:
    """Raises SheetError for its content, Fault where it cannot be read."""
    try:
        return read_sheet(path.read_text(encoding="utf-8"), str(path))
    except (OSError, UnicodeDecodeError) as error:
        raise Fault(f"{path} cannot be read: {error}", "give the path of a sheet") from error


def all_sheets() -> tuple[dict[str, Sheet], list[str]]:
    """Name → sheet, one's own before those that ship; and the faults of those that cannot be read."""
    sheets: dict[str, Sheet] = {}
    faults: list[str] = []
    for entry in sorted(files("ordolex.sheets").iterdir(), key=lambda e: e.name):
        if entry.name.endswith(".toml"):
            sheet = read_sheet(entry.read_text(encoding="utf-8"), entry.name)
            sheets[sheet.name] = sheet
    folder = own_folder()
    for path in sorted(folder.glob("*.toml")) if folder.is_dir() else ():
        try:
            sheet = read_file(path)
        except (SheetError, Fault) as error:
            faults.append(str(error))
        else:
            sheets[sheet.name] = sheet
    return sheets, faults
