"""Looks for a secret in the bytes of files: as it is, and in the disguises that a book or an export could give it."""

from __future__ import annotations

import base64
import contextlib
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from ordolex.core.text.charsets import CHARSETS, CharsetError, encoded
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import is_there

_PIECE = 4 << 20
SHORTEST = 3
"""Of fewer characters any file holds some by chance."""


@dataclass(frozen=True, slots=True)
class Place:
    file: Path
    at: int
    disguise: str


def disguises(secret: str) -> dict[str, bytes]:
    """The ways in which it may be written: name of the way → bytes. A device may have been told it in any of the
    character sets; bytes of it that are no UTF-8 stand as surrogateescape has them."""
    out = _written("", secret.encode("utf-8", "surrogateescape"))
    out["UTF-16"] = secret.encode("utf-16-le", "surrogatepass")
    out["JSON"] = json.dumps(secret)[1:-1].encode()
    for name in CHARSETS:
        with contextlib.suppress(CharsetError):
            out |= _written(f"{name}, ", encoded(secret, name))
    known: dict[bytes, str] = {}
    for name, data in out.items():
        known.setdefault(data, name)
    return {name: data for data, name in known.items()}


def _written(of: str, plain: bytes) -> dict[str, bytes]:
    return {
        f"{of}plain": plain,
        f"{of}hex": plain.hex().encode(),
        f"{of}hex in capitals": plain.hex().upper().encode(),
        f"{of}hex pairs": plain.hex(" ").encode(),
        f"{of}base64": base64.b64encode(plain).rstrip(b"="),
        f"{of}backwards": plain[::-1],
    }


def files_of(book: Path) -> list[Path]:
    """The book's file and those that SQLite keeps beside it."""
    beside = [Path(f"{book}{end}") for end in ("", "-wal", "-shm", "-journal")]
    return [path for path in beside if is_there(path)]


def search(files: Iterable[Path], secret: str) -> Iterator[Place]:
    """Every place where it stands. Raises a Fault for a file that cannot be read or a secret that is too short."""
    if len(secret) < SHORTEST:
        raise Fault(f"a secret of {len(secret)} characters is found everywhere by chance", "give a longer one")
    wanted = disguises(secret)
    overlap = max(len(data) for data in wanted.values()) - 1
    for file in files:
        try:
            with file.open("rb") as stream:
                at, tail = 0, b""
                while piece := stream.read(_PIECE):
                    window = tail + piece
                    for name, data in wanted.items():
                        found = window.find(data)
                        while found >= 0:
                            if found + len(data) > len(tail):  # else it was found in the piece before
                                yield Place(file, at - len(tail) + found, name)
                            found = window.find(data, found + 1)
                    at += len(piece)
                    tail = window[-overlap:] if overlap else b""
        except OSError as error:
            raise Fault(f"{file} cannot be read: {error.strerror}", "give the path of a file") from error
