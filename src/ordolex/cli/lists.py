"""`lists`: pulls lists from a device into tables."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import FAILED, faults_said, line_for, print_document, refuse
from ordolex.core.sheet import ListPlan, Lists, Sheet
from ordolex.core.tables.complete import complete
from ordolex.core.text.visible import visible_text
from ordolex.io.device.base import Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import safe_name, write_new
from ordolex.session.alone import Alone, kept_in
from ordolex.session.lists import KeptList, pull_list
from ordolex.session.metering import log_name, pull_log


def add_to(app: typer.Typer) -> None:
    app.command(name="lists")(pull_lists)


def pull_lists(
    endpoint: Annotated[str, typer.Argument(help="A serial port, rfc2217://host:port or tcp://host:port.")],
    sheet: Annotated[str, typer.Option(help="The device's sheet, which says how lists are asked for.")],
    unit: Annotated[int | None, typer.Option(help="Unit ID, for a device with registers that keeps a log.")] = None,
    line: Annotated[str | None, typer.Option(help="Line settings; without it, those of the sheet.")] = None,
    only: Annotated[
        list[str] | None, typer.Option("--list", help="A list, by name or number; may be given again.")
    ] = None,
    out: Annotated[Path | None, typer.Option(help="A folder for one CSV file a list.")] = None,
    force: Annotated[bool, typer.Option("--force", help="Write over files that are there.")] = False,
    book: Annotated[Path | None, typer.Option(help="Keep lists and bytes in this book.")] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Pull lists from a device, one of many or all, and say whether they are whole."""
    with faults_said(json):
        known = all_sheets()[0].get(sheet)
        if known is None or (known.lists is None and known.log is None):
            what = f"there is no sheet {sheet!r}" if known is None else f"the sheet {sheet} says nothing of lists"
            raise Fault(what, "`ordolex sheet list` names them; docs/sheets.md says how a list is described")
        read = line_for(endpoint, line or known.line.settings)
        with kept_in(book, endpoint, read.settings) as alone:
            if known.lists is None:
                pulled = asyncio.run(_log(alone, known, known.bus.unit if unit is None else unit))
            else:
                pulled = asyncio.run(_pull(alone, known.lists, _chosen(known.lists, only)))
        if out is not None:
            _write(out, pulled, force)
    if json:
        print_document("lists", [one.table.as_dict() | _completeness(one) for one in pulled])
    else:
        for one in pulled:
            typer.echo(visible_text(one.words))
            for number, text in one.table.odd:
                typer.echo(f"  line {number}: {visible_text(text)}")
    if not all(one.whole for one in pulled):
        refuse("not all lists are whole", FAILED)


def _completeness(pulled: KeptList) -> dict[str, object]:
    whole = complete(pulled.table)
    return {"missing": list(whole.missing), "twice": list(whole.twice), "ended": pulled.trouble or "whole"}


def _chosen(lists: Lists, only: list[str] | None) -> list[ListPlan]:
    chosen = [one for one in lists.table if not only or one.name in only or str(one.number) in only]
    if not chosen:
        raise Fault(f"the sheet has no list {only}", f"it has {', '.join(one.name for one in lists.table)}")
    return chosen


async def _log(alone: Alone, sheet: Sheet, unit: int) -> list[KeptList]:
    """The log that the device keeps by itself."""
    name = log_name(unit)
    before = alone.book.reader.known.table(alone.link, name) if alone.book is not None else None
    async with alone.opened() as runner:
        device = ModbusUnit(runner, sheet.family.framing, unit, sheet.bus)
        try:
            return [await pull_log(runner, alone.recorder, sheet, device, before)]
        except Trouble as trouble:
            raise Fault(
                f"{name}: {trouble.outcome.value}, {trouble.words}", "check unit and line settings"
            ) from trouble


async def _pull(alone: Alone, lists: Lists, chosen: list[ListPlan]) -> list[KeptList]:
    before = alone.book.reader.known.table if alone.book is not None else lambda link, name: None
    async with alone.opened() as runner:
        return [await pull_list(runner, alone.recorder, lists, one, before(alone.link, one.name)) for one in chosen]


def _write(folder: Path, pulled: list[KeptList], force: bool) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for one in pulled:
            name = safe_name(one.table.name)
            write_new(folder / f"{name}.csv", [one.table.csv().encode()], force=force)
            if one.table.odd:
                rows = "".join(f"line {number}: {text}\n" for number, text in one.table.odd)
                write_new(folder / f"{name}.odd.txt", [rows.encode()], force=force)
    except OSError as error:
        raise Fault(f"{folder} cannot be written: {error.strerror}", "choose another place") from error
