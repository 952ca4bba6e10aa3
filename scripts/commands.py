"""Writes docs/commands.md from the commands themselves.

python scripts/commands.py docs/commands.md
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import typer

from ordolex.cli.main import GROUPS, application

_HEAD = """# Commands

What the command line does, in the order of the work. Every command prints for people, or with `--json` exactly one
JSON document; `ordolex schema COMMAND` prints its schema. Exit status 0: done; 1: the work failed; 2: wrong usage. A
fault is one line that says what to do. An endpoint is a serial port (`/dev/ttyUSB0`, `COM3`), `rfc2217://host:port` or
`tcp://host:port`. Without a command `ordolex [--book FILE]` is the interface. This page is made by
`scripts/commands.py`.
"""


def page() -> str:
    group: Any = typer.main.get_command(application(["--help"]))
    out = [_HEAD]
    for title, names in GROUPS.items():
        out.append(f"## {title}\n")
        for name in names:
            out += _command(name, group.commands[name])
    return "\n".join(out)


def _command(name: str, command: Any) -> list[str]:
    if hasattr(command, "commands"):
        return [line for sub, each in command.commands.items() for line in _command(f"{name} {sub}", each)]
    arguments = [one for one in command.params if one.param_type_name == "argument"]
    options = [one for one in command.params if one.param_type_name == "option" and one.name != "json"]
    given = [one.name.upper() if one.required else f"[{one.name.upper()}]" for one in arguments]
    out = [f"### `ordolex {' '.join([name, *given])}`\n", " ".join((command.help or "").split()) + "\n"]
    rows = [(f"`{one.name.upper()}`", one.help or "") for one in arguments if one.help]
    rows += [(", ".join(f"`{word}`" for word in (*one.opts, *one.secondary_opts)), one.help or "") for one in options]
    if rows:
        out += ["| | |", "| --- | --- |", *(f"| {what} | {_cell(said)} |" for what, said in rows), ""]
    return out


def _cell(text: str) -> str:
    return " ".join(text.split()).replace("|", "\\|")


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(page())
