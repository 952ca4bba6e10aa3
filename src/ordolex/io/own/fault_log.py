"""Faults of the program itself, written down for who mends it."""

from __future__ import annotations

import traceback

from ordolex.io.own import places
from ordolex.io.system.clock import utc_us
from ordolex.io.system.files import private_file, private_folder


def written_down(error: BaseException) -> str:
    """Where the fault is written down now. Only where it happened and of which kind it is: no values, and no message,
    as one could hold a secret. Never raises."""
    path = places.fault_log()
    rows = [f"fault at {utc_us()} us UTC\n"]
    one: BaseException | None = error
    while one is not None and len(rows) < 400:
        rows += [*traceback.format_tb(one.__traceback__, limit=40), f"{type(one).__name__}\n"]
        one = one.__cause__ or one.__context__
    try:
        private_folder(path.parent)
        private_file(path)
        with path.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.writelines(rows)
    except OSError as fault:
        return f"no log ({fault.strerror})"
    return str(path)
