"""`schema`: what a command prints with `--json`, as JSON Schema."""

from __future__ import annotations

from typing import Annotated

import typer

from ordolex.cli.common import USAGE, print_json, refuse


def add_to(app: typer.Typer) -> None:
    app.command(name="schema")(print_schema)


def print_schema(
    command: Annotated[list[str] | None, typer.Argument(help="A command; without one, the names are printed.")] = None,
) -> None:
    """Print the JSON Schema of what a command prints with --json."""
    from ordolex.cli.documents import DOCUMENTS, schema

    name = " ".join(command or [])
    if not name:
        typer.echo("\n".join(DOCUMENTS))
        return
    if name not in DOCUMENTS:
        refuse(f"no document is printed by {name!r}; there are {', '.join(DOCUMENTS)}", USAGE)
    print_json(schema(name))
