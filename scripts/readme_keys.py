"""Renews the tables of keys in the README from the table of commands."""

from __future__ import annotations

import re
from pathlib import Path

from ordolex.tui.app import OrdolexApp
from ordolex.tui.places import PLACES

README = Path(__file__).parents[1] / "README.md"


def tables() -> str:
    parts = []
    for title, jobs in (("Everywhere", OrdolexApp.JOBS), *((place.word, place.kind().JOBS) for place in PLACES)):
        rows = [f"| `{job.shown_key}` | {job.title} | {job.help} |" for job in jobs if job.key]
        parts.append(f"**{title}**\n\n| key | does | |\n| --- | --- | --- |\n" + "\n".join(rows) + "\n")
    return "\n".join(parts)


def main() -> None:
    text = README.read_text()
    new = re.sub(
        r"\*\*Everywhere\*\*.*?(?=What you type in Talk may hold)", lambda _: tables() + "\n", text, flags=re.S
    )
    README.write_text(new)


if __name__ == "__main__":
    main()
