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
_UNREADABLE = (OSError, zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError)
"""What a zip may raise: one that is damaged, encrypted, or packed in another way."""


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
    """intact, changed, missing, added  names of files
    unsound  what is wrong besides, in words
    record   the hash of the record that the manifest names
    """

    intact: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    added: list[str] = field(default_factory=list)
    unsound: list[str] = field(default_factory=list)
    record: str = ""

    @property
    def good(self) -> bool:
        return not (self.changed or self.missing or self.added or self.unsound)

    @property
    def words(self) -> str:
        parts = [f"{counted(len(self.intact), 'file')} intact"]
        for what, names in (("changed", self.changed), ("missing", self.missing), ("not in the manifest", self.added)):
            if names:
                parts.append(f"{len(names)} {what}: {', '.join(names[:5])}{' …' if len(names) > 5 else ''}")
        return "; ".join(parts + self.unsound)


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
    except _UNREADABLE as error:
        raise Fault(f"{path} cannot be read: {error}", "give the folder or the zip of a handover, or a book") from error


def _zipped(archive: zipfile.ZipFile, name: str) -> Iterator[bytes]:
    with archive.open(name) as file:
        while piece := file.read(_PIECE):
            yield piece


def _read(data: bytes, path: Path) -> tuple[list[dict[str, Any]], str]:
    try:
        found = json.loads(data)
        if found["kind"] != _KIND or found["version"] > _VERSION:
            raise ValueError("it is of another kind or a later version")
        files = [dict(one) for one in found["files"]]
        if not all(isinstance(one["name"], str) and isinstance(one["sha256"], str) for one in files):
            raise ValueError("a file in it has no name or no hash")
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Fault(f"{path}: its {NAME} cannot be read: {error}", "it was edited, or is none of ours") from error
    return files, str(found.get("record_sha256", ""))


def _held(given: tuple[list[dict[str, Any]], str], names: set[str], pieces: Any) -> Held:
    files, record = given
    out = Held()
    for one in files:
        name = one["name"]
        if name not in names:
            out.missing.append(name)
            continue
        try:
            digest = _digest(pieces(name))[0]
        except _UNREADABLE:  # such as a zip with a wrong CRC
            digest = ""
        (out.intact if digest == one["sha256"] else out.changed).append(name)
    out.added = sorted(names - {one["name"] for one in files} - {NAME})
    if not files:
        out.unsound.append("the manifest names no file")
    named = [one["name"] for one in files]
    doubled = {name for name in named if named.count(name) > 1}
    if doubled:
        out.unsound.append(f"named more than once: {', '.join(sorted(doubled)[:3])}")
    out.record = record
    for name in (name for name in out.intact if name.endswith(".ordolex")):
        said = _book_said(pieces(name), record)
        out.unsound += [f"{name}: {said}"] if said else []
    return out


def _book_said(pieces: Iterable[bytes], record: str) -> str:
    """What is wrong with a book inside; empty for nothing."""
    import tempfile

    from ordolex.io.book.verifying import verify_book

    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "inside.ordolex"
        with copy.open("wb") as file:
            file.writelines(pieces)
        try:
            found = verify_book(copy)
        except Fault as fault:
            return fault.what
    if found.changed or found.otherwise:
        return found.words
    return "" if not record or found.last == record else "its last hash is not the one that the manifest names"
