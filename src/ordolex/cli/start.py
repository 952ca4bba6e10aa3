"""Where the program begins. The usual start has no word to be read, and does not wait for what reads words."""

from __future__ import annotations

import os
import sys

from ordolex.cli.plain import FAILED, run_plainly, say

COMPLETING = "_ORDOLEX_COMPLETE"
"""Set by a shell that asks how a command line may go on."""


def main() -> None:
    run_plainly(_commands if sys.argv[1:] or COMPLETING in os.environ else _interface)


def _commands() -> None:
    from ordolex.cli.main import application

    application(sys.argv[1:])(prog_name="ordolex")


def _interface() -> None:
    """On the book that was open last."""
    from ordolex.cli.interface import run_interface
    from ordolex.io.own import places
    from ordolex.io.system.faults import Fault

    try:
        status = run_interface(places.last_book(), choose=True)
    except Fault as fault:
        say(str(fault))
        status = FAILED
    sys.exit(status)
