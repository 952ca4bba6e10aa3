"""`find`, `bench`, `demo` and the interface itself: what stands before the first question."""

from __future__ import annotations

import asyncio
import os
import signal
import tempfile
import time
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

import typer

from ordolex.bench.plan import Plan, read_plan
from ordolex.bench.serve import serve, stop_with_parent
from ordolex.cli.common import USAGE, faults_said, print_document, refuse
from ordolex.cli.exchange import stop_on_signals
from ordolex.cli.interface import run_interface
from ordolex.core.bus.units import UnitsError, has_place, read_callees
from ordolex.core.line.notation import read_line
from ordolex.core.link.question import Question
from ordolex.core.link.wait import SHORTEST_MS
from ordolex.core.port.bench_notice import BenchNotice
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.book.nowhere import NoBook
from ordolex.io.book.reader import BookReader
from ordolex.io.link.everywhere import Try, ask_everywhere, words
from ordolex.io.own import places
from ordolex.io.ports import benches
from ordolex.io.ports.benches import BenchProcess
from ordolex.io.ports.survey import PortFacts
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import write_whole
from ordolex.session.ports import Ports, changes_between

_WATCH_S = 0.5


def add_to(app: typer.Typer) -> None:
    app.command()(demo)
    app.command()(bench)
    app.command()(find)


# ---- find


def find(
    watch: Annotated[bool, typer.Option(help="Go on, and say what comes and goes.")] = False,
    ask: Annotated[
        str | None, typer.Option(help=r"One harmless question on all free ports, such as '*IDN?\n'.")
    ] = None,
    line: Annotated[str, typer.Option(help="Line settings for --ask.")] = "9600 8N1",
    wait: Annotated[int, typer.Option(help="Milliseconds to wait on each port for --ask, from 100.")] = 500,
    units: Annotated[str, typer.Option(help="Units such as A-F or 1-32, for {unit} in --ask.")] = "",
    book: Annotated[Path | None, typer.Option(help="A book, for the names that were given to adapters.")] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """List serial ports and the endpoints of running benches."""
    if watch and json:
        refuse("--watch does not go with --json: one document cannot go on; ask again instead", USAGE)
    with faults_said(json):
        ports = Ports(_names(book))
        ports.survey()
        if ask is not None:
            _ask_all(ports.all, ask, line, wait, units, json)
            return
    rows = ports.listed
    if json:
        print_document("find", [row.as_dict() for row in rows])
        return
    if not rows:
        typer.echo("no serial port; plug an adapter in, or start `ordolex bench`")
    for row in rows:
        typer.echo(_row_text(row))
    if watch:
        stopped: list[int] = []  # a handler may not touch a lock: it runs in the thread that may hold it
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, lambda number, frame: stopped.append(number))
        while not stopped:
            time.sleep(_WATCH_S)
            ports.survey()
            for word, row in changes_between(rows, ports.listed):
                typer.echo(f"{word:8} {_row_text(row)}")
            rows = ports.listed


def _ask_all(rows: list[PortFacts], ask: str, line: str, wait: int, units: str, json: bool) -> None:
    if wait < SHORTEST_MS:
        refuse(f"--wait {wait}: at least {SHORTEST_MS} ms", USAGE, json=json)
    if bool(units) != has_place(to_bytes(ask)):
        refuse("--units and {unit} in --ask go together", USAGE, json=json)
    try:
        callees = read_callees(units) if units else []
    except UnitsError as error:
        refuse(f"--units: {error}", USAGE, json=json)
    settings, question = read_line(line).settings, Question(to_bytes(ask), timeout_s=wait / 1000)

    def say(done: Try) -> None:
        if not json:
            unit = f" unit {done.unit}" if done.unit else ""
            typer.echo(visible_text(f"{done.port.endpoint:28} {done.port.name}{unit}: {words(done)}"))

    tries = asyncio.run(ask_everywhere(rows, settings, question, say, NoBook(), units=callees))
    if json:
        print_document(
            "find --ask",
            [
                {**t.port.as_dict(), "answered": t.answered, "reply": t.answer.data.decode("utf-8", "replace")
                 if t.answer else None, "line_errors": t.answer.errors.total if t.answer else 0, "why": t.why,
                 **({"unit": t.unit} if t.unit else {})}
                for t in tries
            ],
        )  # fmt: skip
    if not any(t.answered for t in tries):
        refuse(f"none of {len(tries)} ports answered {question.text!r} at {settings.text}; try another rate")


def _row_text(row: PortFacts) -> str:
    state = row.state if not row.holder else f"{row.state} ({row.holder})"
    return visible_text(f"{state:10} {row.endpoint:28} {row.name}, {row.what}")


def _names(book: Path | None) -> dict[str, str]:
    """Raises a BookFault."""
    if book is None:
        return {}
    reader = BookReader(book)
    try:
        return reader.known.adapters()
    finally:
        reader.close()


# ---- bench


def bench(
    plan: Annotated[Path | None, typer.Option(help="A bench plan; without it, the demo site's.")] = None,
    ready_file: Annotated[Path | None, typer.Option(help="Written when all devices answer.")] = None,
    list_only: Annotated[bool, typer.Option("--list", help="List the devices and end.")] = False,
    tell: Annotated[str | None, typer.Option(help="One line to the running bench, such as 'vanish echo 5'.")] = None,
    with_parent: Annotated[bool, typer.Option("--with-parent", hidden=True)] = False,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Serve the stand-in devices until stopped."""
    with faults_said(json):
        if tell is not None:
            typer.echo(benches.tell(_only_bench(), tell))
            return
        chosen = read_plan(plan)
        if list_only:
            _list_bench(chosen, plan is None, json)
            return
        asyncio.run(_serve(chosen, ready_file, with_parent, json))


def _only_bench() -> BenchNotice:
    running = benches.running()
    if not running:
        raise Fault("no bench is running", "start one with: ordolex bench")
    return running[-1]


def _list_bench(plan: Plan, demo_plan: bool, json: bool) -> None:
    """The running bench where it serves the demo plan, since that has endpoints; otherwise what the plan says."""
    running = benches.running() if demo_plan else []
    if running:
        devices: list[dict[str, Any]] = running[-1].as_dict()["devices"]
    else:
        devices = [
            {
                "name": d.name,
                "kind": d.kind,
                "line": d.line,
                "polarity": d.polarity,
                "endpoint": f"{'tcp' if d.raw else 'rfc2217'}://127.0.0.1:{d.port}" if d.port else "",
                "pty": "",
            }
            for d in plan.device
        ]
    if json:
        print_document("bench --list", {"devices": devices})
        return
    for device in devices:
        typer.echo(f"{device['name']:26} {device['line']:10} {device['endpoint']} {device['pty']}".rstrip())


async def _serve(plan: Plan, ready_file: Path | None, with_parent: bool, json: bool) -> None:
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    stop_on_signals(stop.set)
    if with_parent:
        stop_with_parent(lambda: loop.call_soon_threadsafe(stop.set))
    own_notice = places.benches() / f"{os.getpid()}.json"
    said = False

    def tell_world(notice: BenchNotice) -> None:
        nonlocal said
        for path in (own_notice, ready_file):
            if path is not None:
                write_whole(path, notice.encode())
        if not said:
            said = True
            _say_served(notice, json)

    try:
        await serve(plan, tell_world, stop)
    finally:
        own_notice.unlink(missing_ok=True)


def _say_served(notice: BenchNotice, json: bool) -> None:
    if json:
        print_document("bench", notice.as_dict())
        return
    for device in notice.devices:
        typer.echo(f"{device.name:26} {device.line:10} {device.endpoint} {device.pty}".rstrip())
    typer.echo("serving; Ctrl+C stops")


# ---- the interface


def demo(
    tour: Annotated[
        Path | None, typer.Option(help="Run the full example without interface, results into this folder.")
    ] = None,
    book: Annotated[Path | None, typer.Option(help="Keep the demo's record in this book.")] = None,
) -> None:
    """Start the bench and the interface on a fresh copy of the demo book."""
    with faults_said(), tempfile.TemporaryDirectory(prefix="ordolex-demo-") as folder:
        served = BenchProcess(None, Path(folder) / "ready.json")
        try:
            if tour is not None:
                from ordolex.cli.tour import run_tour

                run_tour(served.notice, tour)
                return
            fresh = places.demo_books() / f"Alder Brook Hatchery {datetime.now():%Y-%m-%d %H%M%S}.ordolex"
            status = run_interface(book or fresh, site=served.notice.site)
        finally:
            served.stop()
    if status:
        raise typer.Exit(status)
