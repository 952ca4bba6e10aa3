"""Cells of a table that a spreadsheet opens: shown, and never run."""

from __future__ import annotations

import re

_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?")
_FORMULA = tuple("=+-@\t\r\n|%\uff1d\uff0b\uff0d\uff20")  # the last four are their full-width forms
_SPECIAL = re.compile(r'[",\r\n]')


def quoted_cell(text: str) -> str:
    """A field of CSV, in quotes where it must be (RFC 4180, 2.5 to 2.7)."""
    return '"' + text.replace('"', '""') + '"' if _SPECIAL.search(text) else text


def harmless_cell(text: str) -> str:
    """What begins like a formula gets an apostrophe before it; a number with its sign stays one."""
    if _NUMBER.fullmatch(text):
        return text
    return f"'{text}" if text.lstrip(" ").startswith(_FORMULA) else text
