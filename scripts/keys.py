"""Writes docs/keys.md from the jobs of the desks.

python scripts/keys.py docs/keys.md
"""

from __future__ import annotations

import sys
from pathlib import Path

from ordolex.tui.app import OrdolexApp
from ordolex.tui.places import PLACES

_HEAD = """# Keys

What each key does, desk by desk. F1 shows the same where you are; Ctrl+P finds every command by name. This page is made
from the program's own tables by `scripts/keys.py`.

"""
_TAIL = r"""
What you type in Talk may hold control bytes: `\r \n \t \e \xHH`, or names such as `<STX>`; the line below shows exactly
which bytes go out.
"""


def page() -> str:
    parts = []
    for title, jobs in (("Everywhere", OrdolexApp.JOBS), *((place.word, place.kind().JOBS) for place in PLACES)):
        purpose = next((f"{place.purpose}\n\n" for place in PLACES if place.word == title), "")
        rows = [f"| `{job.shown_key}` | {job.title} | {job.help} |" for job in jobs if job.key]
        menu = [f"| | {job.title} | {job.help} |" for job in jobs if not job.key]
        table = "\n".join(["| key | does | |", "| --- | --- | --- |", *rows, *menu])
        parts.append(f"## {title}\n\n{purpose}{table}\n")
    return _HEAD + "\n".join(parts) + _TAIL


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(page())
