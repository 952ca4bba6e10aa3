"""What each running relay tells of itself, in a file of its own, renewed when it changes; and the wish that it end."""

from __future__ import annotations

import contextlib
import json
import os
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from ordolex.io.own import places
from ordolex.io.relay.relay import RelayView
from ordolex.io.system.clock import mono_s
from ordolex.io.system.faults import PortHeld
from ordolex.io.system.files import private_folder, safe_name
from ordolex.io.system.lock import FileLock

_TRIES, _TRY_S = 5, 0.03


@dataclass(frozen=True, slots=True)
class Notice:
    """`port` is what a program opens, or where the near end is reached; `program` who has it open; `far` the other end;
    `there` and `back` are bytes, of the program and to it; `held_s` is when the near end stood, by the machine's
    clock."""

    pid: int
    name: str
    port: str
    program: str
    far: str
    settings: str
    there: int
    back: int
    fault: str
    held_s: float | None
    book: str = ""

    def as_dict(self) -> dict[str, Any]:
        raw = asdict(self)
        raw["bytes"] = {"there": raw.pop("there"), "back": raw.pop("back")}
        held_s = raw.pop("held_s")
        raw["age_s"] = None if held_s is None else round(mono_s() - held_s, 1)
        return raw


def notice_of(view: RelayView, book: str = "") -> Notice:
    settings = view.settings
    words = settings.far.text if view.b.endpoint.has_line else "no line settings"
    if settings.program is not None:
        words = f"program {settings.program.text}, far end {words}"
    near = view.a.path or view.a.endpoint.text
    program = ", ".join(view.a.users)
    return Notice(
        os.getpid(), view.plan.name, near, program, view.b.endpoint.text, words, view.there.came, view.back.came,
        view.fault, view.a.held_s, book,
    )  # fmt: skip


class NoticeFile:
    """The notice of a relay that runs here. Raises PortHeld where one of this name runs already."""

    def __init__(self, name: str, folder: Path | None = None) -> None:
        folder = private_folder(folder or places.relays())
        self._stem = safe_name(name)
        self._file, self._stop = folder / f"{self._stem}.json", folder / f"{self._stem}.stop"
        for _ in range(_TRIES):  # whoever lists the relays looks at this lock, and has it for a moment
            self._lock = FileLock(folder / f".{self._stem}.lock", f"process {os.getpid()}")
            if self._lock.got:
                break
            time.sleep(_TRY_S)
        else:
            raise PortHeld(f"a relay called {name} runs already, in {self._lock.holder}", "give this one another name")
        self._stop.unlink(missing_ok=True)
        self._told: Notice | None = None

    def tell(self, notice: Notice) -> None:
        if notice == self._told:
            return
        self._told = notice
        aside = self._file.with_suffix(".new")
        with contextlib.suppress(OSError):  # a full disk does not stop a relay
            aside.write_text(json.dumps(asdict(notice)))
            aside.replace(self._file)

    @property
    def is_to_stop(self) -> bool:
        return self._stop.exists()

    def close(self) -> None:
        for path in (self._file, self._stop):
            with contextlib.suppress(OSError):
                path.unlink()
        self._lock.release()


def running(folder: Path | None = None) -> list[Notice]:
    """The notices of the relays that run; what dead ones left is removed."""
    found = []
    folder = folder or places.relays()
    for path in sorted(folder.glob("*.json")):
        try:
            lock = FileLock(folder / f".{path.stem}.lock", "")
        except OSError:
            continue
        if lock.got:
            lock.release()
            with contextlib.suppress(OSError):
                path.unlink()
            continue
        with contextlib.suppress(OSError, ValueError, TypeError):
            found.append(Notice(**json.loads(path.read_text())))
    return found


def ask_to_stop(name: str, folder: Path | None = None) -> bool:
    """Whether a relay of this name runs, which was asked to end then."""
    folder = folder or places.relays()
    if not any(notice.name == name for notice in running(folder)):
        return False
    (folder / f"{safe_name(name)}.stop").touch()
    return True
