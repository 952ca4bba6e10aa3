"""The command line: one typer application, its commands in modules by subject."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ordolex import __version__
from ordolex.cli import benches, devices, exchange, keep, lists, match, settings, sheets, wiring
from ordolex.cli.common import faults_said
from ordolex.io import places

app = typer.Typer(
    help="Serial links to PLCs, meters, modems and controllers: find the port, prove the link, keep the record.",
    no_args_is_help=False,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"ordolex {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def open_interface(
    context: typer.Context,
    book: Annotated[Path | None, typer.Option(help="The book to open; made if it is not there.")] = None,
    version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True)] = False,
) -> None:
    """Without a command: the interface, on the given book or on the last one."""
    if context.invoked_subcommand is None:
        with faults_said():
            benches.run_interface(book or places.last_book())


benches.add_to(app)
settings.add_to(app)
exchange.add_to(app)
keep.add_to(app)
lists.add_to(app)
devices.add_to(app)
match.add_to(app)
wiring.add_to(app)
sheets.add_to(app)


def main() -> None:
    app(prog_name="ordolex")


if __name__ == "__main__":
    main()
