"""Who holds a serial port, and who may. Linux only; elsewhere the answers are empty."""

from __future__ import annotations

import contextlib
import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Holder:
    pid: int
    name: str

    @property
    def text(self) -> str:
        return f"{self.name} (process {self.pid})"


_LISTENS = "0A"  # TCP_LISTEN in net/tcp
_MASTERS = {"/dev/ptmx", "/dev/pts/ptmx"}


def holders(proc: Path = Path("/proc")) -> dict[str, Holder]:
    """Device path → the first other process that has it open, as far as we may look into processes."""
    found: dict[str, Holder] = {}
    try:
        processes = [entry for entry in proc.iterdir() if entry.name.isdigit()]
    except OSError:
        return found
    for process in processes:
        pid = int(process.name)
        if pid == os.getpid():
            continue
        devices = _open_devices(process)
        makes_terminals = bool(devices & _MASTERS)
        for target in devices:
            if makes_terminals and target.startswith("/dev/pts/"):
                continue  # who made a pseudo-terminal may keep its far end open; that does not hold it
            found.setdefault(target, Holder(pid, _name(process)))
    return found


def openers(path: str, besides: int = -1, proc: Path = Path("/proc")) -> list[Holder]:
    """All processes that have the device open, ours too, as far as we may look; `besides` is a file descriptor of ours
    that does not count."""
    found: list[Holder] = []
    try:
        processes = [entry for entry in proc.iterdir() if entry.name.isdigit()]
    except OSError:
        return found
    for process in processes:
        pid = int(process.name)
        numbers = [n for n, target in _links(process) if target == path and not (pid == os.getpid() and n == besides)]
        if numbers:
            found.append(Holder(pid, _name(process)))
    return found


def listener_of(port: int, proc: Path = Path("/proc")) -> str:
    """Who listens at a TCP port of this computer, as far as we may look (Linux: proc(5), net/tcp); empty where it is
    not to be seen."""
    sockets = set()
    for table in ("tcp", "tcp6"):
        try:
            rows = (proc / "net" / table).read_text().splitlines()[1:]
        except OSError:
            continue
        for row in rows:
            parts = row.split()
            if len(parts) > 9 and parts[3] == _LISTENS and int(parts[1].rpartition(":")[2], 16) == port:
                sockets.add(f"socket:[{parts[9]}]")
    if not sockets:
        return ""
    try:
        processes = [entry for entry in proc.iterdir() if entry.name.isdigit()]
    except OSError:
        return ""
    for process in processes:
        if any(target in sockets for _, target in _links(process)):
            return Holder(int(process.name), _name(process)).text
    return ""


def sees_all(proc: Path = Path("/proc")) -> bool:
    """Whether we may look into every process. If not, a port that looks free may be another user's; on systems without
    such a list it may be anybody's."""
    try:
        processes = [entry for entry in proc.iterdir() if entry.name.isdigit()]
    except OSError:
        return False
    return bool(processes) and not any(_is_closed(process) for process in processes)


def _is_closed(process: Path) -> bool:
    try:
        os.scandir(process / "fd").close()
    except PermissionError:
        return True
    except OSError:
        pass  # it ended meanwhile
    return False


def _open_devices(process: Path) -> set[str]:
    return {target for _, target in _links(process) if target.startswith("/dev/")}


def _links(process: Path) -> Iterator[tuple[int, str]]:
    """(file descriptor, what it leads to) of a process."""
    folder = f"{process}/fd"
    try:
        for name in os.listdir(folder):  # noqa: PTH208  (thousands of these a second: Path objects cost ten times)
            with contextlib.suppress(FileNotFoundError):  # closed meanwhile
                yield int(name), os.readlink(f"{folder}/{name}")  # noqa: PTH115
    except OSError:
        return  # the process ended, or is not ours to look into


def _name(process: Path) -> str:
    try:
        return (process / "comm").read_text().strip() or "unknown"
    except OSError:
        return "unknown"


def group_that_may(path: str) -> str:
    """The group whose members may use the device, or an empty text."""
    try:
        facts = Path(path).stat()
    except OSError:
        return ""
    if not facts.st_mode & stat.S_IRGRP or os.name != "posix":
        return ""
    import grp

    try:
        return grp.getgrgid(facts.st_gid).gr_name
    except KeyError:
        return f"number {facts.st_gid}"
