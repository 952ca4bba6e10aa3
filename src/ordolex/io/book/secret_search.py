"""Looks for a secret in the bytes of files: as it is, and in the disguises that a book or an export could give it."""

from __future__ import annotations

import base64
import contextlib
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from ordolex.core.text.charsets import CHARSETS, CharsetError, encoded
from ordolex.io.book.packs import Packs
from ordolex.io.book.rows import BookFile
from ordolex.io.system.faults import BookFault, Fault
from ordolex.io.system.files import is_there

_PIECE = 4 << 20
SHORTEST = 3
"""Of fewer characters any file holds some by chance."""


@dataclass(frozen=True, slots=True)
class Place:
    """`disguise` also says where, for bytes that are packed in a book: there `at` is among those of their link and
    direction."""

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
                looking = _Looking(wanted, overlap)
                while piece := stream.read(_PIECE):
                    for at, name in looking.through(piece):
                        yield Place(file, at, name)
        except OSError as error:
            raise Fault(f"{file} cannot be read: {error.strerror}", "give the path of a file") from error
        yield from _packed(file, wanted, overlap)


class _Looking:
    """Goes through bytes piece by piece."""

    def __init__(self, wanted: dict[str, bytes], overlap: int) -> None:
        self._wanted, self._overlap = wanted, overlap
        self._at, self._tail = 0, b""

    def through(self, piece: bytes) -> Iterator[tuple[int, str]]:
        """(where it begins, which of the wanted it is)."""
        window, tail = self._tail + piece, self._tail
        for name, data in self._wanted.items():
            found = window.find(data)
            while found >= 0:
                if found + len(data) > len(tail):  # else it was found in the piece before
                    yield self._at - len(tail) + found, name
                found = window.find(data, found + 1)
        self._at += len(piece)
        self._tail = window[-self._overlap :] if self._overlap else b""


def _packed(file: Path, wanted: dict[str, bytes], overlap: int) -> Iterator[Place]:
    """What a book has packed does not show in the bytes of its file."""
    try:
        book = BookFile(file)
    except BookFault:
        return  # it is none
    try:
        streams: dict[tuple[int, str], _Looking] = {}
        packs = Packs(book)
        for piece in packs.piece_heads(None, None):
            looking = streams.setdefault((piece.link, piece.direction), _Looking(wanted, overlap))
            for at, name in looking.through(packs.piece(piece.id)):
                yield Place(file, at, f"{name}, packed, of link {piece.link} {piece.direction}")
    finally:
        book.close()
