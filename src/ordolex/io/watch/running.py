"""A round that runs in a book: its links kept open, its values kept there and published, commands run."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import dataclass, field

from ordolex.core.sheet.sheet import Sheet
from ordolex.core.watch.limits import Change
from ordolex.core.watch.resolve import resolved
from ordolex.core.watch.round import Round, RoundLink
from ordolex.io.book.book import Book
from ordolex.io.book.turning import Keeping, Turned, read_limit
from ordolex.io.book.values import Item
from ordolex.io.link.runner import LinkRunner
from ordolex.io.system.faults import Fault
from ordolex.io.watch.outside import Outside
from ordolex.io.watch.publish import Publisher
from ordolex.io.watch.watch import Told, Watch

_TRY_AGAIN_S = 2.0

Ready = Callable[[RoundLink], Awaitable[tuple[int, LinkRunner]]]
"""Gives the number of a link in the book, and who runs it, its port open or not."""


@dataclass(slots=True)
class RunningRound:
    """`watch` is what runs; `links` what could not be opened yet, and why, by the link's name."""

    round: Round
    book: Book
    ready: Ready
    sheets: Mapping[str, Sheet]
    told: Told = field(default_factory=Told)
    publisher: Publisher | None = None
    is_free: Callable[[int], bool] = lambda link: True
    watch: Watch | None = None
    closed: dict[str, str] = field(default_factory=dict)
    _opening: list[asyncio.Task[None]] = field(default_factory=list)

    async def start(self) -> Watch:
        """Raises RoundError for what its sheets do not have, and BookFault."""
        whole = resolved(self.round, self.sheets)
        keeping = keeping_of(whole)
        runners = {link.name: await self.ready(link) for link in whole.link}
        items = [
            Item(
                0, whole.name, item.name, runners[item.link][0] if item.link else 0, item.unit,
                item.ask or (item.modbus.at if item.modbus else "") or item.hear or item.derive or item.read,
                item.every_s,
            )
            for item in whole.item
        ]  # fmt: skip
        ids = await asyncio.to_thread(self.book.items_for, items)
        recorder = self.book.recorder
        outside = Outside(whole.alarm.run, lambda text: _remark(self, text))
        told = Told(self.told.value, lambda *what: self._happened(outside, *what))
        self.watch = Watch(
            whole, runners, self.sheets, ids, recorder, told, site=whole.site or self.book.reader.site(),
            publishes=self.publisher is not None, is_free=self.is_free,
        )  # fmt: skip
        loop = asyncio.get_running_loop()
        self._opening = [loop.create_task(self._open(link.name, runners[link.name][1])) for link in whole.link]
        self.watch.start()
        if self.publisher is not None:
            self.publisher.start()
        self.book.round_runs(whole.name, True)
        if keeping != Keeping():
            self.book.keep("round", keeping, self._turned(loop))
        return self.watch

    def _turned(self, loop: asyncio.AbstractEventLoop) -> Callable[[Turned], None]:
        """Says in the record what went; it is called in the recorder's thread."""

        def told(turned: Turned) -> None:
            if not turned.more:
                loop.call_soon_threadsafe(_remark, self, turned.words)

        return told

    async def _open(self, name: str, runner: LinkRunner) -> None:
        """Until it stands; one that is lost later comes back by itself."""
        tries = 0
        while not runner.is_open and not runner.returning.words:
            try:
                await runner.open(again=tries > 0)
            except Fault as fault:
                if self.watch is not None and name not in self.closed:
                    self.watch.gap(name, fault.what)
                self.closed[name] = fault.what
                tries += 1
                await asyncio.sleep(_TRY_AGAIN_S)
        self.closed.pop(name, None)

    async def stop(self, *, for_good: bool = True) -> None:
        """`for_good`: it does not go on by itself at the next start."""
        for task in self._opening:
            task.cancel()
        for task in self._opening:
            with contextlib.suppress(asyncio.CancelledError):
                await task
        self.book.keep("round", None)
        if self.watch is not None:
            await self.watch.stop()
        if self.publisher is not None:
            await asyncio.to_thread(self.publisher.stop)
        if for_good:
            self.book.round_runs(self.round.name, False)

    def _happened(self, outside: Outside, link: str, item: str, change: Change, at_us: int) -> None:
        self.told.event(link, item, change, at_us)
        state = "begins" if change.on else "ends"
        outside.happened({"LINK": link, "ITEM": item, "EVENT": change.what, "STATE": state, "VALUE": str(change.value)})


def keeping_of(round_: Round) -> Keeping:
    """What is kept for how long. Raises a Fault for what is no size or time."""
    keep = round_.keep
    limit = read_limit(keep.rotate) if keep.rotate else None
    return Keeping(limit, keep.bytes_days or None, keep.values_days or None)


def _remark(running: RunningRound, text: str) -> None:
    if running.watch is not None:
        running.watch.note(text)
