"""Files that are written for somebody: never over another one unless it was said, never half, and never a book."""

from __future__ import annotations

import contextlib
import errno
import os
import re
import stat
from collections.abc import Iterable
from pathlib import Path

from ordolex.io.system.faults import Fault

PRIVATE, PRIVATE_FOLDER = 0o600, 0o700
MOST_READ, MOST_TEXT = 256 << 20, 4 << 20
_BESIDE = ("-wal", "-shm", "-journal", ".lock")
_RESERVED = re.compile(r"(?i)(con|prn|aux|nul|(com|lpt)[\d¹²³])(\..*)?")
_LONE = re.compile("[\ud800-\udfff]")


def safe_name(text: str, otherwise: str = "unnamed") -> str:
    """A file's name made of a name that came from a sheet, a device or a book: it leads into no other folder, and holds
    nothing that a terminal or a file system takes for more than a letter."""
    name = re.sub(r"[^\w.+-]+", "-", text).strip("-.")[:60].rstrip("-.")
    if _RESERVED.fullmatch(name):  # the part before the first dot is what names a device
        stem, dot, rest = name.partition(".")
        return f"{stem}-{dot}{rest}"
    return name or otherwise


def storable(text: str) -> str:
    """A text that can be UTF-8, as a book and a zip want it: bytes of a name that are none become a mark."""
    return text if text.isascii() else _LONE.sub("\ufffd", text)


def path_of(text: str) -> Path:
    """The path that somebody typed; `~` is a home where there is such a user, and a name otherwise."""
    return Path(os.path.expanduser(text))  # noqa: PTH111 - Path's own fails for a user that is not there


def is_file(path: Path) -> bool:
    """Whether a file is there, and we may know that."""
    return os.path.isfile(path)  # noqa: PTH113 - Path's own fails for a name that is too long, or a closed folder


def is_folder(path: Path) -> bool:
    """The same for a folder."""
    return os.path.isdir(path)  # noqa: PTH112


def is_there(path: Path) -> bool:
    """The same for either."""
    return os.path.exists(path)  # noqa: PTH110


def read_given(path: Path, what: str, most: int = MOST_READ) -> bytes:
    """The bytes of a file that somebody named, `what` being what it should hold. A device or a pipe that goes on and on
    is given up behind `most` bytes. Not for the screen's loop. Raises a Fault."""
    try:
        with path.open("rb") as file:
            data = file.read(most + 1)
    except (OSError, ValueError) as error:  # a name with a NUL is a ValueError
        raise Fault(f"{path} cannot be read: {_reason(error)}", f"give the path of {what}") from error
    except MemoryError as error:
        raise Fault(f"{path} does not fit into memory", f"give the path of {what}") from error
    if len(data) > most:
        raise Fault(f"{path} is longer than {_size(most)}", f"give the path of {what}")
    return data


def read_given_text(path: Path, what: str, most: int = MOST_TEXT) -> str:
    """The same as text in UTF-8. Raises a Fault."""
    try:
        return read_given(path, what, most).decode("utf-8")
    except UnicodeDecodeError as error:
        raise Fault(
            f"{path} cannot be read: it is no UTF-8 at byte {error.start}", f"give the path of {what}"
        ) from error


def _reason(error: OSError | ValueError) -> str:
    return (error.strerror if isinstance(error, OSError) else None) or str(error)


def _size(count: int) -> str:
    return f"{count >> 20} MB" if count >= 1 << 20 else f"{count >> 10} KB"


def check_new(path: Path, *, force: bool = False, book: Path | None = None) -> None:
    """Raises a Fault where `path` may not be written: it is there already, or is the book that is read."""
    if book is not None and is_of_book(path, book):
        raise Fault(f"{path} is the book itself", "choose another name; the book was left as it is")
    if is_folder(path):
        raise Fault(f"{path} cannot be written: it is a folder", "give the name of a file")
    if not force and os.path.lexists(path) and not _is_stream(path):
        raise Fault(f"{path} is there already", "choose another name, or --force to write over it")


def is_of_book(path: Path, book: Path) -> bool:
    """Whether a path leads to the book's file or one of those beside it."""
    for one in (book, *(Path(f"{book}{end}") for end in _BESIDE)):
        with contextlib.suppress(OSError):
            if path.samefile(one):
                return True
        if os.path.realpath(path) == os.path.realpath(one):
            return True
    return False


def write_new(path: Path, pieces: Iterable[bytes], *, force: bool = False, book: Path | None = None) -> int:
    """Writes a whole file, or none: aside first, then in its place. How many bytes. Raises a Fault."""
    import tempfile  # it brings much with it, and the first screen writes nothing

    check_new(path, force=force, book=book)
    try:
        if _is_stream(path):
            with path.open("wb") as out:
                return sum(out.write(piece) for piece in pieces)
        handle, aside = tempfile.mkstemp(prefix=f".{path.name[:40]}.", dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                count = sum(file.write(piece) for piece in pieces)
                file.flush()
                os.fsync(file.fileno())
            Path(aside).chmod(0o666 & ~_umask())
            _put_in_place(Path(aside), path, force)
        except BaseException:
            with contextlib.suppress(OSError):
                Path(aside).unlink()
            raise
        return count
    except OSError as error:
        raise Fault(f"{path} cannot be written: {error.strerror or error}", "choose another place") from error


def _put_in_place(aside: Path, path: Path, force: bool) -> None:
    if force:
        aside.replace(path)  # a symbolic link is replaced, not what it leads to
        return
    try:
        os.link(aside, path)  # fails where somebody made the file meanwhile
    except FileExistsError:
        raise
    except OSError:  # a file system without hard links
        aside.replace(path)
        return
    aside.unlink()


def _is_stream(path: Path) -> bool:
    """Whether it is a pipe or a device, such as /dev/stdout: those are written to as they are."""
    try:
        mode = path.stat().st_mode
    except OSError:
        return False
    return stat.S_ISFIFO(mode) or stat.S_ISCHR(mode) or stat.S_ISSOCK(mode)


def _umask() -> int:
    now = os.umask(0o022)
    os.umask(now)
    return now


def private_folder(path: Path) -> Path:
    """Makes a folder that only its owner may look into. Raises OSError."""
    missing = [one for one in (path, *path.parents) if not one.exists()]
    for one in reversed(missing):
        with contextlib.suppress(FileExistsError):
            one.mkdir(mode=PRIVATE_FOLDER)
    if not path.is_dir():
        raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR), str(path))
    return path


def private_file(path: Path) -> None:
    """Makes the file if it is not there, and takes it from everybody else; a symbolic link is not followed. Raises
    OSError."""
    os.close(open_private(path))


def open_private(path: Path) -> int:
    """The same, open to read and to append. Raises OSError, also for a symbolic link."""
    if path.is_symlink():  # where the system cannot refuse it by itself
        raise OSError(errno.ELOOP, "it is a symbolic link, which is not followed", str(path))
    handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_APPEND | getattr(os, "O_NOFOLLOW", 0), PRIVATE)
    if hasattr(os, "fchmod"):
        with contextlib.suppress(OSError):  # not ours to change, or a file system without rights
            os.fchmod(handle, PRIVATE)
    return handle


def write_whole(path: Path, text: str) -> None:
    """A small private file that a reader never sees half of; one that is there is replaced. Raises a Fault."""
    if is_there(path) and not is_file(path):
        raise Fault(f"{path} cannot be written: it is no file", "choose another place")
    try:
        private_folder(path.parent)
        part = path.with_name(f"{path.name}.{os.getpid()}.part")
        try:
            with os.fdopen(open_private(part), "w", encoding="utf-8") as file:
                file.write(text)
            part.replace(path)
        except BaseException:
            part.unlink(missing_ok=True)
            raise
    except OSError as error:
        raise Fault(f"{path} cannot be written: {error.strerror}", "choose another place") from error
