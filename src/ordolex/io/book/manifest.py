"""The manifest of a handover: SHA-256 of every file in it, and the hash of the record's chain; and whether they still
hold."""

from __future__ import annotations

import hashlib
import json
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ordolex.core.text.counts import counted
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_file, is_folder

NAME = "manifest.json"
_KIND, _VERSION = "ordolex-handover", 1
_PIECE = 1 << 20


def _pieces(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            yield piece


def _digest(pieces: Iterable[bytes]) -> tuple[str, int]:
    whole, size = hashlib.sha256(), 0
    for piece in pieces:
        whole.update(piece)
        size += len(piece)
    return whole.hexdigest(), size


def manifest(folder: Path, names: Iterable[str], site: str, made: str, chain: str) -> str:
    """As JSON. `chain` is the hash of the last segment of the record."""
    files = []
    for name in sorted(names):
        digest, size = _digest(_pieces(folder / name))
        files.append({"name": name, "bytes": size, "sha256": digest})
    head = {"kind": _KIND, "version": _VERSION, "site": site, "made": made, "record_sha256": chain, "files": files}
    return json.dumps(head, indent=1, ensure_ascii=False) + "\n"


@dataclass(slots=True)
class Held:
    """intact, changed, missing, added  names of files"""

    intact: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    added: list[str] = field(default_factory=list)

    @property
    def good(self) -> bool:
        return not (self.changed or self.missing)

    @property
    def words(self) -> str:
        parts = [f"{counted(len(self.intact), 'file')} intact"]
        for what, names in (("changed", self.changed), ("missing", self.missing), ("not in the manifest", self.added)):
            if names:
                parts.append(f"{len(names)} {what}: {', '.join(names[:5])}{' …' if len(names) > 5 else ''}")
        return "; ".join(parts)


def verify_handover(path: Path) -> Held:
    """A folder, or its zip. Raises a Fault where there is no manifest, or none that can be read."""
    if is_folder(path):
        names = {str(file.relative_to(path)).replace("\\", "/") for file in path.rglob("*") if file.is_file()}
        if not is_file(path / NAME):
            raise Fault(f"{path} has no {NAME}", "give the folder or the zip of a handover, or a book")
        return _held(_read((path / NAME).read_bytes(), path), names, lambda name: _pieces(path / name))
    try:
        with zipfile.ZipFile(path) as archive:
            top = {name.split("/", 1)[0] for name in archive.namelist() if "/" in name}
            head = f"{next(iter(top))}/" if len(top) == 1 else ""
            if f"{head}{NAME}" not in archive.namelist():
                raise Fault(f"{path} has no {NAME}", "give the folder or the zip of a handover, or a book")
            names = {name.removeprefix(head) for name in archive.namelist() if not name.endswith("/")}
            files = _read(archive.read(f"{head}{NAME}"), path)
            return _held(files, names, lambda name: _zipped(archive, f"{head}{name}"))
    except (OSError, zipfile.BadZipFile) as error:
        raise Fault(f"{path} cannot be read: {error}", "give the folder or the zip of a handover, or a book") from error


def _zipped(archive: zipfile.ZipFile, name: str) -> Iterator[bytes]:
    with archive.open(name) as file:
        while piece := file.read(_PIECE):
            yield piece


def _read(data: bytes, path: Path) -> list[dict[str, Any]]:
    try:
        found = json.loads(data)
        if found["kind"] != _KIND or found["version"] > _VERSION:
            raise ValueError("it is of another kind or a later version")
        files = [dict(one) for one in found["files"]]
        if not all(isinstance(one["name"], str) and isinstance(one["sha256"], str) for one in files):
            raise ValueError("a file in it has no name or no hash")
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Fault(f"{path}: its {NAME} cannot be read: {error}", "it was edited, or is none of ours") from error
    return files


def _held(files: list[dict[str, Any]], names: set[str], pieces: Any) -> Held:
    out = Held()
    for one in files:
        name = one["name"]
        if name not in names:
            out.missing.append(name)
            continue
        try:
            digest = _digest(pieces(name))[0]
        except (OSError, zipfile.BadZipFile, zlib.error):  # such as a zip with a wrong CRC
            digest = ""
        (out.intact if digest == one["sha256"] else out.changed).append(name)
    out.added = sorted(names - {one["name"] for one in files} - {NAME})
    return out
