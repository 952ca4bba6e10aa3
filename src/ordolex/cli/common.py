"""What all commands share: how results and faults are printed, and which exit status says what.

0: done. 1: the work failed. 2: wrong usage. An expected fault is one line on stderr, never a traceback.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, NoReturn

import typer

from ordolex.core.line.notation import ReadLine, read_line
from ordolex.core.line.settings import SettingsError
from ordolex.core.port.endpoint import read_endpoint
from ordolex.core.text.visible import visible_text
from ordolex.io.system.faults import Fault
from ordolex.io.system.files import check_new, write_new

FAILED, USAGE = 1, 2
ForceOption = Annotated[bool, typer.Option("--force", help="Write over a file that is there.")]


def print_json(value: Any) -> None:
    from ordolex.core.record.export import json_text  # it imports what a table is made of: most commands print none

    typer.echo(json_text(value))


def print_document(command: str, value: Any) -> None:
    """What a command prints with `--json`, held against its model."""
    from ordolex.cli.documents import document

    print_json(document(command, value))


def refuse(message: str, status: int = FAILED, *, json: bool = False) -> NoReturn:
    """One line on stderr, made safe to show, and out. With `json` the document on stdout is the error."""
    if json:
        print_json({"error": message})
    typer.echo(f"ordolex: {visible_text(message)}", err=True)
    raise typer.Exit(status)


def more_than_zero(value: float | None, option: str, *, json: bool = False) -> None:
    """Refuses a time that cannot be."""
    if value is not None and not 0 < value < 1e9:
        refuse(f"{option} {value:g}: give a time of more than 0 s", USAGE, json=json)


@contextmanager
def faults_said(json: bool = False) -> Iterator[None]:
    """Turns expected faults into their one line and exit status, and into a document where one was asked for."""
    try:
        yield
    except Fault as fault:
        refuse(str(fault), json=json)
    except ValueError as error:
        if not type(error).__module__.startswith("ordolex."):
            raise
        refuse(str(error), USAGE, json=json)  # the core's own: what was given cannot be read, and why
    except BrokenPipeError:
        sys.stderr.close()
        raise typer.Exit(FAILED) from None


def write_drawing(figure: Any, path: Path, *, force: bool) -> None:
    """Raises a Fault where the name is of no drawing, or the file may not be written."""
    from ordolex.draw.sheet import DrawingError, drawn

    check_new(path, force=force)
    try:
        data = drawn(figure, path)
    except DrawingError as error:
        raise Fault(str(error), "give the drawing one of these endings") from error
    write_new(path, [data], force=force)


def line_for(endpoint: str, text: str | None) -> ReadLine:
    """The line settings of a command; raw TCP needs none."""
    if text is None:
        if read_endpoint(endpoint).has_line:
            raise SettingsError("line settings", "give the line settings, such as --line '19200 8N1'")
        return read_line("9600 8N1")
    return read_line(text)
