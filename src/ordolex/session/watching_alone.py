"""A round without the interface: the book, who runs its links, and how long."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass

from ordolex.core.line.notation import read_line
from ordolex.core.record.items import LinkRecord
from ordolex.core.watch.condition import read_condition
from ordolex.core.watch.polls import LinkPlan, plan_link
from ordolex.core.watch.resolve import resolved
from ordolex.core.watch.round import Round, RoundLink, as_toml
from ordolex.io.book.book import Book
from ordolex.io.book.nowhere import NoBook
from ordolex.io.link.runner import LinkRunner, closed
from ordolex.io.own import sheets
from ordolex.io.system.clock import mono_s
from ordolex.io.watch.publish import Broker, Publisher
from ordolex.io.watch.running import RunningRound
from ordolex.io.watch.sources import Source
from ordolex.io.watch.watch import Told

_LOOK_S = 0.05


@dataclass(frozen=True, slots=True)
class Wishes:
    """for_s      ends after so long; None for never
    until      ends when this holds
    fail_when  ends, as failed, when this holds
    broker     where values are published
    """

    for_s: float | None = None
    until: str = ""
    fail_when: str = ""
    broker: Broker | None = None


@dataclass(frozen=True, slots=True)
class Ended:
    """Why it ended, in words, and whether that is a failure."""

    words: str
    failed: bool = False


async def watch_alone(
    book: Book, round_: Round, wishes: Wishes, told: Told, stop: asyncio.Event,
    began: Callable[[RunningRound], None] = lambda running: None,
) -> Ended:  # fmt: skip
    """Runs it until it is stopped or its end is reached. Raises a Fault or a RoundError."""
    runners: list[LinkRunner] = []
    known = {link.endpoint: link for link in book.links()}
    all_sheets = sheets.all_sheets()[0]

    async def ready(link: RoundLink) -> tuple[int, LinkRunner]:
        if link.endpoint not in known:
            sheet = all_sheets.get(link.sheet)
            line = link.line or (sheet.line.settings if sheet is not None else "")
            known[link.endpoint] = book.add_link(
                LinkRecord(0, link.name, link.endpoint, line, "round", sheet=link.sheet, unit=link.unit)
            )
        record = known[link.endpoint]
        settings = read_line(_line_of(link.line or record.line)).settings
        runner = LinkRunner(record.id, record.endpoint, settings, book.recorder)
        runner.reads_in(record.charset)
        runners.append(runner)
        return record.id, runner

    site = round_.site or book.reader.site()
    publisher = Publisher(wishes.broker, site, book) if wishes.broker is not None else None
    book.keep_round(round_.name, as_toml(round_))
    running = RunningRound(round_, book, ready, all_sheets, told, publisher)
    until = read_condition(wishes.until) if wishes.until else None
    fail_when = read_condition(wishes.fail_when) if wishes.fail_when else None
    try:
        watch = await running.start()
        began(running)
        end_s = mono_s() + wishes.for_s if wishes.for_s is not None else None
        while not stop.is_set():
            now = mono_s()
            known_now = watch.now() if until is not None or fail_when is not None else {}
            if fail_when is not None and fail_when.holds(known_now, now):
                return Ended(f"it came to this: {wishes.fail_when}", failed=True)
            if until is not None and until.holds(known_now, now):
                return Ended(f"it is so now: {wishes.until}")
            if end_s is not None and now >= end_s:
                words = f"the time is over, and it never was so: {wishes.until}" if until else "the time is over"
                return Ended(words, failed=until is not None)
            await _pause(stop, _LOOK_S)
        return Ended("stopped")
    finally:
        await running.stop(for_good=not stop.is_set())
        await closed(*runners)


def _line_of(text: str) -> str:
    return text if text and text != "any" else "9600 8N1"


async def _pause(stop: asyncio.Event, seconds: float) -> None:
    try:
        async with asyncio.timeout(seconds):
            await stop.wait()
    except TimeoutError:
        pass


def plans_of(round_: Round) -> list[LinkPlan]:
    """What of each line's time a round takes, before it runs: nothing is opened. Raises RoundError."""
    all_sheets = sheets.all_sheets()[0]
    whole = resolved(round_, all_sheets)
    plans = []
    for link in whole.link:
        sheet = all_sheets.get(link.sheet)
        line = read_line(_line_of(link.line or (sheet.line.settings if sheet is not None else ""))).settings
        runner = LinkRunner(0, link.endpoint, line, NoBook())
        source = Source(whole, link.name, runner, sheet, link.unit, lambda results, at_s: None)
        plans.append(plan_link(link.name, line, source.polls, link.answers_s or None))
    return plans
