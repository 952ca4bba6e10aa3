"""Renews the tables of keys in the README from the table of commands."""

from __future__ import annotations

import re
from pathlib import Path

from ordolex.tui.commands import COMMANDS, of_context

README = Path(__file__).parents[1] / "README.md"


def tables() -> str:
    contexts = list(dict.fromkeys(command.context for command in COMMANDS))
    parts = []
    for context in contexts:
        rows = [f"| `{c.shown_key}` | {c.title} | {c.help} |" for c in of_context(context)]
        title = "Everywhere" if context == "everywhere" else context
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
