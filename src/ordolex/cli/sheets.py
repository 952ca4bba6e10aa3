"""`sheet check`, `sheet list` and `sheet show`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ordolex.cli.common import FAILED, faults_said, print_document, print_json, refuse
from ordolex.core.sheet import SheetError, checklist
from ordolex.core.text.visible import visible_text
from ordolex.io.own.sheets import all_sheets, own_folder, read_file

sheet_app = typer.Typer(help="Device sheets.", no_args_is_help=True, rich_markup_mode=None)


def _say(text: str) -> None:
    """A line with words of a sheet in it: none of its control characters reaches the terminal."""
    typer.echo(visible_text(text))


def add_to(app: typer.Typer) -> None:
    app.add_typer(sheet_app, name="sheet")


@sheet_app.command()
def check(
    file: Annotated[Path, typer.Argument(help="A sheet of one's own.")],
    json: Annotated[bool, typer.Option("--json")] = False,
) -> None:
    """Say whether a sheet can be read, and if not, in which line and why."""
    with faults_said(json):
        try:
            sheet = read_file(file)
        except SheetError as error:
            refuse(str(error), FAILED, json=json)
    if json:
        print_document("sheet check", {"ok": True, "name": sheet.name})
    else:
        _say(f"{file}: the sheet {sheet.name} is right")


@sheet_app.command(name="list")
def list_sheets(json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """List the sheets that ship and one's own."""
    sheets, faults = all_sheets()
    if json:
        print_document(
            "sheet list", [{"name": s.name, "device": s.device, "line": s.line.settings} for s in sheets.values()]
        )
    else:
        for sheet in sheets.values():
            _say(f"{sheet.name:22} {sheet.line.settings:10} {sheet.device}")
    for fault in faults:
        typer.echo(visible_text(f"ordolex: {fault}"), err=True)


@sheet_app.command()
def show(name: str, json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """Show a sheet: settings with their source, questions, what must be ready."""
    sheets, _ = all_sheets()
    if name not in sheets:
        refuse(
            f"there is no sheet {name!r}; there are {', '.join(sheets)}; one's own go into {own_folder()}", json=json
        )
    sheet = sheets[name]
    if json:
        print_json(sheet.model_dump())
        return
    _say(f"{sheet.name}: {sheet.device}")
    _say(f"line settings {sheet.line.settings} ({sheet.line.source}), line end {sheet.line_end}")
    if sheet.wiring_end:
        _say(f"wiring end {sheet.wiring_end}")
    for question in sheet.question:
        mark = "harmless" if question.harmless else "not harmless"
        _say(f"question {question.name}: {question.send} → {question.like or 'any answer'} ({mark}) {question.means}")
    for parameter in sheet.parameter:
        how = "read and written" if parameter.can_be_written else "read"
        _say(f"parameter {parameter.name}: {parameter.means or 'no words'} ({how}; {parameter.limits or 'any'})")
    for procedure in sheet.procedure:
        fields = ", ".join(field.name for field in procedure.field)
        _say(f"procedure {procedure.name}: {procedure.means} ({fields})")
    for step in checklist(sheet):
        _say(f"ready: {step}")
