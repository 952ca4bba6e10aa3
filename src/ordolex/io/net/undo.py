"""Addresses that were added for the work and have to be taken away again: kept in a file, so that a crash forgets
none."""

from __future__ import annotations

import asyncio
import json
import os
from dataclasses import asdict
from pathlib import Path

from ordolex.core.net.own_change import AddressChange
from ordolex.io.own import places
from ordolex.io.system.faults import Fault, NoRights
from ordolex.io.system.files import private_file, private_folder


def pending(path: Path | None = None) -> list[AddressChange]:
    """What was added and not taken away yet, as far as we know."""
    path = path or places.added_addresses()
    try:
        raw = json.loads(path.read_text())
        return [AddressChange(r["interface"], r["address"], tuple(r["do"]), tuple(r["undo"])) for r in raw]
    except (OSError, ValueError, TypeError, KeyError):
        return []


def _keep(changes: list[AddressChange], path: Path) -> None:
    private_folder(path.parent)
    private_file(path)
    path.write_text(json.dumps([asdict(change) for change in changes]))


def remember(change: AddressChange, path: Path | None = None) -> None:
    """Before it is made: whatever happens then, it is not forgotten. Raises OSError."""
    path = path or places.added_addresses()
    _keep([*[one for one in pending(path) if one != change], change], path)


def forget(change: AddressChange, path: Path | None = None) -> None:
    path = path or places.added_addresses()
    _keep([one for one in pending(path) if one != change], path)


async def make(change: AddressChange, path: Path | None = None) -> None:
    """Adds the address, where there are rights. Raises NoRights with the command, or a Fault."""
    _need_rights(change.do_text)
    remember(change, path)
    try:
        await _run(change.do)
    except Fault:
        forget(change, path)
        raise


async def take_back(change: AddressChange, path: Path | None = None) -> None:
    """Takes it away again. Raises NoRights with the command, or a Fault."""
    _need_rights(change.undo_text)
    await _run(change.undo)
    forget(change, path)


def _need_rights(command: str) -> None:
    if os.name == "posix" and os.geteuid() != 0:
        raise NoRights("addresses are changed by the administrator only", f"run it yourself: sudo {command}")


async def _run(words: tuple[str, ...]) -> None:
    try:
        running = await asyncio.create_subprocess_exec(
            *words, stdout=asyncio.subprocess.DEVNULL, stderr=asyncio.subprocess.PIPE
        )
    except OSError as error:
        raise Fault(f"{words[0]} cannot be run: {error.strerror}", f"run it yourself: {' '.join(words)}") from error
    _, said = await running.communicate()
    if running.returncode:
        why = said.decode("utf-8", "replace").strip().partition("\n")[0]
        raise Fault(f"{' '.join(words)} failed: {why}", "look at the interface, and try again")
