"""What is wrong in a file of tables, in words of the trade: which key, what stands there, and what would be right."""

from __future__ import annotations

import difflib
import re
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from pydantic import BaseModel

_MOST_NAMED = 40
_KINDS = {
    "string": "a text in quotes", "int": "a whole number", "float": "a number", "bool": "true or false",
    "list": "a list in [ ]", "tuple": "a list in [ ]", "dict": "a table", "model": "a table",
}  # fmt: skip
_BOUNDS = {"gt": "more than", "ge": "at least", "lt": "less than", "le": "at most"}


def refusal_words(error: Mapping[str, Any], model: type[BaseModel]) -> str:
    """One of pydantic's errors of this model, without its place: what stands there, and what would be right."""
    kind, found, facts = str(error["type"]), error.get("input"), error.get("ctx", {})
    cause = facts.get("error")
    if isinstance(cause, ValueError):
        return str(cause)
    if kind == "missing":
        return "it is missing, and must be given"
    if kind == "extra_forbidden":
        return _no_such_key(str(error["loc"][-1]), keys_at(model, error["loc"][:-1]))
    if kind == "literal_error":
        return f"{found!r} is none of {facts['expected'].replace(' or ', ', ')}"
    if kind in ("string_too_short", "too_short"):
        return "it is empty"
    if kind in ("string_too_long", "too_long"):
        return f"it is too long: {facts['max_length']} at most"
    if kind == "string_pattern_mismatch":
        return f"{found!r} cannot be: {shape_words(facts['pattern'])}"
    bounds = [f"{words} {facts[key]:g}" for key, words in _BOUNDS.items() if key in facts]
    if bounds:
        return f"{found} cannot be: it must be {' and '.join(bounds)}"
    wanted = next((words for name, words in _KINDS.items() if kind.startswith(name)), "")
    return f"{found!r} cannot be: it must be {wanted}" if wanted else str(error["msg"])


def keys_at(model: type[BaseModel], place: Sequence[int | str]) -> list[str]:
    """The keys that the table at a place may have."""
    from pydantic import BaseModel

    for part in place:
        if isinstance(part, str) and part in model.model_fields:
            kind = model.model_fields[part].annotation
            inner = [
                one for one in (kind, *getattr(kind, "__args__", ()))
                if isinstance(one, type) and issubclass(one, BaseModel)
            ]  # fmt: skip
            if inner:
                model = inner[0]
    return list(model.model_fields)


def _no_such_key(key: str, keys: Sequence[str]) -> str:
    near = difflib.get_close_matches(key, keys, 1)
    meant = f"is {near[0]} meant? " if near else ""
    return f"there is no such key here; {meant}there are {', '.join(keys[:_MOST_NAMED])}"


_CLASS = re.compile(r"\^?\[((?:\\.|[^\]\\])+)\](?:\{(\d+),(\d+)\}|([+*]))\$?")
_PARTS = (
    ("\\w", "letters, digits and _"), ("A-Za-z", "letters"), ("a-zA-Z", "letters"), ("A-Z", "capitals"),
    ("a-z", "small letters"), ("0-9", "digits"), ("\\d", "digits"), (" ", "blanks"),
)  # fmt: skip


def shape_words(pattern: str) -> str:
    """A pattern in words, where it is one class of characters and a number; else where it is to be read."""
    found = _CLASS.fullmatch(re.sub(r"\\w\{", r"[\\w]{", pattern))
    if found is None:
        return "it has not the shape that its sheet gives; `ordolex sheet show` and the sheet's name shows it"
    rest, parts = found[1], []
    for text, words in _PARTS:
        if text in rest:
            rest = rest.replace(text, "", 1)
            parts.append(words)
    parts += list(rest.replace("\\", ""))
    count = f"{found[2]} to {found[3]}" if found[2] is not None else "any number" if found[4] == "*" else "one or more"
    return f"it takes {', '.join(parts)}; {count} characters"
