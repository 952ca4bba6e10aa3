"""Cells of a table that a spreadsheet opens: shown, and never run."""

from __future__ import annotations

import re

_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?")


def harmless_cell(text: str) -> str:
    """What begins like a formula gets an apostrophe before it; a number with its sign stays one."""
    if _NUMBER.fullmatch(text):
        return text
    return f"'{text}" if text.lstrip(" ").startswith(("=", "+", "-", "@", "\t", "\r", "|", "%")) else text
