"""`read` and `write`: a device's parameters by its sheet."""

from __future__ import annotations

import asyncio
import sys
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, line_for, print_document, refuse
from ordolex.core.device.panel import panel_value
from ordolex.core.device.setting import Outcome, Reading, Written, read_setting, shown
from ordolex.core.device.settings_table import SettingsTable
from ordolex.core.sheet import Sheet
from ordolex.core.sheet.parameters import Parameter, Setting
from ordolex.core.text.visible import visible_text
from ordolex.io.device.base import Device, Trouble
from ordolex.io.device.modbus import ModbusUnit
from ordolex.io.device.settings import words_of
from ordolex.io.link.runner import LinkRunner
from ordolex.io.own.sheets import all_sheets
from ordolex.io.system.faults import Fault
from ordolex.session.alone import kept_in
from ordolex.session.device import device_of, set_values, table_of, took

Result = TypeVar("Result")
EndpointArgument = Annotated[str, typer.Argument(help="A serial port, rfc2217://host:port or tcp://host:port.")]
SheetOption = Annotated[str, typer.Option(help="The device's sheet; `ordolex sheet list` names them.")]
UnitOption = Annotated[int | None, typer.Option(help="Unit ID, in place of the sheet's.")]
AddressOption = Annotated[str, typer.Option(help="Device address, for a meter that shares its line.")]
LineOption = Annotated[str | None, typer.Option(help="Line settings, in place of the sheet's.")]
BookOption = Annotated[Path | None, typer.Option(help="Keep everything in this book.")]
TimeoutOption = Annotated[float | None, typer.Option(help="Seconds to wait for each answer, in place of the sheet's.")]
JsonOption = Annotated[bool, typer.Option("--json")]


_TO_ALL = "sent to all"


def add_to(app: typer.Typer) -> None:
    app.command()(read)
    app.command()(write)
    app.command()(panel)


def read(
    endpoint: EndpointArgument,
    names: Annotated[list[str] | None, typer.Argument(help="Parameters; all where none is given.")] = None,
    sheet: SheetOption = "",
    unit: UnitOption = None,
    address: AddressOption = "",
    line: LineOption = None,
    book: BookOption = None,
    timeout: TimeoutOption = None,
    json: JsonOption = False,
) -> None:
    """Read parameters of a device by its sheet."""
    with faults_said(json):
        known = _timed(_sheet(sheet), timeout)
        wanted = [_parameter(known, name) for name in names or []] or known.parameter
        if not wanted:
            raise Fault(f"the sheet {known.name} has no parameters", "docs/sheets.md says how they are written down")

        async def work(runner: LinkRunner, table: SettingsTable, device: Device) -> list[Reading]:
            return took(runner, table, await device.read(wanted)).readings

        readings = _with_device(known, endpoint, unit, address, line, book, work)
    if json:
        print_document("read", [_as_json(p, r) for p, r in zip(wanted, readings, strict=True)])
    else:
        for parameter, reading in zip(wanted, readings, strict=True):
            value = f"{shown(parameter, reading.value)} {parameter.unit}".strip()
            typer.echo(visible_text(f"{parameter.name:20} {value or words_of(reading):24} {parameter.means}".rstrip()))
    bad = [reading for reading in readings if reading.outcome is not Outcome.READ]
    if bad:
        refuse(f"{len(bad)} of {len(readings)} were not read; {bad[0].name}: {words_of(bad[0])}", FAILED)


def write(
    endpoint: EndpointArgument,
    settings: Annotated[list[str], typer.Argument(help="NAME=VALUE, may be given again.")],
    sheet: SheetOption = "",
    unit: UnitOption = None,
    line: LineOption = None,
    book: BookOption = None,
    timeout: TimeoutOption = None,
    all_units: Annotated[bool, typer.Option("--all-units", help="Write to every unit of the line at once.")] = False,
    code_stdin: Annotated[
        bool,
        typer.Option("--code-stdin", help="The code that protected parameters need, from standard input; not kept."),
    ] = False,
    json: JsonOption = False,
) -> None:
    """Set parameters: read before, write, read back. It stops at the first that does not hold."""
    with faults_said(json):
        known = _timed(_sheet(sheet), timeout)
        code = _code(known, json) if code_stdin else None
        to_all = _goes_to_all(known, unit, all_units, json)
        wanted = [_wanted(known, text, json) for text in settings]

        async def work(runner: LinkRunner, table: SettingsTable, device: Device) -> list[Written]:
            if isinstance(device, ModbusUnit) and to_all:
                return [Written(p.name, None, v, None, _TO_ALL, await device.write_to_all(p, v)) for p, v in wanted]
            if isinstance(device, ModbusUnit) and known.unlock is not None and code is not None:
                try:
                    await device.unlock(known.unlock, code)
                except Trouble as trouble:
                    raise Fault(trouble.words, "nothing was set; check the code") from trouble
            return await set_values(runner, table, device, wanted)

        done = _with_device(known, endpoint, unit, "", line, book, work)
    if json:
        print_document("write", [_written_json(one) for one in done])
    else:
        for one in done:
            typer.echo(visible_text(_written_words(one, _parameter(known, one.name))))
    if len(done) < len(wanted) or not all(one.good or one.verdict == _TO_ALL for one in done):
        last = done[-1]
        hint = "; it is protected: --code-stdin takes its code" if _parameter(known, last.name).protected else ""
        refuse(f"{last.name}: {last.verdict} {last.words}".rstrip() + ("" if code_stdin else hint), FAILED)


def panel(
    endpoint: EndpointArgument,
    seen: Annotated[
        list[str] | None, typer.Argument(help="NAME=VALUE as the front panel shows it, to compare.")
    ] = None,
    sheet: SheetOption = "",
    unit: UnitOption = None,
    line: LineOption = None,
    book: BookOption = None,
    timeout: TimeoutOption = None,
    json: JsonOption = False,
) -> None:
    """Say what a meter's front panel would show, computed from what it measures and its ratios."""
    with faults_said(json):
        known = _timed(_sheet(sheet), timeout)
        if not known.panel:
            raise Fault(f"the sheet {known.name} says nothing of a front panel", "docs/sheets.md: [[panel]]")
        shown_there = dict(_seen(known, text, json) for text in seen or [])

        async def work(runner: LinkRunner, table: SettingsTable, device: Device) -> list[Reading]:
            return took(runner, table, await device.read(known.parameter)).readings

        readings = _with_device(known, endpoint, unit, "", line, book, work)
    values = {reading.name: reading.value for reading in readings if reading.outcome is Outcome.READ}
    computed = [panel_value(one, values) for one in known.panel]
    rows, bad = [], [one for one in computed if one.trouble]
    for one in computed:
        there = shown_there.get(one.panel.name)
        against = one.beside(there) if there is not None and not one.trouble else None
        rows.append({
            "name": one.panel.name, "computed": None if one.trouble else one.computed, "unit": one.panel.unit,
            "shown": there, "fits": None if against is None else against.fits,
            "words": one.words if against is None else against.words,
        })  # fmt: skip
    if json:
        print_document("panel", rows)
    else:
        for one, row in zip(computed, rows, strict=True):
            typer.echo(visible_text(one.words))
            if row["shown"] is not None:
                typer.echo(visible_text(f"  {row['words']}"))
    if bad:
        refuse(visible_text(bad[0].words), FAILED)
    if any(row["fits"] is False for row in rows):
        refuse("what the front panel shows does not fit what was computed", FAILED)


def _seen(sheet: Sheet, text: str, json: bool) -> tuple[str, float]:
    """What NAME=VALUE says of the front panel."""
    name, equals, value = text.rpartition("=")
    names = [one.name for one in sheet.panel]
    if not equals or name not in names:
        refuse(f"{text!r}: write NAME=VALUE, the name one of {', '.join(names)}", USAGE, json=json)
    try:
        return name, float(value)
    except ValueError:
        refuse(f"{text!r}: {value!r} is no number", USAGE, json=json)


def _code(sheet: Sheet, json: bool) -> int:
    if sheet.unlock is None:
        refuse(f"the sheet {sheet.name} has no [unlock]; --code-stdin is for one that has", USAGE, json=json)
    typed = sys.stdin.readline().strip()
    if not typed.isdecimal() or int(typed) > 0xFFFF:
        refuse("the code on standard input is no number from 0 to 65535", USAGE, json=json)
    return int(typed)


def _written_words(one: Written, parameter: Parameter) -> str:
    """What became of a value, with its unit, and whether it lasts."""

    def said(value: Setting | None) -> str:
        return f"{shown(parameter, value)} {parameter.unit}".strip() if value is not None else "not known"

    if one.verdict == _TO_ALL:
        return f"{one.name}: {said(one.wanted)} {one.verdict}; nobody answers that, so nothing was read back"
    if one.verdict == "unchanged":
        return f"{one.name}: it is {said(one.before)} already; no write was sent"
    words = f"{one.name}: it was {said(one.before)}, {said(one.wanted)} was wanted, it is {said(one.after)} now"
    words += "" if one.verdict == "held" else f": {one.verdict} {one.words}".rstrip()
    if one.verdict == "held" and parameter.store:
        words += "; it is not stored: power off and it is lost"
    return words + ("; it holds from the device's next start on" if one.verdict == "held" and parameter.reboot else "")


def _goes_to_all(sheet: Sheet, unit: int | None, all_units: bool, json: bool) -> bool:
    """Whether unit 0 is meant, which is every unit of the line: only if that was said."""
    to_all = (sheet.bus.unit if unit is None else unit) == 0 and sheet.family.to_all
    if to_all and not all_units:
        words = "unit 0 is every unit of the line, and nobody answers; give one unit's ID, or --all-units to insist"
        refuse(words, USAGE, json=json)
    if all_units and not to_all:
        refuse("--all-units goes with --unit 0 and a Modbus sheet only", USAGE, json=json)
    return to_all


def _wanted(sheet: Sheet, text: str, json: bool) -> tuple[Parameter, Setting]:
    """What NAME=VALUE means for a device of this sheet."""
    name, equals, value = text.partition("=")
    parameter = _parameter(sheet, name)
    if not equals:
        refuse(f"{text!r}: write NAME=VALUE", USAGE, json=json)
    if not parameter.can_be_written:
        raise Fault(f"{name} is only read", "the sheet says nothing of how it would be written")
    if parameter.changes_line:
        raise Fault(f"{name} changes the line itself", "in Talk, Ctrl+B changes the rate in lock step")
    try:
        return parameter, read_setting(parameter, value)
    except ValueError as error:
        refuse(str(error), USAGE, json=json)


def _sheet(name: str) -> Sheet:
    sheets = all_sheets()[0]
    if name not in sheets:
        what = f"there is no sheet {name!r}" if name else "no sheet was given"
        raise Fault(what, f"--sheet takes one of {', '.join(sheets)}")
    return sheets[name]


def _timed(sheet: Sheet, timeout: float | None) -> Sheet:
    if timeout is None:
        return sheet
    if not 0 < timeout <= 60:
        refuse("--timeout takes more than 0 and at most 60 s", USAGE)
    return sheet.waiting(timeout)


def _parameter(sheet: Sheet, name: str) -> Parameter:
    found = sheet.parameter_named(name)
    if found is None:
        raise Fault(f"the sheet {sheet.name} has no parameter {name!r}", f"it has {_names(sheet)}")
    return found


def _names(sheet: Sheet) -> str:
    return ", ".join(parameter.name for parameter in sheet.parameter) or "none"


def _with_device(
    sheet: Sheet, endpoint: str, unit: int | None, address: str, line: str | None, book: Path | None,
    work: Callable[[LinkRunner, SettingsTable, Device], Awaitable[Result]],
) -> Result:  # fmt: skip
    settings = line_for(endpoint, line or sheet.line.settings)

    async def run() -> Result:
        with kept_in(book, endpoint, settings.settings, sheet.name, -1 if unit is None else unit) as alone:
            reader = alone.book.reader if alone.book is not None else None
            table = table_of(sheet, sheet.bus.unit if unit is None else unit, reader, alone.link)
            async with alone.opened() as runner:
                try:
                    return await work(runner, table, device_of(runner, table, address=address))
                finally:
                    if runner.late is not None:
                        typer.echo(f"{runner.late.words}; --timeout {runner.late.enough_s:g} waits for them", err=True)

    return asyncio.run(run())


def _as_json(parameter: Parameter, reading: Reading) -> dict[str, Any]:
    return {
        "name": parameter.name, "value": reading.value, "unit": parameter.unit, "raw_hex": reading.raw.hex(),
        "outcome": reading.outcome.value, "words": reading.words,
    }  # fmt: skip


def _written_json(written: Written) -> dict[str, Setting | None]:
    return {
        "name": written.name, "before": written.before, "wanted": written.wanted, "after": written.after,
        "verdict": written.verdict, "words": written.words,
    }  # fmt: skip
