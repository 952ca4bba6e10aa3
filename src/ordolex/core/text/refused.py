"""Whether a device that speaks text says no. What stands in a refusal, such as its number, is never a value."""

from __future__ import annotations

import re

_NO = re.compile(
    r"\W*(?:(?:ERROR|ERR|NAK)(?![A-Za-z])"
    r"|(?:SYNTAX|COMMAND)\s+ERROR\b|NOT\s+SUPPORTED\b"
    r"|(?:INVALID|ILLEGAL|UNKNOWN|BAD|UNRECOGNI[SZ]ED)\s+(?:COMMAND|PARAMETER|REQUEST|ARGUMENT|QUERY)\b)",
    re.I,
)


def is_refusal(said: str, asked: str = "", like: str = "") -> bool:
    """Whether an answer begins with a refusal. Where the question, or the pattern or key of a value, is about errors
    itself, it is none."""
    about = f"{asked} {like}".upper()
    return _NO.match(said) is not None and "ERR" not in about and "NAK" not in about
