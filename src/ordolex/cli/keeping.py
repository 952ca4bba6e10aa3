"""What goes wrong beside the work itself is said at once, and in the exit status: a record that is not kept, a broker
that takes nothing."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

import typer

from ordolex.cli.common import refuse
from ordolex.core.text.counts import counted
from ordolex.core.text.visible import visible_text
from ordolex.io.book.recorder import Recorder, RecorderStatus

_LOOK_S = 0.3


class Keeper:
    """Says at once, and once, when the record is not kept, or goes on elsewhere. `also` gives what else is wrong now,
    in words; `told` takes each sentence besides."""

    def __init__(
        self,
        kept: Recorder | None,
        also: Callable[[], str] = lambda: "",
        told: Callable[[str], None] = lambda words: None,
    ) -> None:
        self._kept, self._also, self._told = kept, also, told
        self._said: set[str] = set()

    async def watch(self) -> None:
        while True:
            await asyncio.sleep(_LOOK_S)
            self.look()

    def look(self) -> None:
        status = self._kept.status if self._kept is not None else RecorderStatus(True)
        words = [f"NOT RECORDING: {status.why}" if status.why else "", self._also()]
        if status.moved:
            words.append(f"the book was taken away; the record goes on in {status.moved}")
        for one in words:
            if one and one not in self._said:
                self._said.add(one)
                typer.echo(visible_text(f"ordolex: {one}"), err=True)
                self._told(one)


def refuse_unless_kept(status: RecorderStatus, book: Path | str, *, json: bool = False) -> None:
    """Ends the command as failed where something is not in the book that was given."""
    if not status.keeping or status.lost:
        lost = (
            f", {counted(status.lost + status.waiting, 'byte')} were not kept" if status.lost + status.waiting else ""
        )
        refuse(f"the record is not whole: {status.why or 'the disk was full for a while'}{lost}", json=json)
    if status.moved:
        refuse(f"{book} was taken away while it was written; the record is in {status.moved}", json=json)
