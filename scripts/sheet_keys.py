"""Writes the last part of docs/sheets.md: every key, whether it must be given, and what holds without it."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from pydantic_core import PydanticUndefined

from ordolex.core.sheet import Sheet

MARK = "## What must be given, and what holds without"


def tables(
    model: type[BaseModel], path: str = "", seen: tuple[type, ...] = ()
) -> Iterator[tuple[str, type[BaseModel]]]:
    """(path, model) of the sheet and of every table in it; what stands at two places is there once."""
    yield path, model
    done = {model, *seen}
    for name, facts in model.model_fields.items():
        kinds = (facts.annotation, *getattr(facts.annotation, "__args__", ()))
        for kind in kinds:
            if isinstance(kind, type) and issubclass(kind, BaseModel) and kind not in done:
                for found in tables(kind, f"{path}{name}.", tuple(done)):
                    done.add(found[1])
                    yield found


def _shown(value: Any) -> str:
    if value in ("", None, [], {}) or isinstance(value, BaseModel):
        return "none"
    return (
        {True: "true", False: "false"}.get(value, str(value).replace("|", "\\|"))
        if isinstance(value, bool)
        else (f"`{str(value).encode('unicode_escape').decode()}`")
    )


def part() -> str:
    """The markdown, from its heading on."""
    out = [MARK, "", "| table | must be given | without it |", "| --- | --- | --- |"]
    for path, model in tables(Sheet):
        needed = [name for name, facts in model.model_fields.items() if facts.is_required()]
        rest = []
        for name, facts in model.model_fields.items():
            if not facts.is_required() and facts.default is not PydanticUndefined:
                rest.append(f"{name} {_shown(facts.default)}")
        where = f"`{path.rstrip('.').replace('before', 'step')}`" if path else "the sheet itself"
        out.append(f"| {where} | {', '.join(needed) or 'nothing'} | {', '.join(rest)} |")
    return "\n".join(out) + "\n"


if __name__ == "__main__":
    page = Path(sys.argv[1])
    text = page.read_text(encoding="utf-8")
    head = text[: text.index(MARK)] if MARK in text else text.rstrip("\n") + "\n\n"
    page.write_text(head + part(), encoding="utf-8")
