"""`bringup`: from a port to a proven link by itself, with a bundle for whoever is asked next where it is not proven."""

from __future__ import annotations

import asyncio
import tempfile
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, more_than_zero, print_document, refuse
from ordolex.core.line.notation import read_line
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.chance import chance
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.core.visit.bring_up import STAGE, Outcome, Standing
from ordolex.core.wiring.connectors import ENDS
from ordolex.core.wiring.parts import PartError
from ordolex.io.book.book import Book
from ordolex.io.link.hub import Hub
from ordolex.io.own.bag import load_bag
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.session.bringing import device, line, proof, stands
from ordolex.session.bringing.state import Bringing
from ordolex.session.session import Session
from ordolex.session.support import Story, support_bundle

_LAMPS = {"none": 0, "power": 1, "data": 2}
_GLYPH = {
    Standing.GOOD: "✓", Standing.SAID: "·", Standing.UNSURE: "◦", Standing.BAD: "✗", Standing.SKIPPED: "-",
    Standing.OPEN: " ",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Wanted:
    endpoint: str
    lamp: int | None
    end: str
    line: str
    sheet: str
    ask: bytes | None
    give_up_s: float


def add_to(app: typer.Typer) -> None:
    app.command()(bringup)


def bringup(
    endpoint: Annotated[
        str, typer.Argument(help="A serial port or rfc2217://host:port; without it the only port that is free.")
    ] = "",
    lamp: Annotated[str, typer.Option(help="What the device shows: none, power, or data where a lamp blinks.")] = "",
    end: Annotated[str, typer.Option(help="Connector at the device; `ordolex wire --list` names them.")] = "",
    line: Annotated[str, typer.Option(help="Line settings on the sticker; they are tried before Match is.")] = "",
    sheet: Annotated[str, typer.Option(help="The device's sheet, where it is known.")] = "",
    ask: Annotated[str | None, typer.Option(help="A question to prove it with, such as '*IDN?\\n'.")] = None,
    give_up: Annotated[float, typer.Option(help="Seconds after which Match gives up.")] = 120.0,
    book: Annotated[Path | None, typer.Option(help="Keep everything in this book.")] = None,
    bundle: Annotated[
        Path | None, typer.Option(help="Folder for a support bundle, written where the link is not proven.")
    ] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Bring a device up: port, cable, settings, proof, identity, sheet, settings as found. Nothing is changed in it."""
    more_than_zero(give_up, "--give-up", json=json)
    if lamp and lamp not in _LAMPS:
        refuse(f"--lamp {lamp!r}: give none, power or data", USAGE, json=json)
    if end and end not in ENDS:
        refuse(f"--end {end!r}: give one of {', '.join(ENDS)}", USAGE, json=json)
    with faults_said(json), ExitStack() as open_:
        if sheet and sheet not in all_sheets()[0]:
            raise Fault(f"there is no sheet {sheet!r}", "`ordolex sheet list` names them")
        wanted = _Wanted(
            read_endpoint(endpoint).text if endpoint else "", _LAMPS.get(lamp), end,
            read_line(line).settings.text if line else "", sheet, to_bytes(ask) if ask is not None else None, give_up,
        )  # fmt: skip
        path = book or Path(open_.enter_context(tempfile.TemporaryDirectory())) / "bring-up.ordolex"
        opened = Book(path)
        open_.callback(opened.close)
        session = Session(opened, hub := Hub(opened.recorder))
        open_.callback(hub.stop)
        bringing = Bringing(session)
        asyncio.run(_run(bringing, wanted, lambda outcome: None if json else _print(outcome)))
        rung, causes = asyncio.run(stands.stands_now(bringing))
        proven = bringing.steps.proven
        files: list[str] = []
        if bundle is not None and not proven and bringing.link is not None:
            opened.recorder.call(lambda connection: None).result(30)
            story = Story(bringing.steps.verdict, rung, causes, bringing.steps.tried)
            files = support_bundle(path, bringing.link, bundle, story, session.ports.all, session.known_secrets())
    document: dict[str, Any] = {
        "proven": proven, "verdict": bringing.steps.verdict, "rung": rung.word,
        "link": bringing.link.endpoint if bringing.link is not None else None,
        "line": bringing.link.line if bringing.link is not None else None,
        "sheet": bringing.link.sheet if bringing.link is not None else None,
        "stages": [outcome.as_dict() for outcome in bringing.steps.tried],
        "causes": [{"words": c.words, "share": round(c.share, 3), "test": c.test} for c in causes],
        "bundle": files,
    }  # fmt: skip
    if json:
        print_document("bringup", document)
    else:
        typer.echo(visible_text(bringing.steps.verdict))
        for cause in causes:
            typer.echo(visible_text(f"  {chance(cause.share):>8}  {cause.words}. {cause.test}"))
        for name in files:
            typer.echo(f"  {bundle}/{name}")
    if not proven:
        raise typer.Exit(FAILED)


def _print(outcome: Outcome) -> None:
    typer.echo(visible_text(f"{_GLYPH[outcome.standing]} {STAGE[outcome.stage].title:18} {outcome.words}"))


async def _run(bringing: Bringing, wanted: _Wanted, tell: Any) -> None:
    """Every stage that can be done without somebody who is asked. It stops where going on would prove nothing."""
    tell(line.powered(bringing, wanted.lamp))
    await asyncio.to_thread(bringing.session.ports.survey)
    endpoint, why = _port(bringing, wanted)
    port = await line.take_port(bringing, endpoint, why)
    tell(port)
    if port.standing is Standing.BAD:
        return
    if wanted.sheet:
        device.take_sheet(bringing, wanted.sheet, "chosen by who asked")
    tell(await _cable(bringing, wanted.end))
    await _settings_and_proof(bringing, wanted, tell)
    if bringing.steps.standing("proof") in (Standing.BAD, Standing.OPEN):
        return
    tell(await device.ask_who(bringing))
    if not wanted.sheet:
        tell(await _sheet(bringing))
    if not bringing.steps.proven:
        tell(await proof.recognise(bringing))
    tell(await device.read_found(bringing))


def _port(bringing: Bringing, wanted: _Wanted) -> tuple[str, str]:
    """Raises a Fault where it is not clear which one is meant."""
    if wanted.endpoint:
        return wanted.endpoint, "it was named"
    ports = line.likely_ports(bringing)
    if len(ports) == 1:
        return ports[0][0].endpoint, "it is the only one that is free"
    if not ports:
        raise Fault("no port is free", "plug the adapter in; `ordolex find` lists ports")
    names = ", ".join(port.endpoint for port, _ in ports[:6])
    raise Fault(
        f"{len(ports)} ports are free: {names}", "name one of them; `ordolex find --watch` shows what is plugged"
    )


async def _cable(bringing: Bringing, end: str) -> Outcome:
    known = bringing.session.devices.sheet_of(bringing.link) if bringing.link is not None else None
    far = end or (known.wiring_end if known is not None else "")
    if not far:
        return line.cable_not_known(bringing)
    try:
        bag = await asyncio.to_thread(load_bag)
    except PartError as error:
        raise Fault(f"the bag cannot be read: {error}", "mend its file or take it away") from error
    return line.take_chain(bringing, far, await asyncio.to_thread(line.chain, bringing, far, bag))


async def _settings_and_proof(bringing: Bringing, wanted: _Wanted, tell: Any) -> None:
    """As the sticker has them, and Match where no right answer comes then."""
    link = bringing.link
    assert link is not None, "its port was taken"
    sticker = wanted.line or (link.line if link.source == "sticker" else "")
    if sticker or not read_endpoint(link.endpoint).has_line:
        if sticker:
            tell(await line.settings_as(bringing, sticker, "as the sticker has it"))
        tell(await proof.wake(bringing))
        tell(await proof.prove(bringing, wanted.ask))
        fails = bringing.steps.standing("proof") is Standing.BAD
        if not fails or not read_endpoint(link.endpoint).has_line:
            return
    bringing.steps.back_to("settings")
    matched = await line.by_match(bringing, give_up_s=wanted.give_up_s)
    tell(matched)
    if matched.standing is Standing.BAD:
        return
    tell(await proof.wake(bringing))
    tell(await proof.prove(bringing, wanted.ask))


async def _sheet(bringing: Bringing) -> Outcome:
    known = bringing.session.devices.sheet_of(bringing.link) if bringing.link is not None else None
    if known is not None:
        return device.take_sheet(bringing, known.name, "chosen before")
    rows = await device.look_for_sheets(bringing)
    best = device.clear_choice(bringing)
    if best is not None:
        return device.take_sheet(bringing, best.sheet.name, best.words)
    if rows:
        named = "; ".join(f"{one.sheet.name} ({one.words})" for one in rows[:3])
        return bringing.took("sheet", Standing.UNSURE, f"several fit: {named}. --sheet takes one")
    return device.no_sheet(bringing)
