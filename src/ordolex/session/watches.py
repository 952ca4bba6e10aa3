"""Rounds: those that the book has, and the one that runs among the links."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Future
from typing import Any

from ordolex.core.line.notation import read_line
from ordolex.core.record.items import LinkRecord
from ordolex.core.watch.limits import Change
from ordolex.core.watch.resolve import offers
from ordolex.core.watch.round import Round, RoundError, RoundItem, RoundLink, as_toml, read_round
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own import sheets
from ordolex.io.watch.listening import Far, Listening
from ordolex.io.watch.publish import Publisher, read_broker
from ordolex.io.watch.running import RunningRound
from ordolex.io.watch.watch import Told, Watch

LinkFor = Callable[[str, str, str, str, str], LinkRecord]


class Watches:
    """`link_for` gives the book's link of an endpoint, made where there is none; `is_free` says whether a link may be
    asked now. What happened since it was looked at last is in `happened`."""

    def __init__(self, book: Book, hub: Hub, link_for: LinkFor, is_free: Callable[[int], bool]) -> None:
        self._book, self._hub, self._link_for, self._is_free = book, hub, link_for, is_free
        self._rounds: dict[str, Round] = {}
        self.unreadable: dict[str, str] = {}
        self.ran = ""
        for name, (toml, running) in book.reader.values.rounds().items():
            try:
                self._rounds[name] = read_round(toml, name)
            except RoundError as error:
                self.unreadable[name] = str(error)
                continue
            self.ran = name if running else self.ran
        self.running: RunningRound | None = None
        self.listening: Listening | None = None
        self.happened: list[tuple[str, Change]] = []

    def __iter__(self) -> Iterator[Round]:
        return iter(self._rounds.values())

    def __contains__(self, name: str) -> bool:
        return name in self._rounds

    def __getitem__(self, name: str) -> Round:
        return self._rounds[name]

    def keep(self, round_: Round) -> Round:
        """Raises a BookFault."""
        self._book.keep_round(round_.name, as_toml(round_))
        self._rounds[round_.name] = round_
        return round_

    def drop(self, name: str) -> None:
        """Its values stay in the book. Raises a BookFault."""
        self._book.drop_round(name)
        self._rounds.pop(name, None)

    # ---- running

    @property
    def watch(self) -> Watch | None:
        return self.running.watch if self.running is not None else None

    def start(self, name: str, broker: str = "") -> Future[Watch]:
        """Runs a round; one that runs is stopped before. Raises a Fault for a broker that cannot be."""
        round_ = self._rounds[name]
        site = round_.site or self._book.reader.site()
        broker = broker or round_.publish
        publisher = Publisher(read_broker(broker), site, self._book) if broker else None
        records = {
            link.name: self._link_for(link.endpoint, link.name, link.line, "round", link.sheet) for link in round_.link
        }

        async def ready(link: RoundLink) -> tuple[int, LinkRunner]:
            record = records[link.name]
            line = link.line or record.line
            settings = read_line(line if line and line != "any" else "9600 8N1").settings
            return record.id, await self._hub.ready(record.id, record.endpoint, settings, record.charset)

        running = RunningRound(
            round_, self._book, ready, sheets.all_sheets()[0], Told(event=self._event), publisher, self._is_free
        )
        return self._hub.call(self._start(running))

    async def _start(self, running: RunningRound) -> Watch:
        if self.running is not None:
            await self.running.stop()
        self.running = running
        try:
            return await running.start()
        except BaseException:
            self.running = None
            raise

    def _event(self, link: str, item: str, change: Change, at_us: int) -> None:
        self.happened.append((item, change))
        del self.happened[:-200]

    def stop(self) -> Future[None]:
        return self._hub.call(self._stop())

    async def _stop(self) -> None:
        running, self.running = self.running, None
        if running is not None:
            await running.stop()

    # ---- what others publish

    def listen_to(self, url: str) -> None:
        """From now on, this broker; none for an empty one. Not for the screen's loop. Raises a Fault."""
        listening = Listening(read_broker(url)) if url else None
        before, self.listening = self.listening, listening
        if before is not None:
            before.stop()
        if listening is not None:
            listening.start()

    def is_there(self, far: Far) -> bool:
        """Whether the site that published it says that it is there: what it left behind is not of now."""
        if self.listening is None:
            return False
        return any(one.site == far.site and not one.item and one.quality == "online" for one in self.listening.all)

    async def leave(self) -> None:
        """The program ends: what runs goes on at the next start, if the technician wants."""
        if self.listening is not None:
            self.listening.stop()
        if self.running is not None:
            await self.running.stop(for_good=False)

    def do(self, work: Callable[[Watch], Any]) -> Future[Any]:
        """Something short with the round that runs, among the links."""

        async def doing() -> Any:
            return work(self.watch) if self.watch is not None else None

        return self._hub.call(doing())


def offered(link: LinkRecord) -> list[RoundItem]:
    """What the sheet of a link offers to watch."""
    sheet = sheets.all_sheets()[0].get(link.sheet)
    return offers(sheet, link.name) if sheet is not None else []


def link_of(link: LinkRecord) -> RoundLink:
    """A link of the book, as a round has it."""
    return RoundLink(name=link.name, endpoint=link.endpoint, line=link.line, sheet=link.sheet, unit=link.unit)
