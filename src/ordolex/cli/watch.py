"""`watch`: a round without the interface, for a minute or for weeks; a round file; what others publish."""

from __future__ import annotations

import asyncio
import re
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, refuse
from ordolex.cli.exchange import stop_on_signals
from ordolex.cli.keeping import Keeper, refuse_unless_kept
from ordolex.core.record.items import LinkRecord
from ordolex.core.text.digits import exact
from ordolex.core.text.visible import visible_text
from ordolex.core.watch.condition import TIMES
from ordolex.core.watch.limits import Change
from ordolex.core.watch.messages import event_of, iso, payload, value_of
from ordolex.core.watch.polls import LinkPlan
from ordolex.core.watch.resolve import offers
from ordolex.core.watch.round import Round, RoundError, RoundItem, RoundLink, as_toml, check_until, read_round
from ordolex.core.watch.samples import Sample
from ordolex.io.book.book import Book
from ordolex.io.book.reader import BookReader
from ordolex.io.own import sheets
from ordolex.io.system.clock import utc_us
from ordolex.io.system.faults import BookFault, Fault
from ordolex.io.system.files import is_file, read_given_text
from ordolex.io.watch.publish import Publisher, Subscriber, read_broker
from ordolex.io.watch.running import RunningRound
from ordolex.io.watch.watch import Told
from ordolex.session.watching_alone import Ended, Wishes, watch_alone

_FOLLOW_S = 0.2
_READS_ONLY = "is in use"


def add_to(app: typer.Typer) -> None:
    app.command()(watch)


def watch(
    words: Annotated[
        list[str] | None,
        typer.Argument(metavar="[ROUND]", help="A round file, or a round of the book; else the one that ran last."),
    ] = None,
    book: Annotated[Path | None, typer.Option(help="The book in which values are kept.")] = None,
    for_: Annotated[str, typer.Option("--for", metavar="TIME", help="End after this long, such as 90s, 12h, 7d.")] = "",
    until: Annotated[
        str, typer.Option(metavar="CONDITION", help="End when this holds, such as 'oxygen < 6 for 30s'.")
    ] = "",
    fail_when: Annotated[str, typer.Option(metavar="CONDITION", help="End with status 1 when this holds.")] = "",
    jsonl: Annotated[bool, typer.Option("--jsonl", help="A line of JSON for each value and event.")] = False,
    publish: Annotated[str, typer.Option(metavar="URL", help="Publish by MQTT 5: mqtt://host or mqtts://host.")] = "",
    authority: Annotated[
        str, typer.Option("--ca", metavar="FILE", help="Certificates to trust, else the system's.")
    ] = "",
    from_: Annotated[str, typer.Option("--from", metavar="URL", help="Show what others publish there.")] = "",
    example: Annotated[
        bool, typer.Option("--example", help="Print a round file to start from, for the endpoints that are given.")
    ] = False,
    check: Annotated[bool, typer.Option("--check", help="Say what of each line's time it takes, and end.")] = False,
) -> None:
    """Run a round of values: live, kept in a book, published."""
    given = words or []
    if example:
        if not given:
            refuse("give the endpoints to make an example of, such as rfc2217://127.0.0.1:22171", USAGE)
        with faults_said():
            typer.echo(_example(given, book), nl=False)
        return
    if len(given) > 1:
        refuse(f"one round runs at a time; give one of {', '.join(given)}", USAGE)
    if from_:
        with faults_said():
            _listen(from_, authority, _seconds(for_), jsonl)
        return
    if book is None:
        refuse("give --book: values are kept there", USAGE)
    with faults_said():
        chosen = _round_of("".join(given), book)
        for_s = _seconds(for_)
        _check_conditions(chosen, [until, fail_when])
        if check:
            _say_plans(chosen, book)
            return
        url = publish or chosen.publish
        broker = read_broker(url, authority) if url else None
        wishes = Wishes(for_s, until or chosen.until, fail_when, broker)
        try:
            own = Book(book)
        except BookFault as fault:
            if _READS_ONLY not in fault.what:
                raise
            typer.echo(f"ordolex: {fault.what}: its values are read as they come, and nothing is asked", err=True)
            ended = _follow(book, chosen, for_s, jsonl)
        else:
            try:
                ended, unsent = asyncio.run(_run(own, chosen, wishes, jsonl))
                status = own.recorder.status
            finally:
                own.close()
            refuse_unless_kept(status, book)
            if unsent:
                refuse(f"{chosen.name}: {ended.words}; not all was published: {unsent}", FAILED)
    typer.echo(f"ordolex: {chosen.name}: {ended.words}", err=True)
    if ended.failed:
        raise typer.Exit(FAILED)


def _round_of(text: str, book: Path) -> Round:
    """Raises a Fault."""
    path = Path(text)
    if text and (path.suffix == ".toml" or is_file(path)):
        try:
            return read_round(read_given_text(path, "a round file"), path.name)
        except RoundError as error:
            raise Fault(str(error), "docs/watch.md says what may stand in a round") from error
    kept: dict[str, tuple[str, bool]] = {}
    if is_file(book):
        reader = BookReader(book)
        try:
            kept = reader.values.rounds()
        finally:
            reader.close()
    name = text or next((name for name, (_, running) in kept.items() if running), "")
    if name not in kept:
        there = ", ".join(kept) or "none"
        what = f"{book} has no round called {text!r}" if text else f"no round of {book} was running"
        raise Fault(what, f"give a round file, or one of the book's: {there}")
    try:
        return read_round(kept[name][0], name)
    except RoundError as error:
        raise Fault(str(error), "mend the round in Watch (F7)") from error


def _check_conditions(round_: Round, texts: list[str]) -> None:
    """Raises a Fault."""
    for text in filter(None, texts):
        try:
            check_until(round_, text, "the condition")
        except RoundError as error:
            raise Fault(str(error), "docs/watch.md has the form of conditions") from error


def _seconds(text: str) -> float | None:
    """Raises a Fault."""
    if not text:
        return None
    found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*(ms|s|min|h|d)", text.strip())
    if found is None or float(found[1]) <= 0:
        raise Fault(f"{text[:20]!r} is no time", "write such as 90s, 30min, 12h or 7d")
    return float(found[1]) * TIMES[found[2]]


class _Teller:
    """Prints values and events as they come. Whoever reads may go away: then it ends."""

    def __init__(self, jsonl: bool, stop: Any, units: dict[str, str]) -> None:
        self._jsonl, self._stop, self._units = jsonl, stop, units

    def value(self, link: str, item: str, unit: str, sample: Sample) -> None:
        if self._jsonl:
            self._print(payload(value_of(link, item, unit, sample)))
        else:
            said = exact(sample.value) if isinstance(sample.value, float | int) else (sample.value or "–")
            moment = time.strftime("%H:%M:%S", time.localtime(sample.utc_us / 1e6))
            words = (
                ""
                if sample.quality == 0
                else f"  {sample.quality.word}" + (f": {sample.words}" if sample.words else "")
            )
            self._print(visible_text(f"{moment}  {item:24} {said:>12} {unit}{words}"))

    def event(self, link: str, item: str, change: Change, at_us: int) -> None:
        unit = self._units.get(item, "")
        if self._jsonl:
            self._print(payload(event_of(at_us, link, item, change.what, change.on, change.value, unit)))
        else:
            state = "begins" if change.on else "ends"
            self._print(visible_text(f"          {item}: {change.what} {state}, {change.value} {unit}"))

    def fault(self, words: str) -> None:
        if self._jsonl:
            self._print(payload({"time": iso(utc_us()), "fault": words}))

    def _print(self, line: str) -> None:
        try:
            typer.echo(line)
        except BrokenPipeError:
            self._stop()


async def _run(book: Book, round_: Round, wishes: Wishes, jsonl: bool) -> tuple[Ended, str]:
    """How it ended, and what of it was not published, in words."""
    stop = asyncio.Event()
    stop_on_signals(stop.set)
    units = {item.name: item.unit for item in round_.item}
    teller = _Teller(jsonl, stop.set, units)

    publishers: list[Publisher] = []
    keeper = Keeper(book.recorder, lambda: publishers[0].trouble if publishers else "", teller.fault)

    def began(running: RunningRound) -> None:
        publishers.extend(filter(None, [running.publisher]))
        assert running.watch is not None
        for work in running.watch.works:
            _say_plan(work.plan())

    keeping = asyncio.ensure_future(keeper.watch())
    try:
        ended = await watch_alone(book, round_, wishes, Told(teller.value, teller.event), stop, began)
    except RoundError as error:
        raise Fault(str(error), "docs/watch.md says what may stand in a round") from error
    finally:
        keeping.cancel()
    keeper.look()
    return ended, publishers[0].unsent if publishers else ""


def _say_plan(plan: LinkPlan) -> None:
    typer.echo(visible_text(f"ordolex: {plan.link}: {plan.words}"), err=True)
    if not plan.fits:
        typer.echo(
            f"ordolex: {plan.link}: this does not fit; the shortest interval of all is {plan.pass_s:.2f} s", err=True
        )
    for one in plan.advice:
        typer.echo(f"ordolex:   {one.words}: {one.gain:.0%} less", err=True)


def _say_plans(round_: Round, book: Path) -> None:
    from ordolex.session.watching_alone import plans_of

    try:
        plans = plans_of(round_)
    except RoundError as error:
        raise Fault(str(error), "docs/watch.md says what may stand in a round") from error
    for plan in plans:
        _say_plan(plan)
    if not all(plan.fits for plan in plans):
        raise typer.Exit(FAILED)


def _follow(book: Path, round_: Round, for_s: float | None, jsonl: bool) -> Ended:
    """Another Ordolex has the book: its values are shown as they are kept."""
    reader = BookReader(book)
    units = {item.name: item.unit for item in round_.item}
    links = {item.name: item.link for item in round_.item}
    stopped: list[bool] = []
    teller = _Teller(jsonl, lambda: stopped.append(True), units)
    end_s = time.monotonic() + for_s if for_s is not None else None
    newest: dict[int, int] = {}
    began_us = utc_us()
    try:
        while not stopped and (end_s is None or time.monotonic() < end_s):
            for item in [item for item in reader.values.items() if item.round == round_.name]:
                for sample in reader.values.between(
                    item.id, newest.get(item.id, began_us) + 1000, utc_us() + 1_000_000
                ):
                    newest[item.id] = sample.utc_us
                    teller.value(links.get(item.name, ""), item.name, item.unit, sample)
            time.sleep(_FOLLOW_S)
    except KeyboardInterrupt:
        pass
    finally:
        reader.close()
    return Ended("read only, until now")


def _listen(url: str, authority: str, for_s: float | None, jsonl: bool) -> None:
    """What others publish, as it comes."""
    broker = read_broker(url, authority)
    gone: list[bool] = []

    def came(topic: str, content: dict[str, Any]) -> None:
        try:
            if jsonl:
                typer.echo(payload({"topic": topic, **content}))
            else:
                site = topic.split("/")[1] if topic.count("/") else ""
                said = content.get("state") or content.get("value")
                words = f"{content.get('item', '')} {said} {content.get('unit', '')} {content.get('quality', '')}"
                typer.echo(visible_text(f"{str(content.get('time', ''))[11:19]}  {site:20} {words}"))
        except (BrokenPipeError, ValueError):
            gone.append(True)

    subscriber = Subscriber(broker, came, f"ordolex-reads-{utc_us():x}")
    subscriber.start()
    end_s = time.monotonic() + for_s if for_s is not None else None
    said = ""
    try:
        while not gone and (end_s is None or time.monotonic() < end_s):
            if subscriber.trouble and subscriber.trouble != said:
                said = subscriber.trouble
                typer.echo(f"ordolex: {broker.text}: {said}", err=True)
            time.sleep(_FOLLOW_S)
    except KeyboardInterrupt:
        pass
    finally:
        subscriber.stop()
    if subscriber.trouble:
        raise Fault(f"{broker.text}: {subscriber.trouble}", "check address, port and rights")


def _example(endpoints: list[str], book: Path | None) -> str:
    """A round over these endpoints: what the link's sheet offers, its line from the book, or from a bench's sticker."""
    known: dict[str, LinkRecord] = {}
    if book is not None and is_file(book):
        reader = BookReader(book)
        known = {link.endpoint: link for link in reader.links()}
        reader.close()
    links: list[RoundLink] = []
    items: list[RoundItem] = []
    for number, text in enumerate(endpoints, 1):
        link, offered = _example_link(text, number, known)
        links.append(link)
        for item in offered[:6]:
            name = item.name if item.name not in {one.name for one in items} else f"{item.name} {link.name}"
            items.append(item.model_copy(update={"name": name}))
    whole = Round(name="example", link=links, item=items)
    head = "# A round to start from: names, intervals and limits are yours. docs/watch.md says what may stand here.\n"
    return head + as_toml(whole)


def _example_link(text: str, number: int, known: dict[str, LinkRecord]) -> tuple[RoundLink, list[RoundItem]]:
    from ordolex.io.ports.survey import survey

    link = known.get(text)
    port = next((port for port in survey() if port.endpoint == text), None)
    name = link.name if link is not None else port.name if port is not None and port.name else f"link {number}"
    sheet = sheets.all_sheets()[0].get(link.sheet) if link is not None and link.sheet else None
    if sheet is None and port is not None and port.kind:
        sheet = next((s for s in sheets.all_sheets()[0].values() if s.bench_kind == port.kind), None)
    line = link.line if link is not None and link.line else port.sticker if port is not None else ""
    round_link = RoundLink(
        name=name, endpoint=text, line=line or (sheet.line.settings if sheet is not None else ""),
        sheet=sheet.name if sheet is not None else "",
    )  # fmt: skip
    offered = offers(sheet, name) if sheet is not None else []
    first = link.first_question if link is not None else port.first_question if port is not None else ""
    return round_link, offered or [RoundItem(name=f"value {number}", link=name, ask=(first or "?") + "\\r\\n")]
