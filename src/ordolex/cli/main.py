"""The command line: one typer application, its commands in modules by subject."""

from __future__ import annotations

import importlib
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import typer
import typer.core

from ordolex import __version__
from ordolex.cli.common import faults_said
from ordolex.cli.start import COMPLETING
from ordolex.io.own import places

GROUPS = {
    "Find the port and prove the link": [
        "find", "survey", "net", "wire", "bus", "wave", "line", "match", "solve", "ask", "bringup",
    ],
    "Work on the device": ["sheet", "scan", "read", "write", "panel", "lists"],
    "Record and watch": ["record", "watch", "values", "relay"],
    "Keep and hand over": [
        "book", "export", "facts", "compare", "prepare", "handover", "verify", "secret",
    ],
    "The demo, and for programs": ["demo", "bench", "schema"],
}  # fmt: skip
"""The commands in the order of the work."""


class _Grouped(typer.core.TyperGroup):
    """Lists its commands by GROUPS."""

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        width = formatter.width - 6 - max(map(len, self.commands), default=0)
        for title, names in GROUPS.items():
            there = [(name, self.commands[name].get_short_help_str(width)) for name in names if name in self.commands]
            if there:
                with formatter.section(title):
                    formatter.write_dl(there)


MODULE_OF = {
    "demo": "benches", "bench": "benches", "find": "benches", "line": "settings", "ask": "exchange",
    "record": "exchange", "export": "keep", "visit": "keep", "secret": "keep", "book": "keep", "lists": "lists",
    "handover": "visit", "verify": "visit", "facts": "visit", "compare": "visit", "prepare": "visit",
    "bringup": "bring_up",
    "read": "devices", "write": "devices", "panel": "devices", "scan": "scan", "solve": "match", "match": "match",
    "wire": "wiring", "wave": "wiring", "relay": "relay", "watch": "watch", "values": "values",
    "survey": "network", "net": "network", "bus": "wiring", "sheet": "sheets", "schema": "schemas",
}  # fmt: skip
"""Command → the module of this package that adds it."""

app = typer.Typer(
    cls=_Grouped,
    help="Serial links to PLCs, meters, modems and controllers: find the port, prove the link, keep the record.",
    no_args_is_help=False,
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
            from ordolex.cli.interface import run_interface

            status = run_interface(book or places.last_book(), choose=book is None)
        if status:
            raise typer.Exit(status)


def application(words: Sequence[str]) -> typer.Typer:
    """The application with the commands that a command line can mean: a module is imported only where it is needed, for
    numbers and drawings take most of a second to import."""
    values = {at + 1 for at, word in enumerate(words) if word == "--book"}
    words = [word for at, word in enumerate(words) if at not in values]
    named = next((word for word in words if word in MODULE_OF), None)
    if COMPLETING in os.environ:
        modules = list(dict.fromkeys(MODULE_OF.values()))
    elif named is not None:
        modules = [MODULE_OF[named]]
    elif any(not word.startswith("-") or word == "--help" for word in words):
        modules = list(dict.fromkeys(MODULE_OF.values()))
    else:
        modules = []
    for name in modules:
        importlib.import_module(f"ordolex.cli.{name}").add_to(app)
    return app
