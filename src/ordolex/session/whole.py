"""A folder and its zip that are written whole, or not at all; a secret of the visit in a file stops it."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable, Iterable
from pathlib import Path

from ordolex.io.book.secret_search import SHORTEST, search
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_file, is_there, storable

Doing = Callable[[str], None]
"""Told what is being made."""


def zip_of(into: Path) -> Path:
    """The zip of a folder, beside it; a name that ends in .zip is the zip alone."""
    return into if into.suffix.lower() == ".zip" else into.with_name(f"{into.name}.zip")


def check_free(into: Path) -> None:
    """Raises a Fault where something is there already, or no name is given."""
    if into.name in ("", ".."):
        raise Fault("a new folder needs a name", "such as handover, or handover.zip")
    for path in dict.fromkeys((into, zip_of(into))):
        if is_there(path) and (is_file(path) or any(path.iterdir())):
            raise Fault(f"{path} is there already", "choose a new name; nothing is written over")


def written_whole(
    into: Path, fill: Callable[[Path], list[str]], secrets: Iterable[str] = (), doing: Doing = lambda what: None
) -> list[str]:
    """`fill` puts files into a folder and gives their names, which are given back. Raises a Fault."""
    check_free(into)
    zipped = zip_of(into)
    try:
        into.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=f".{into.name[:40]}.", dir=into.parent) as aside:
            folder = Path(aside) / zipped.stem
            folder.mkdir()
            names = fill(folder)
            _no_secret([folder / name for name in names], secrets)
            doing("the zip")
            whole = Path(aside) / "whole.zip"
            with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
                inside = storable(folder.name)
                for name in names:
                    archive.write(folder / name, f"{inside}/{name}")
            if into is not zipped:
                if is_there(into):
                    into.rmdir()  # empty, as was looked above
                folder.rename(into)
            whole.rename(zipped)
        return names
    except OSError as error:
        raise Fault(f"{into} cannot be written: {error.strerror or error}", "choose another place") from error


def _no_secret(files: Iterable[Path], secrets: Iterable[str]) -> None:
    """Raises a Fault where one of them stands in a file."""
    wanted = [secret for secret in secrets if len(secret) >= SHORTEST]
    for secret in wanted:
        found = next(search(files, secret), None)
        if found is not None:
            raise Fault(
                f"a secret of this visit stands in {found.file.name}, byte {found.at} ({found.disguise})",
                "nothing was handed over; leave that part out, or find where it was typed",
            )
