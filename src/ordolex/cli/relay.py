"""`relay`: two endpoints joined until stopped; which relays run; ending one."""

from __future__ import annotations

import asyncio
import json as json_
import time
from contextlib import ExitStack
from pathlib import Path
from typing import Annotated, Any

import typer

from ordolex.cli.common import USAGE, faults_said, print_document, refuse
from ordolex.cli.exchange import stop_on_signals
from ordolex.cli.keeping import Keeper, refuse_unless_kept
from ordolex.core.port.endpoint import EndpointError
from ordolex.core.relay.plan import PlanError, RelayPlan, check, named_after, offered_words
from ordolex.core.text.visible import visible_text
from ordolex.io.book.nowhere import NoBook
from ordolex.io.book.recorder import Recorder
from ordolex.io.link.journal import RecorderLike
from ordolex.io.relay import notices
from ordolex.io.relay.relay import Relay
from ordolex.io.relay.running import KEPT_AS_IT_PASSES, Running
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_whole
from ordolex.session.alone import links_in

_STOPPED_S = 10.0


def add_to(app: typer.Typer) -> None:
    app.command()(relay)


def relay(
    a: Annotated[
        str,
        typer.Argument(
            help="The program's end: virtual:NAME, listen+tcp://:PORT, listen+rfc2217://:PORT, listen+udp://:PORT, or"
            " any endpoint. Or: list, stop, run."
        ),
    ],
    b: Annotated[str, typer.Argument(help="The device's end; after stop and run, the relay's name.")] = "",
    name: Annotated[str, typer.Option(help="What it is called; else as its first end.")] = "",
    line: Annotated[str, typer.Option(help="Line settings of the device's end until the program sets others.")] = "",
    book: Annotated[Path | None, typer.Option(help="Record into this book; for run, the one that has it.")] = None,
    ready_file: Annotated[Path | None, typer.Option(help="Written when both ends stand.")] = None,
    push: Annotated[bool, typer.Option(help="Set at the device's end what the program sets.")] = True,
    allow: Annotated[list[str] | None, typer.Option(help="A network that may come to a listener; any number.")] = None,
    several: Annotated[bool, typer.Option(help="More than one peer; one writes, the others hear.")] = False,
    retry: Annotated[float, typer.Option(help="Seconds between two tries of an end that we open.")] = 2.0,
    tries: Annotated[int, typer.Option(help="Tries at most; 0 for as long as it takes.")] = 0,
    dials: Annotated[str, typer.Option(help="host:port that a listen+tcp:// end calls in turn.")] = "",
    passive: Annotated[bool, typer.Option(help="Pass nothing on: two adapters listen to two directions.")] = False,
    also: Annotated[list[str] | None, typer.Option(help="With run: another relay of the book; any number.")] = None,
    shell_known: Annotated[bool, typer.Option("--shell-known", help="A shell without login may be offered.")] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Join two endpoints until stopped: virtual ports, listeners, network serial. Also `relay list`, `relay stop`."""
    if a == "list":
        _list(json)
    elif a == "stop":
        _stop(b, json)
    elif a == "run":
        _run_kept([b, *(also or ())], book, ready_file, json)
    elif not b:
        refuse("a relay has two ends; give the second, such as rfc2217://192.168.1.20:4001", USAGE, json=json)
    else:
        plan = RelayPlan(
            name or named_after(a), a, b, line, push, tuple(allow or ()), several, retry, tries, dials, passive,
            shell_known=shell_known,
        )  # fmt: skip
        try:
            plan = check(plan)
        except (PlanError, EndpointError) as error:
            refuse(str(error), USAGE, json=json)
        _run([plan], book, ready_file, json)


def _run_kept(names: list[str], book: Path | None, ready_file: Path | None, json: bool) -> None:
    """Relays that a book has."""
    from ordolex.io.book.reader import BookReader

    if book is None or not names[0]:
        refuse("give the relay's name, and --book with the book that has it", USAGE, json=json)
    with faults_said(json):
        reader = BookReader(book)
        try:
            plans = {plan.name: plan for plan in reader.known.relays()}
        finally:
            reader.close()
    missing = [name for name in names if name not in plans]
    if missing:
        there = ", ".join(plans) or "none"
        refuse(f"{book} has no relay called {missing[0]!r}; there are: {there}", json=json)
    _run([plans[name] for name in names], book, ready_file, json)


def _run(plans: list[RelayPlan], book: Path | None, ready_file: Path | None, json: bool) -> None:
    for plan in plans:
        for end in plan.ends:
            words = offered_words(end, plan.allow)
            if words:
                typer.echo(f"ordolex: {words}", err=True)
    with faults_said(json), ExitStack() as stack:
        recorder: RecorderLike = NoBook()
        links = [(2 * number + 1, 2 * number + 2) for number in range(len(plans))]
        if book is not None:
            typer.echo(f"ordolex: {KEPT_AS_IT_PASSES}: {visible_text(str(book))}", err=True)
            recorder, links = stack.enter_context(links_in(book, plans))
        fault = asyncio.run(_relay(list(zip(plans, links, strict=True)), recorder, str(book or ""), ready_file, json))
        status = recorder.status if isinstance(recorder, Recorder) else None
        if fault is not None:
            raise fault
    if status is not None:
        refuse_unless_kept(status, book or "", json=json)


async def _relay(
    plans: list[tuple[RelayPlan, tuple[int, int]]],
    recorder: RecorderLike,
    book: str,
    ready_file: Path | None,
    json: bool,
) -> Fault | None:
    """Runs them until they are stopped, by a signal or by `relay stop`; the fault of an end that was given up."""
    stop = asyncio.Event()
    stop_on_signals(stop.set)
    told = _Teller()
    going = [
        Running(plan, recorder, links, book=book, changed=told.tell, ended=lambda plan=plan: ended(plan))  # type: ignore[misc]
        for plan, links in plans
    ]
    told.relays = [running.relay for running in going]

    def ended(plan: RelayPlan) -> None:
        """One was asked to end; with the last one the process ends."""
        at = next(number for number, running in enumerate(going) if running.relay.plan.name == plan.name)
        running = going.pop(at)
        if going:
            ending.append(asyncio.ensure_future(running.stop()))
        else:
            going.append(running)
            stop.set()

    ending: list[asyncio.Future[None]] = []
    keeper = Keeper(recorder if isinstance(recorder, Recorder) else None)
    keeping = asyncio.ensure_future(keeper.watch())
    try:
        for running in going:
            await running.start()
        standing = asyncio.gather(*(running.relay.standing() for running in going))
        stopped = asyncio.ensure_future(stop.wait())
        await asyncio.wait((standing, stopped), return_when=asyncio.FIRST_COMPLETED)
        if standing.done() and isinstance(standing.exception(), Fault):
            return standing.exception()  # type: ignore[return-value]
        if standing.done():
            _ready(going[0].relay, ready_file, json)
        standing.cancel()
        await stopped
    finally:
        keeping.cancel()
        await asyncio.gather(*ending, *(running.stop() for running in going))
    return None


def _ready(relay: Relay, ready_file: Path | None, json: bool) -> None:
    ends = [{"endpoint": end.runner.endpoint.text, "path": end.path or end.runner.endpoint.text} for end in relay.ends]
    document = {"name": relay.plan.name, "a": ends[0], "b": ends[1]}
    if ready_file is not None:
        write_whole(ready_file, json_.dumps(document) + "\n")
    if json:
        print_document("relay", document)
    else:
        typer.echo(visible_text(f"{ends[0]['path']} ↔ {ends[1]['path']}: both ends stand; Ctrl+C ends it"))


class _Teller:
    """Says on standard error what fails, once for as long as it does, and when nothing fails any more."""

    def __init__(self) -> None:
        self.relays: list[Relay] = []
        self._said: dict[str, str] = {}

    def tell(self) -> None:
        for relay in self.relays:
            name, fault = relay.plan.name, "" if relay.stopping else relay.view().fault
            words = fault.partition(";")[0]
            if words == self._said.get(name, "") or relay.stopping or any(end.gave_up for end in relay.ends):
                continue  # one that is given up is said once, as what the command failed with
            typer.echo(visible_text(f"ordolex: {name}: {fault or 'nothing fails any more'}"), err=True)
            self._said[name] = words


def _list(json: bool) -> None:
    with faults_said(json):
        rows = notices.running()
    if json:
        print_document("relay list", [row.as_dict() for row in rows])
        return
    if not rows:
        typer.echo("no relay runs; `ordolex relay virtual:NAME rfc2217://host:port` makes a virtual port")
    for row in rows:
        used = row.program or "nobody"
        typer.echo(visible_text(f"{row.name}: {row.port} ↔ {row.far}, used by {used}, {row.settings}"))
        typer.echo(visible_text(f"    {row.there} bytes there, {row.back} back{'; ' if row.fault else ''}{row.fault}"))


def _stop(name: str, json: bool) -> None:
    if not name:
        refuse("which one? `ordolex relay list` names those that run", USAGE, json=json)
    with faults_said(json):
        if not notices.ask_to_stop(name):
            there = ", ".join(row.name for row in notices.running()) or "none"
            refuse(f"no relay called {name!r} runs; there are: {there}", json=json)
        until = time.monotonic() + _STOPPED_S
        while any(row.name == name for row in notices.running()):
            if time.monotonic() > until:
                refuse(f"{name} was asked to end and has not within {_STOPPED_S:g} s; end its process", json=json)
            time.sleep(0.05)
    result: dict[str, Any] = {"stopped": name}
    print_document("relay stop", result) if json else typer.echo(f"{name} ended")
