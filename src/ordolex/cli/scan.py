"""`scan`: who answers on a line, unit by unit."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import FAILED, USAGE, faults_said, line_for, print_document, refuse
from ordolex.core.bus.roll_call import Called, Row, Standing, roll_call, summary
from ordolex.core.bus.units import has_place, read_callees
from ordolex.core.match.wishes import read_units
from ordolex.core.text.counts import counted
from ordolex.core.text.escapes import to_bytes
from ordolex.core.text.visible import visible_text
from ordolex.io.device.roll_call import ModbusCaller, TextCaller
from ordolex.session.alone import kept_in
from ordolex.session.units import keep_roll_call, listen_and_call


def add_to(app: typer.Typer) -> None:
    app.command()(scan)


def scan(  # noqa: C901 - each option is checked before the port is opened
    endpoint: Annotated[str, typer.Argument(help="A serial port, rfc2217://host:port or tcp://host:port.")],
    units: Annotated[str, typer.Option(help="Units, such as 1-10, 3,4,7 or A-F.")] = "1-32",
    line: Annotated[str | None, typer.Option(help="Line settings in any notation.")] = None,
    framing: Annotated[str, typer.Option(help="rtu, ascii or tcp.")] = "",
    timeout: Annotated[float, typer.Option(help="Seconds to wait for each unit.")] = 0.3,
    ask: Annotated[str, typer.Option(help="A question of your own, with {unit} in it, such as '{unit}\\\\r'.")] = "",
    expect: Annotated[
        str, typer.Option(help="Units that should be there, such as 1-4: status 1 if it is not so.")
    ] = "",
    beside_others: Annotated[
        bool, typer.Option("--beside-others", help="Call also where another master speaks on the line.")
    ] = False,
    book: Annotated[Path | None, typer.Option(help="Keep everything in this book.")] = None,
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Call each unit of a line. Modbus: one register, an exception is an answer too; --ask: a question in text."""
    with faults_said(json):
        kind = framing or ("tcp" if endpoint.startswith("tcp://") else "rtu")
        if kind not in ("rtu", "ascii", "tcp"):
            refuse("--framing is rtu, ascii or tcp", USAGE, json=json)
        if timeout <= 0:
            refuse("--timeout must be more than 0 s", USAGE, json=json)
        settings = line_for(endpoint, line)
        data = to_bytes(ask)
        if ask and not has_place(data):
            refuse("--ask needs {unit} where the unit's letter or number belongs", USAGE, json=json)
        callees = (
            read_callees(units) if ask else [str(number) for number in read_units(units) if number or kind == "tcp"]
        )
        expected = dict.fromkeys(read_callees(expect), "") if expect else {}

        def tell(one: Called) -> None:
            if (one.said or one.right) and not json:
                who = one.doubled or one.identity or "   ".join(one.said.splitlines())
                typer.echo(
                    visible_text(f"unit {one.unit:>3}  {who}" + (f"  {one.ms:.0f} ms" if one.ms is not None else ""))
                )

        async def work() -> tuple[list[Called], str]:
            with kept_in(book, endpoint, settings.settings) as alone:
                async with alone.opened() as runner:
                    caller = TextCaller(runner, data, timeout) if ask else ModbusCaller(runner, kind, timeout)
                    called, others = await listen_and_call(caller, callees, tell, beside_others=beside_others)
                    rows = roll_call(expected, called)
                    keep_roll_call(runner, rows, expected, f"{ask} {units}".strip())
                    return called, others

        called, others = asyncio.run(work())
        rows = roll_call(expected, called)
    if json:
        print_document("scan", [_called_json(row) for row in rows])
    else:
        for row in rows:
            if row.standing not in (Standing.ANSWERS, Standing.UNCLEAR):
                typer.echo(visible_text(f"unit {row.called.unit:>3}  {row.standing.value}: {row.words}".rstrip(": ")))
    if others:
        called_words = f"; {len(called)} of {counted(len(callees), 'unit')} were called before" if called else ""
        refuse(f"{others}{called_words}; --beside-others calls all the same", FAILED)
    if not any(one.right for one in called):
        refuse(f"none of {counted(len(callees), 'unit')} answered at {settings.settings.text}", FAILED)
    missing = [row.called.unit for row in rows if row.standing is not Standing.ANSWERS]
    if expected and missing:
        refuse(f"not as expected: {summary(rows, len(callees), len(expected))}", FAILED)


def _called_json(row: Row) -> dict[str, object]:
    one = row.called
    return {
        "unit": int(one.unit) if one.unit.isdecimal() else one.unit, "answer": one.doubled or one.said,
        "ms": one.ms and round(one.ms, 1), "right": one.right and not one.doubled, "standing": row.standing.value,
        "identity": one.identity,
    }  # fmt: skip
