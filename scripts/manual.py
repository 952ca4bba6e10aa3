"""Writes the manual page, docs/ordolex.1, from the program's own tables of commands and keys.

python scripts/manual.py docs/ordolex.1
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import typer

from ordolex import __version__
from ordolex.cli.main import GROUPS, application
from ordolex.tui.app import OrdolexApp
from ordolex.tui.places import PLACES


def manual() -> str:
    """The page in the man macros, as roff."""
    group: Any = typer.main.get_command(application(["--help"]))
    out = [
        f'.TH ORDOLEX 1 "" "ordolex {__version__}" "User commands"',
        ".SH NAME",
        r"ordolex \- serial links to PLCs, meters, modems and controllers",
        ".SH SYNOPSIS",
        ".B ordolex",
        r"[\-\-book FILE] [COMMAND]",
        ".SH DESCRIPTION",
        _plain(group.help or ""),
        "Without a command the full-screen interface opens.",
        ".SH COMMANDS",
    ]
    for name, command in ((name, group.commands[name]) for names in GROUPS.values() for name in names):
        out += _command(name, command)
    out += [".SH KEYS"]
    for where, jobs in (("everywhere", OrdolexApp.JOBS), *((place.word, place.kind().JOBS) for place in PLACES)):
        for job in (job for job in jobs if job.key):
            out += [".TP", rf"\fB{_plain(job.shown_key)}\fR ({_plain(where)}: {_plain(job.title)})", _plain(job.help)]
    out += [
        ".SH EXIT STATUS",
        "0: done; 1: the work failed; 2: wrong usage.",
        ".SH FILES",
        ".TP",
        r"~/.local/share/ordolex",
        "books, sheets and bags of your own",
        ".TP",
        r"~/.local/state/ordolex",
        "the last book's name, notices of running benches, a log of faults",
    ]
    return "\n".join(out) + "\n"


def _command(name: str, command: Any) -> list[str]:
    if hasattr(command, "commands"):
        return [line for sub, each in command.commands.items() for line in _command(f"{name} {sub}", each)]
    given = [one.name.upper() for one in command.params if one.param_type_name == "argument"]
    out = [f".SS {_plain(' '.join((name, *given)))}", _plain((command.help or "").splitlines()[0])]
    for one in command.params:
        if one.param_type_name == "option":
            words = (one.help or "").strip() or ("Print exactly one JSON document." if "--json" in one.opts else "")
            out += [".TP", rf"\fB{_plain(', '.join(one.opts))}\fR", _plain(words) or r"\&"]
    return out


def _plain(text: str) -> str:
    """Text in which nothing is taken for a command of roff."""
    text = " ".join(text.split()).replace("\\", r"\e").replace("-", r"\-")
    return rf"\&{text}" if text[:1] in (".", "'") else text


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(manual())
