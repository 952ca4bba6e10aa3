"""The name of a virtual port: a symbolic link to the pseudo-terminal behind it, which has another number each time.

One that is not ours is never touched. Ours are those that a lock's file tells of, and whatever stands in our own folder
and leads to a pseudo-terminal; a process that was killed leaves its link, and the system has freed its lock.
"""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

from ordolex.io.own import places
from ordolex.io.system.faults import Fault, NoRights, PortHeld
from ordolex.io.system.files import private_folder
from ordolex.io.system.lock import FileLock

_TERMINALS = "/dev/pts/"


def path_of(name: str, folder: Path | None = None) -> Path:
    """Where a virtual port of this name is found."""
    return Path(name) if name.startswith("/") else (folder or places.virtual_ports()) / name


class VirtualName:
    """Takes the name for the pseudo-terminal `target`, until `release`. Raises PortHeld where another process has it or
    something that is not ours stands there, NoRights where the folder cannot be written."""

    def __init__(self, name: str, target: str, folder: Path | None = None) -> None:
        own = folder or places.virtual_ports()
        self.path = path_of(name, own)
        self._target = target
        try:
            private_folder(own)
            file = own / f".{name.strip('/').replace('/', '-')}.lock"
            self._lock = FileLock(file, f"process {os.getpid()}\n{self.path}\n{target}")
        except OSError as error:
            raise NoRights(f"{own} cannot be written: {error.strerror}", "make that folder yours") from error
        if not self._lock.got:
            raise PortHeld(f"the virtual port {name} is there already, of {self._lock.holder}", "choose another name")
        try:
            self._put(ours=self.path.parent == own or str(self.path) in self._lock.before.split("\n"))
        except BaseException:
            self._lock.release()
            raise

    def _put(self, *, ours: bool) -> None:
        if os.path.lexists(self.path):
            if not (ours and self.path.is_symlink() and os.readlink(self.path).startswith(_TERMINALS)):  # noqa: PTH115
                raise PortHeld(
                    f"{self.path} is there already and is not ours", "choose another name; it was left alone"
                )
            self.path.unlink()
        try:
            self.path.symlink_to(self._target)
        except PermissionError as error:
            raise NoRights(f"no rights to make {self.path}", "choose a name without /dev/: it needs none") from error
        except OSError as error:
            raise Fault(f"{self.path} cannot be made: {error.strerror}", "choose another name") from error

    def release(self) -> None:
        with contextlib.suppress(OSError):
            if os.readlink(self.path) == self._target:  # noqa: PTH115
                self.path.unlink()
        self._lock.release()


def names_in_use(folder: Path | None = None) -> list[str]:
    """The names in our own folder that lead to a pseudo-terminal."""
    with contextlib.suppress(OSError):
        return sorted(p.name for p in (folder or places.virtual_ports()).iterdir() if p.is_symlink() and p.exists())
    return []
